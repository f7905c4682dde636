"""The names that are offered between brackets: written, asked for, planned, of this volume and of others."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied
from mokuji.core.model.policy import Actor, Role
from mokuji.services.desk import Desk
from mokuji.services.reading import finding, reading
from tests.services.making import pages, person, volume


@pytest.fixture
def writer(desk: Desk) -> Actor:
    for title, closed in (("Guide", False), ("Parts and data", False), ("Secret", True)):
        volume(desk, title, closed=closed)
    writer = person(desk, "wenna", guide=Role.OWNER, **{"parts and data": Role.WRITER, "secret": Role.WRITER})
    pages(
        desk,
        writer,
        "guide",
        {"Loop A": "[[Tide table]] [[parts and data/Zinc list]]", "Change the anodes": ""},
    )
    pages(desk, writer, "parts and data", {"Weather window": "", "Anodes": "", "Loop C": "[[Rope]]"})
    pages(desk, writer, "secret", {"Tidal secrets": "[[Guide/Hidden wish]]"})
    _plan(desk, writer, "Weather window")
    return writer


def _plan(desk: Desk, writer: Actor, title: str) -> None:
    """Gives a name a place in the contents."""
    wish = requests.Outline("guide", f"- {title}\n")
    view = doing.plan(desk, writer, wish)
    assert view.plan is not None, view.refusal
    assert isinstance(doing.apply(desk, writer, wish, view.plan.digest), Applied)


def _rows(desk: Desk, actor: Actor, typed: str) -> list[tuple[str, str]]:
    return [(each.insert, each.place) for each in finding.names_for(desk, actor, typed, "guide")]


def test_a_name_planned_in_the_contents_goes_before_the_page_of_another_volume(
    desk: Desk, writer: Actor
) -> None:
    assert _rows(desk, writer, "Weather window") == [
        ("Weather window", "not written · planned in the contents"),
        ("Parts and data/Weather window", "Parts and data"),
    ]


def test_a_name_that_pages_ask_for_is_offered_as_what_it_is(desk: Desk, writer: Actor) -> None:
    assert _rows(desk, writer, "tide")[0] == ("Tide table", "not written · 1 page asks for it")


def test_behind_a_volume_and_a_slash_its_names_are_offered(desk: Desk, writer: Actor) -> None:
    assert _rows(desk, writer, "Parts and data/Ano")[0] == ("Parts and data/Anodes", "Parts and data")
    assert _rows(desk, writer, "/parts and data/ano")[0] == ("/Parts and data/Anodes", "Parts and data")
    assert ("Parts and data/Zinc list", "Parts and data · not written · 1 page asks for it") in _rows(
        desk, writer, "parts and data/zi"
    )
    assert {insert for insert, _ in _rows(desk, writer, "Parts and data/")} == {
        "Parts and data/Anodes",
        "Parts and data/Weather window",
        "Parts and data/Loop C",
    }


def test_nothing_of_a_closed_volume_is_offered(desk: Desk, writer: Actor) -> None:
    other = person(desk, "jory", guide=Role.WRITER)
    assert _rows(desk, writer, "hidden wish")
    assert _rows(desk, other, "hidden wish") == []
    assert _rows(desk, other, "tidal") == []
    assert _rows(desk, other, "Secret/Tid") == []


def test_the_go_box_shows_pages_of_other_volumes_when_this_one_has_none(desk: Desk, writer: Actor) -> None:
    found = finding.go_box(desk, writer, "anodes", "guide")
    assert next(each.title for each in found.named) == "Change the anodes"
    found = finding.go_box(desk, writer, "Loop C", "guide")
    assert next((each.title, each.near) for each in found.named) == ("Loop C", False)
    assert found.writable is not None
    assert found.writable.title == "Guide"


def test_the_card_of_a_section_shows_the_section(desk: Desk, writer: Actor) -> None:
    pages(
        desk,
        writer,
        "guide",
        {"Pump": "Lead.\n\n## Seat\n\nOf brass.\n\n### Inner\n\nDeep.\n\n## Rest\n\nElse."},
    )
    card = reading.card(desk, writer, "guide", "pump", "seat")
    assert (card.section, card.words) == ("Seat", "Of brass. Deep.")
    assert reading.card(desk, writer, "guide", "pump").words.startswith("Lead.")
    assert reading.card(desk, writer, "guide", "pump", "nowhere").words.startswith("Lead.")
