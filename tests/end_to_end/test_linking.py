"""References as they are thought: names that are planned, other volumes, what was copied from a page as read."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import choose, type_at_end

MAST = "/-/edit/tern-4-service-manual/mast-head"


def _last(page: Page, words: str) -> None:
    expect(page.locator(".cm-line").last).to_have_text(words)


def test_what_was_copied_from_a_page_as_read_keeps_its_references(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/battery-well", who="Wenna")
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.evaluate("getSelection().selectAllChildren(document.querySelector('article [data-text]'))")
    page.keyboard.press("Control+c")
    page.goto("/-/edit/tern-4-service-manual/Copied%20well")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+v")
    expect(page.locator(".cm-line", has_text="[[lid gasket]]").first).to_be_visible()
    text = "\n".join(page.locator(".cm-line").all_inner_texts())
    assert "[[main isolator]]" in text
    assert "](http" not in text and "/-/" not in text


def test_a_bar_takes_the_name_that_is_highlighted(open_page: Open) -> None:
    page = open_page(MAST, who="Wenna")
    type_at_end(page, "\n\n[[batt")
    expect(page.locator(".cm-tooltip-autocomplete [aria-selected]")).to_contain_text("Batter")
    name = page.locator(".cm-tooltip-autocomplete [aria-selected] .cm-completionLabel").inner_text()
    page.keyboard.type("|the well")
    _last(page, f"[[{name}|the well]]")


def test_the_key_for_references_does_not_break_one_that_is_there(open_page: Open) -> None:
    page = open_page(MAST, who="Wenna")
    type_at_end(page, "\n\n[[Battery well]]")
    for _ in range(4):
        page.keyboard.press("ArrowLeft")
    page.keyboard.press("Control+Shift+L")
    _last(page, "[[Battery well]]")
    page.keyboard.type("Mast")
    _last(page, "[[Mast]]")


def test_enter_in_the_go_box_goes_only_where_its_row_says(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/battery-well", who="Wenna")
    page.keyboard.press("Control+k")
    box = page.locator("dialog[open] input")
    box.fill("Batery wel")
    row = page.locator("dialog[open] [aria-selected=true]")
    expect(row).to_contain_text("Write a new page")
    box.press("Enter")
    expect(page).to_have_url(re.compile("/-/edit/tern-4-service-manual/batery-wel"))


def test_the_card_of_a_section_shows_the_section(open_page: Open) -> None:
    page = open_page(MAST, who="Wenna")
    type_at_end(page, "\n\nsee [[Battery well#Limits]] now")
    page.locator(".seen a[data-card*='at=']").last.hover()
    expect(page.locator(".sheet.card")).to_contain_text("Battery well § Limits")


def test_a_list_of_pages_is_completed_by_key_and_category(open_page: Open) -> None:
    page = open_page(MAST, who="Wenna")
    type_at_end(page, "\n\n[[=* | cat")
    choose(page, "category")
    _last(page, "[[=* | category: ]]")
    offered = page.locator(".cm-tooltip-autocomplete li").first
    page.keyboard.type("S")
    expect(offered).to_be_visible()
    name = offered.inner_text().split("\n")[0]
    choose(page, name)
    _last(page, f"[[=* | category: {name}]]")
