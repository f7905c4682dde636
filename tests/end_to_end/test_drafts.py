"""Nothing that was typed is lost: whatever way a desk is left, it opens on what was written last."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from tests.end_to_end.conftest import Open, Site
from tests.end_to_end.typing import type_at_end

WELL = "/tern-4-service-manual/mast-head"
EDIT = "/-/edit" + WELL
NEW = "/-/edit/tern-4-service-manual/Hull%20rings?title=Hull+rings"


def _text(page: Page) -> str:
    return str(
        page.evaluate(
            "[...document.querySelectorAll('.cm-line')].map((line) => line.textContent).join('\\n')"
        )
    )


def _close(page: Page) -> None:
    page.get_by_role("link", name="Close", exact=True).click()
    page.wait_for_url(lambda address: "/-/edit/" not in address)


@pytest.mark.parametrize("way", ["close", "reload", "back to reading", "another tab"])
def test_what_is_typed_and_left_at_once_is_there_again(open_page: Open, way: str) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nThe last words.")
    if way == "close":
        _close(page)
    elif way == "back to reading":
        page.goto(WELL)
    if way == "reload":
        page.reload()
    elif way == "another tab":
        page.close()
        page = open_page(EDIT, who="Wenna")
    else:
        page.goto(EDIT)
    expect(page.locator(".cm-line").last).to_have_text("The last words.")
    expect(page.get_by_text("This is your draft of")).to_be_visible()


def test_a_draft_that_is_opened_again_stays_one_however_little_is_typed(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nA first sentence.")
    for nth in range(3):
        _close(page)
        page.goto(EDIT)
        expect(page.locator(".cm-line").last).to_have_text("A first sentence." + "!" * nth)
        type_at_end(page, "!")
    page.get_by_role("button", name="Discard the draft").click()
    expect(page.locator(".cm-content")).not_to_contain_text("A first sentence.")
    page.get_by_role("button", name="Bring it back").click()
    expect(page.locator(".cm-line").last).to_have_text("A first sentence.!!!")
    page.get_by_role("button", name="Discard the draft").click()
    with page.expect_response(lambda done: "/-/draft/" in done.url or "/mast-head" in done.url):
        _close(page)
    page.goto(EDIT)
    expect(page.locator(".cm-content")).not_to_contain_text("A first sentence.")
    expect(page.get_by_text("This is your draft of")).to_be_hidden()


def test_undo_never_goes_behind_the_loading_of_a_text(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nSee the [[wind vane]]")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Control+Enter")
    page.wait_for_url(re.compile("/wind-vane$"))
    page.keyboard.press("Control+.")
    expect(page.locator(".cm-line").last).to_have_text("See the [[wind vane]]")
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(page.locator(".cm-line").last).to_have_text("See the [[wind vane]]")
    page.keyboard.press("End")
    page.keyboard.type(".")
    page.keyboard.press("Control+z")
    expect(page.locator(".cm-line").last).to_have_text("See the [[wind vane]]")


def test_a_page_that_was_never_saved_keeps_its_draft_and_its_title(open_page: Open) -> None:
    page = open_page(NEW, who="Wenna")
    page.get_by_label("Title").fill("Rings of the hull")
    type_at_end(page, "A ring for the [[wind vane]]")
    page.reload()
    expect(page.locator(".cm-line").last).to_have_text("A ring for the [[wind vane]]")
    expect(page.get_by_label("Title")).to_have_value("Rings of the hull")
    # Another browser knows what the server knows.
    page.evaluate("localStorage.clear()")
    page.goto("/-/drafts")
    page.get_by_role("link", name="Rings of the hull").click()
    expect(page.locator(".cm-line").last).to_have_text("A ring for the [[wind vane]]")
    expect(page.get_by_label("Title")).to_have_value("Rings of the hull")
    page.keyboard.press("Control+z")
    expect(page.locator(".cm-line").last).to_have_text("A ring for the [[wind vane]]")
    page.locator(".cm-content").click()
    page.keyboard.press("Control+Shift+S")
    expect(page.get_by_role("heading", level=1)).to_have_text("Rings of the hull")
    page.goto("/-/drafts")
    expect(page.locator("main")).to_contain_text("Nothing is left unsaved.")
    page.goto(NEW)
    expect(page.locator(".cm-content")).to_have_text("")


def test_a_draft_of_a_page_that_was_saved_since_is_brought_together(open_page: Open) -> None:
    page, other = open_page(EDIT, who="Wenna"), open_page(EDIT, who="Mirela")
    type_at_end(page, "\n\nWenna was here.")
    _close(page)
    other.locator(".cm-content").click()
    other.keyboard.press("Control+Home")
    for _ in range(5):
        other.keyboard.press("ArrowDown")
    other.keyboard.press("End")
    other.keyboard.type(" Mirela was here.")
    other.keyboard.press("Control+Shift+S")
    other.wait_for_url(re.compile(r"\d" + WELL + "$"))
    page.goto(EDIT)
    expect(page.get_by_text("both are brought together here")).to_be_visible()
    expect(page.locator(".cm-line").last).to_have_text("Wenna was here.")
    assert "Mirela was here." in _text(page)
    page.locator(".cm-content").click()
    page.keyboard.press("Control+Shift+S")
    expect(page.locator(".text")).to_contain_text("Mirela was here.")
    expect(page.locator(".text")).to_contain_text("Wenna was here.")


def test_a_draft_that_clashes_with_what_was_saved_since_asks_for_a_choice(open_page: Open) -> None:
    page, other = open_page(EDIT, who="Wenna"), open_page(EDIT, who="Mirela")
    for one, name in ((page, "Wenna"), (other, "Mirela")):
        type_at_end(one, f"\n\n{name} was here.")
    _close(page)
    other.keyboard.press("Control+Shift+S")
    other.wait_for_url(re.compile(r"\d" + WELL + "$"))
    page.goto(EDIT)
    clash = page.get_by_role("alert").filter(has_text="Somebody else changed the same passages")
    expect(clash).to_contain_text("Mirela was here.")
    expect(page.locator(".cm-line").last).to_have_text("Wenna was here.")
    clash.get_by_label("both, one after the other").check()
    clash.get_by_role("button", name="Put it together").click()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+Shift+S")
    expect(page.locator(".text")).to_contain_text("Wenna was here. Mirela was here.".split(".")[0])
    expect(page.locator(".text")).to_contain_text("Mirela was here.")


def test_a_draft_that_only_this_browser_has_and_one_that_the_wiki_has_are_both_kept(
    open_page: Open, site: Site
) -> None:
    page = open_page(EDIT, who="Wenna")
    site.stop()
    type_at_end(page, "\n\nTyped at sea.")
    expect(page.locator(".bar")).to_contain_text("draft kept")
    again = page.context.new_page()
    page.close()
    site.start()
    ashore = open_page(EDIT, who="Wenna")
    with ashore.expect_response(lambda done: "/-/draft/" in done.url and done.request.method == "POST"):
        type_at_end(ashore, "\n\nTyped ashore.")
    again.goto(EDIT)
    expect(again.locator(".cm-line").last).to_have_text("Typed at sea.")
    expect(again.get_by_text("which only this browser had")).to_be_visible()
    expect(again.get_by_text("Another draft of yours")).to_be_visible()
    again.get_by_role("button", name="Open that one instead").click()
    expect(again.locator(".cm-line").last).to_have_text("Typed ashore.")
    again.get_by_role("button", name="Open that one instead").click()
    expect(again.locator(".cm-line").last).to_have_text("Typed at sea.")
    again.get_by_role("button", name="Discard it", exact=True).click()
    expect(again.get_by_text("Another draft of yours")).to_be_hidden()


def test_without_scripts_a_draft_is_opened_too(open_page: Open) -> None:
    page = open_page(EDIT, who="Wenna")
    type_at_end(page, "\n\nBegun with scripts.")
    _close(page)
    plain = open_page(EDIT, who="Wenna", java_script_enabled=False)
    expect(plain.get_by_label("Text of the page")).to_have_value(re.compile(r"Begun with scripts\."))
    plain.get_by_role("button", name="Discard the draft").click()
    plain.goto(EDIT)
    expect(plain.get_by_label("Text of the page")).not_to_have_value(re.compile(r"Begun with scripts\."))
