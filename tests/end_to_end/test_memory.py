"""Looking back: a passage is put back, a sitting is unfolded, a line leads to its story, the trash is looked into."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.end_to_end.conftest import Open

COLLAR = "/tern-4-service-manual/solar-collar"


def test_a_passage_is_put_back_looked_at_and_saved(open_page: Open) -> None:
    page = open_page(f"/-/revisions{COLLAR}?from=1&to=5", who="Wenna")
    page.get_by_role("link", name="put back passage 1 as it was").click()
    expect(page.get_by_text("Nothing is saved yet: look through the change, then save.")).to_be_visible()
    expect(page.get_by_label("Note")).to_have_value("A passage of revision 1 put back")
    page.keyboard.press("F4")
    expect(page.locator(".review")).to_contain_text("in daylight")
    page.keyboard.press("Control+Shift+S")
    page.wait_for_url(re.compile(f"{COLLAR}$"))
    expect(page.locator(".text")).to_contain_text("5.5 V or more in daylight.")
    expect(page.locator(".text")).to_contain_text("Turn the buoy so that the tile in question is in the sun.")
    expect(page.locator(".where .why")).to_have_text("A passage of revision 1 put back")


def test_a_revision_is_read_as_it_was_by_keyboard(open_page: Open) -> None:
    page = open_page(f"/-/revisions{COLLAR}?from=2&to=2")
    expect(page.locator("article.former")).to_contain_text("less than 4.5 V is changed")
    page.get_by_role("link", name="3 →").press("Enter")
    expect(page.locator("article.former")).to_contain_text("less than 5 V is changed.")
    page.get_by_role("link", name="As typed").press("Enter")
    expect(page.locator("pre")).to_contain_text("## Test a string")


def test_a_sitting_is_unfolded_and_a_person_looked_for(open_page: Open) -> None:
    page = open_page("/-/changes", who="Wenna")
    page.get_by_label("Note says").fill("tiles on the bench")
    page.get_by_role("button", name="Show").click()
    expect(page.locator("tbody tr")).to_have_count(1)
    page.get_by_role("link", name="everything", exact=True).click()
    page.get_by_text("By page, category, time").click()
    page.get_by_label("page", exact=True).fill("Solar collar")
    page.get_by_role("button", name="Show").click()
    page.get_by_text("2 earlier saves of this sitting").click()
    expect(page.get_by_text("say what else to look at")).to_be_visible()


def test_a_line_leads_to_its_change_and_to_the_lines_before(open_page: Open) -> None:
    page = open_page(f"/-/lines{COLLAR}")
    row = page.locator("tbody", has_text="fuse of its string looked at")
    expect(row).to_contain_text("say what else to look at")
    row.get_by_role("link", name="before").click()
    expect(page.locator("tbody", has_text="less than 5 V is changed.")).to_contain_text("three collars")


def test_what_lies_in_the_trash_is_read_before_it_comes_back(open_page: Open) -> None:
    page = open_page("/-/trash", who="Jonas")
    page.get_by_role("link", name="Winter mooring").click()
    expect(page.locator("article.former")).to_contain_text("stays out from November to March")
    page.get_by_role("link", name="Plan restoring it").click()
    expect(page.locator(".plan-say")).to_contain_text("1 page comes back")


def test_a_passage_that_was_changed_since_is_chosen_when_it_is_put_back(open_page: Open) -> None:
    page = open_page(f"/-/edit{COLLAR}", who="Wenna", java_script_enabled=False)
    text = page.get_by_label("Text of the page")
    text.fill(text.input_value().replace("less than 5 V", "less than 6 V"))
    page.get_by_role("button", name="Save").click()
    page = open_page(f"/-/put-back{COLLAR}?from=2&to=3&passage=0", who="Wenna")
    expect(page.get_by_text("The same words were changed since: choose when you save.")).to_be_visible()
    page.keyboard.press("Control+s")
    expect(page.get_by_text("Somebody else changed the same passages.")).to_be_visible()
    page.get_by_label("yours").first.check()
    page.get_by_role("button", name="Put it together").click()
    page.keyboard.press("Control+Shift+S")
    page.wait_for_url(re.compile(f"{COLLAR}$"))
    expect(page.locator(".text")).to_contain_text("less than 4.5 V")
    expect(page.locator(".text")).to_contain_text("Turn the buoy so that the tile in question is in the sun.")
