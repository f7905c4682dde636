"""What is done often is at hand: a row moved by key, menus that close, tools on a narrow screen."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import type_at_end

GUIDE = "/field-guide/crane-lift"


def _order(page: Page) -> list[str]:
    keys: list[str] = page.locator(".tree .row").evaluate_all("rows => rows.map(row => row.dataset.key)")
    return keys


def test_a_row_moved_by_key_is_moved_at_once_and_undone_at_once(open_page: Open) -> None:
    page = open_page(GUIDE, who="Wenna")
    before = _order(page)
    row = page.locator(".tree .row[data-key='crane lift']")
    row.focus()
    page.keyboard.press("Control+Shift+ArrowUp")
    expect(page.get_by_text("Moved.")).to_be_visible()
    expect(page).to_have_url(re.compile(f"{GUIDE}$"))
    after = _order(page)
    assert after.index("crane lift") == before.index("crane lift") - 1
    expect(row).to_be_focused()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Moved.")).to_be_hidden()
    assert _order(page) == before


def test_menus_of_volume_and_person_close_by_escape_and_outside_clicks(open_page: Open) -> None:
    page = open_page(GUIDE, who="Wenna")
    for menu in (page.locator("details.switch"), page.locator("details.who")):
        summary = menu.locator("summary").first
        summary.click()
        expect(menu).to_have_attribute("open", "")
        page.keyboard.press("Escape")
        expect(menu).not_to_have_attribute("open", "")
        summary.click()
        page.locator("h1").click()
        expect(menu).not_to_have_attribute("open", "")


def test_all_tools_of_the_desk_are_there_on_a_narrow_screen(open_page: Open) -> None:
    page = open_page("/-/edit" + GUIDE, who="Wenna")
    page.set_viewport_size({"width": 600, "height": 800})
    for name in ("Outline", "Tools", "File", "Put in", "Extract", "Side by side"):
        expect(page.get_by_role("button", name=name, exact=True)).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")


def test_after_a_new_page_is_saved_the_text_stays_where_it_was(open_page: Open) -> None:
    page = open_page("/-/edit/field-guide/Long%20trial", who="Wenna")
    type_at_end(page, "\n".join(f"Line {n}." for n in range(80)))
    for _ in range(30):
        page.keyboard.press("ArrowUp")
    page.locator(".cm-scroller").evaluate("box => { box.scrollTop -= 100 }")
    top = page.locator(".cm-scroller").evaluate("box => box.scrollTop")
    page.keyboard.press("Control+s")
    expect(page).to_have_url(re.compile("/-/edit/field-guide/long-trial"))
    page.keyboard.type("here")
    expect(page.locator(".cm-line", has_text="Line 49.here")).to_have_count(1)
    now = page.locator(".cm-scroller").evaluate("box => box.scrollTop")
    assert abs(now - top) < 40


def test_what_is_to_mend_stands_beside_the_page_and_leads_to_its_plan(open_page: Open) -> None:
    page = open_page("/tern-4-service-manual/change-the-cells", who="Wenna")
    margin = page.locator("#margin")
    expect(margin.get_by_text("To mend · 1")).to_be_visible()
    margin.get_by_role("link", name="Write “Remove”").click()
    expect(page.locator("main")).to_contain_text("Remove the middle link")
