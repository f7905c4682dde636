"""The rooms of the whole wiki keep the volume that one came from, and whoever makes a volume is in it."""

from __future__ import annotations

import html
import re
from collections import Counter

import pytest

from mokuji.upkeep import upkeep
from tests.application import routes_of
from tests.web.conftest import Browser, token

GUIDE = "/field-guide/crane-lift"


@pytest.mark.parametrize("room", ["/-/find", "/-/tasks", "/-/changes"])
def test_a_room_of_the_whole_wiki_keeps_the_volume_and_offers_it_first(browser: Browser, room: str) -> None:
    client = browser("Wenna")
    spine = client.get(GUIDE).text
    assert f'href="{room}?from=field+guide"' in spine
    page = client.get(f"{room}?from=field+guide").text
    assert 'href="/-/upkeep/field-guide"' in page and 'href="/field-guide"' in page
    assert re.search(r"(?i)(only )?Field guide</(a|label)>", page)


def test_the_go_box_leads_to_rooms_and_to_every_report_of_the_volume(browser: Browser) -> None:
    client = browser("Wenna")

    def found(typed: str, volume: str = "field guide") -> dict[str, str]:
        rows = client.get("/-/go", params={"typed": typed, "volume": volume}).json()["rows"]
        return {row["title"]: row["href"] for row in rows if row["kind"] == "act"}

    assert found("tras") == {"Trash": "/-/trash"}
    assert found("orph") == {"Upkeep: Orphans": "/-/upkeep/field-guide/orphans"}
    assert found("orph", "") == {}, "of no volume there is no report"
    reports = found("upkeep")
    assert {f"/-/upkeep/field-guide/{name}" for name in upkeep.REPORTS} <= set(reports.values())
    assert all(client.get(address).status_code == 200 for address in reports.values())


def test_a_change_that_is_opened_from_the_list_keeps_the_volume(browser: Browser) -> None:
    client = browser("Wenna")
    listed = client.get("/-/changes?from=field+guide").text
    address = html.unescape(re.search(r'href="(/-/changes/\d+[^"]*)"', listed)[1])  # type: ignore[index]
    change = client.get(address).text
    assert 'href="/-/upkeep/field-guide"' in change and 'href="/-/changes?from=field+guide"' in change


def test_changes_of_one_volume_are_those_of_that_one(browser: Browser) -> None:
    client = browser("Wenna")
    every, guide = (client.get("/-/changes", params=q).text for q in ({}, {"volume": "field guide"}))
    assert "Tern 4 service manual" in every
    assert "In “Field guide”" in guide and "Tern 4 service manual" not in guide
    assert client.get("/-/changes", params={"volume": "no such"}).status_code == 404


def test_a_volume_that_is_closed_to_one_is_not_kept(browser: Browser) -> None:
    client, owner = browser(), browser("Wenna")
    owner.post("/-/new-volume", data={"token": token(owner), "title": "Hidden", "closed": "1"})
    for room in ("/-/find", "/-/tasks", "/-/changes"):
        assert "Hidden" not in client.get(f"{room}?from=hidden").text


def test_whoever_makes_a_volume_is_in_it_with_an_outline_to_paste(browser: Browser) -> None:
    client = browser("Wenna")
    assert "refer to each other by name" in client.get("/").text
    plan = client.get("/-/new-volume", params={"title": "Winch book"}).text
    digest = html.unescape(re.search(r'name="digest" value="([^"]*)"', plan)[1])  # type: ignore[index]
    made = client.post(
        "/-/new-volume", data={"token": token(client), "title": "Winch book", "digest": digest}
    )
    assert made.url.path == "/winch-book"
    assert 'href="/-/volume/outline/winch-book"' in made.text and "Paste an outline" in made.text


def test_no_two_routes_take_one_address(browser: Browser) -> None:
    """The former of two would hide the other."""
    routes = Counter(routes_of(browser().app))  # type: ignore[arg-type]
    assert [route for route, times in routes.items() if times > 1] == []
