"""Words go on by a key, or by themselves for whoever wants that; the markup is at hand by a click."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import GRACE, choose, fresh, type_at_end, typed

MAST = "/-/edit/tern-4-service-manual/mast-head"


def test_words_of_the_page_and_the_volume_are_offered_on_a_key_only(open_page: Open) -> None:
    page = fresh(open_page, "The transponder is dry.")
    page.keyboard.type(" A transp")
    page.wait_for_timeout(3 * GRACE)
    expect(page.locator(".cm-tooltip-autocomplete")).to_have_count(0)
    page.keyboard.press("Control+Space")
    choose(page, "transponder")
    typed(page, "The transponder is dry. A transponder")
    page.keyboard.type(" and the isol")
    page.keyboard.press("Control+Space")
    choose(page, "isolator")


def test_whoever_turns_it_on_is_offered_words_by_themselves(open_page: Open) -> None:
    page = open_page(MAST, who="Wenna")
    page.get_by_role("button", name="Tools").click()
    page.get_by_role("button", name="Words by themselves").click()
    type_at_end(page, "\n\nthe isol")
    choose(page, "isolator")
    expect(page.locator(".cm-line").last).to_have_text("the isolator")


def test_a_line_of_markup_is_typed_by_a_click(open_page: Open) -> None:
    page = fresh(open_page, "Words")
    page.keyboard.press("Shift+F1")
    panel = page.get_by_label("What can be typed")
    expect(panel).to_be_visible()
    panel.get_by_role("button", name="**Warning** words").click()
    page.keyboard.type("Danger")
    typed(page, "Words", "", "**Danger** words")
    # The first one leaves the fields of what was typed.
    for _ in range(2):
        page.keyboard.press("Escape")
        page.wait_for_timeout(GRACE)
    expect(panel).to_be_hidden()
