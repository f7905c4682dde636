"""A wiki under a path of a host, in a real browser: what scripts ask for is found there too."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, Response, expect

from mokuji.services.app_context import AppContext
from tests.end_to_end.conftest import Open, Site
from tests.end_to_end.typing import choose, type_at_end

WELL = "/tern-4-service-manual/battery-well"


@pytest.fixture
def site(demo_app: AppContext) -> Iterator[Site]:
    running = Site(demo_app, "/help/wiki")
    yield running
    running.stop()


def _answers(page: Page) -> list[Response]:
    """All answers that a page gets from now on."""
    responses: list[Response] = []

    def keep(answer: Response) -> None:
        responses.append(answer)

    page.on("response", keep)
    return responses


def _outside(answers: list[Response]) -> list[str]:
    return [answer.url for answer in answers if "/help/wiki/" not in answer.url or answer.status >= 400]


def test_reading_finding_and_moving_in_the_contents_stay_within_the_path(open_page: Open) -> None:
    page = open_page(WELL, who="Wenna")
    answers = _answers(page)
    page.locator("article a[data-card]").first.hover()
    expect(page.locator(".card")).to_be_visible()
    page.keyboard.press("Control+k")
    page.keyboard.type("mast head")
    expect(page.locator("dialog[open] [aria-selected=true]")).to_contain_text("Mast head")
    page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(r"/help/wiki/tern-4-service-manual/mast-head$"))
    page.locator(".tree .row[data-key='mast head']").focus()
    page.keyboard.press("Control+Shift+ArrowUp")
    expect(page.get_by_text("Moved.")).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_text("Moved.")).to_be_hidden()
    assert all(any(room in answer.url for answer in answers) for room in ("/-/place-now/", "/-/undo-now/"))
    assert _outside(answers) == []


def test_writing_previewing_and_saving_stay_within_the_path(open_page: Open) -> None:
    page = open_page("/-/edit/tern-4-service-manual/mast-head", who="Wenna")
    answers = _answers(page)
    type_at_end(page, "\n\nSee [[bst")
    choose(page, "Bilge switch trips")
    page.keyboard.type(" and [[Battery well#torq")
    choose(page, "Torque and sealant")
    page.keyboard.type(" by @jo")
    expect(page.locator(".cm-tooltip-autocomplete li").first).to_contain_text("jo")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+s")
    expect(page.locator("#desk")).to_have_attribute("data-newest", "2")
    asked = " ".join(answer.url for answer in answers)
    for room in ("names", "sections", "people", "preview"):
        assert f"/-/{room}" in asked, room
    assert _outside(answers) == []
