"""What pages hold, in a browser: tasks ticked where they stand, code copied, fields changed, formulas and drawings."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import choose, fresh, type_at_end

RETURNS = "/bench-notes/returns"


def test_a_task_is_ticked_on_its_page_and_again_from_the_list(open_page: Open) -> None:
    page = open_page(RETURNS, who="Mirela")
    box = page.locator("[data-task='0']")
    with page.expect_response("**/-/tick/**") as told:
        box.check()
    assert told.value.ok
    page.reload()
    expect(page.locator("[data-task='0']")).to_be_checked()
    page.goto("/-/tasks?done=1")
    task = page.get_by_role("listitem").filter(has_text="Order gaskets")
    task.get_by_role("button").click()
    expect(page.get_by_role("listitem").filter(has_text="Order gaskets")).to_have_count(0)
    page.goto("/-/tasks")
    expect(page.get_by_role("listitem").filter(has_text="Order gaskets")).to_contain_text("late")


def test_a_task_whose_line_was_changed_meanwhile_is_not_ticked_and_says_so(open_page: Open) -> None:
    page = open_page(RETURNS, who="Mirela")
    other = open_page(f"/-/edit{RETURNS}", who="Wenna")
    line = other.locator(".cm-line", has_text="Order gaskets")
    line.click()
    other.keyboard.press("End")
    other.keyboard.type(" and one more")
    other.keyboard.press("Control+Shift+S")
    other.wait_for_url(f"**{RETURNS}")
    page.locator("[data-task='0']").click()
    expect(page.get_by_role("alert")).to_contain_text("was changed since you saw it")
    expect(page.locator("[data-task='0']")).not_to_be_checked()


def test_a_visitor_sees_boxes_and_cannot_tick_them(open_page: Open) -> None:
    page = open_page("/field-guide/mooring-inspection")
    expect(page.locator("[data-task='0']")).to_be_disabled()


def test_formulas_code_and_drawings_follow_what_is_typed(open_page: Open) -> None:
    page = fresh(open_page, "So $p = \\frac{a}{b}$.\n\n```dot Ways\ndigraph { mast -> lamp }\n```\n")
    preview = page.get_by_label("As read", exact=True)
    expect(preview.locator("math mfrac")).to_have_count(1)
    expect(preview.locator("figure.diagram svg text")).to_have_count(2)
    expect(preview.locator("figure.diagram figcaption")).to_contain_text("Ways")


def test_a_source_is_completed_by_its_name(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/mast-head", who="Wenna")
    type_at_end(page, " So[^gel")
    choose(page, "gel-handbook")
    expect(page.locator(".cm-content")).to_contain_text("So[^gel-handbook]")


def test_a_field_is_changed_beside_the_page(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/firmware-update", who="Wenna")
    page.get_by_text("in review", exact=True).click()
    page.get_by_label("status", exact=True).fill("final")
    page.get_by_role("button", name="Save").click()
    expect(page.locator(".fields")).to_contain_text("final")
    page.goto("/-/fields/tern-4-service-manual?field=status")
    expect(page.get_by_role("row").filter(has_text="Firmware update")).to_contain_text("final")


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_a_drawing_has_the_colour_of_the_text_around_it(open_page: Open, scheme: str) -> None:
    page = open_page("/tern-4-service-manual/power")
    page.emulate_media(color_scheme=scheme)  # type: ignore[arg-type]
    colours = page.evaluate(
        """() => [getComputedStyle(document.querySelector('.drawing [stroke=currentColor]')).stroke,
            getComputedStyle(document.querySelector('.text')).color]"""
    )
    assert colours[0] == colours[1]
