"""A wiki that is run without a terminal, from an empty machine: its first owner, a volume, somebody who is invited,
writes and leaves."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from mokuji.services import first_owner
from mokuji.services.app_context import AppContext
from tests.end_to_end.conftest import Open, Site

PASSWORD = "several odd gulls sing"


@pytest.fixture
def site(app: AppContext) -> Iterator[Site]:
    """A wiki in which nobody is yet."""
    running = Site(app)
    yield running
    running.stop()


def _owned(open_page: Open, app: AppContext) -> Page:
    """The first owner, in the volume that they made."""
    page = open_page("/")
    page.get_by_role("textbox", name="Key").fill(first_owner.key(app))
    page.get_by_role("textbox", name="Your name").fill("Wenna Carrow")
    page.get_by_role("textbox", name="Handle").fill("wenna")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Own this wiki").click()
    page.get_by_role("link", name="Make the first").click()
    page.get_by_label("Name of the volume").fill("Field guide")
    page.get_by_role("button", name="Show the plan").click()
    page.get_by_role("button", name="Make the volume").click()
    expect(page.get_by_role("link", name="Paste an outline")).to_be_visible()
    return page


def test_first_owner_volume_invitation_a_first_save_and_leaving(open_page: Open, app: AppContext) -> None:
    wenna = _owned(open_page, app)
    wenna.goto("/-/invitations")
    wenna.get_by_label("Whom is it for?").fill("Jonas, who goes to sea")
    wenna.get_by_role("combobox").select_option("writer")
    wenna.get_by_role("button", name="Make the link").click()
    link = wenna.get_by_label("The link").input_value()

    jonas = open_page(re.sub(r"^https?://[^/]+", "", link))
    expect(jonas.get_by_role("main")).to_contain_text("Field guide")
    jonas.get_by_role("textbox", name="Your name").fill("Jonas Thole")
    jonas.get_by_role("textbox", name="Handle").fill("jonas")
    jonas.get_by_label("Password").fill(PASSWORD)
    jonas.get_by_role("button", name="Come in").click()
    expect(jonas.get_by_text("Field guide").first).to_be_visible()
    jonas.goto("/-/edit/field-guide/lost-buoy")
    jonas.locator(".cm-content").click()
    jonas.keyboard.type("Tell @wenna first.")
    jonas.keyboard.press("Control+Shift+S")
    expect(jonas.get_by_role("heading", name="Lost buoy")).to_be_visible()

    wenna.goto("/-/volume-people/field-guide")
    expect(wenna.get_by_role("row", name="Jonas Thole")).to_be_visible()
    wenna.goto("/-/changes")
    expect(wenna.get_by_role("main")).to_contain_text("@jonas is a writer now")

    jonas.goto("/-/you")
    jonas.get_by_role("link", name="Leave this wiki").click()
    jonas.get_by_role("button", name="Leave").click()
    expect(jonas.get_by_role("button", name="Sign in")).to_be_visible()
    jonas.get_by_role("textbox", name="Handle").fill("jonas")
    jonas.get_by_label("Password").fill(PASSWORD)
    jonas.get_by_role("button", name="Sign in").click()
    expect(jonas.get_by_role("alert")).to_contain_text("do not belong together")

    wenna.goto("/field-guide/lost-buoy")
    expect(wenna.get_by_role("main")).to_contain_text("Tell @wenna first.")
    wenna.goto("/-/audit")
    for said in ("Wiki begun", "Came in by invitation", "Person closed", "Sign-in refused"):
        expect(wenna.get_by_role("main")).to_contain_text(said)
    wenna.goto("/-/volume-people/field-guide")
    expect(wenna.get_by_role("row", name="Jonas Thole")).to_have_count(0)


def test_a_volume_is_closed_by_the_keyboard_on_a_phone(open_page: Open, app: AppContext) -> None:
    _owned(open_page, app)
    phone = open_page("/-/sign-in", viewport={"width": 390, "height": 800})
    phone.get_by_role("textbox", name="Handle").fill("wenna")
    phone.get_by_label("Password").fill(PASSWORD)
    phone.keyboard.press("Enter")
    expect(phone.get_by_text("Field guide").first).to_be_visible()
    phone.goto("/-/settings/field-guide")
    expect(phone.get_by_role("heading", name="Settings")).to_be_visible()
    assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth"), (
        "nothing is wider than the screen"
    )
    everybody = phone.get_by_role("radio", name="everybody")
    everybody.focus()
    phone.keyboard.press("ArrowDown")
    phone.keyboard.press("Tab")
    phone.keyboard.press("Enter")
    expect(phone.get_by_text("will be closed")).to_be_visible()
    phone.get_by_role("button", name="Close the volume").focus()
    phone.keyboard.press("Enter")
    expect(phone.get_by_role("main")).to_contain_text("closed")
    visitor = open_page("/-/sign-in")
    assert visitor.request.get("/field-guide").status == 404


def test_a_key_for_a_program_is_made_and_works(open_page: Open, app: AppContext) -> None:
    wenna = _owned(open_page, app)
    wenna.goto("/-/you")
    wenna.get_by_label("What is it for?").fill("nightly check")
    wenna.get_by_role("button", name="Make the key").click()
    key = wenna.get_by_role("textbox", name="The key").input_value()
    program = open_page("/-/sign-in").request
    told = program.get("/api/v1/volumes", headers={"Authorization": f"Bearer {key}"})
    assert [each["title"] for each in told.json()] == ["Field guide"]
    wenna.goto("/-/you")
    expect(wenna.get_by_role("row", name="nightly check")).to_be_visible()
    expect(wenna.get_by_role("textbox", name="The key")).to_have_count(0)
