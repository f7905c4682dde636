"""The names that are offered between brackets: written, asked for, planned, of this volume and of others."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.reading import finding, reading, searching
from tests.services.making import pages, person, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    for title, closed in (("Guide", False), ("Parts and data", False), ("Secret", True)):
        volume(app, title, closed=closed)
    writer = person(app, "wenna", guide=Role.OWNER, **{"parts and data": Role.WRITER, "secret": Role.WRITER})
    pages(
        app,
        writer,
        "guide",
        {"Loop A": "[[Tide table]] [[parts and data/Zinc list]]", "Change the anodes": ""},
    )
    pages(app, writer, "parts and data", {"Weather window": "", "Anodes": "", "Loop C": "[[Rope]]"})
    pages(app, writer, "secret", {"Tidal secrets": "[[Guide/Hidden wish]]"})
    _plan(app, writer, "Weather window")
    return writer


def _plan(app: AppContext, writer: Actor, title: str) -> None:
    """Gives a name a place in the contents."""
    wish = requests.Outline("guide", f"- {title}\n")
    view = doing.plan(app, writer, wish)
    assert view.plan is not None, view.refusal
    assert isinstance(doing.apply(app, writer, wish, view.plan.digest), Applied)


def _rows(app: AppContext, actor: Actor, typed: str) -> list[tuple[str, str]]:
    return [(each.insert, each.place) for each in finding.names_for(app, actor, typed, "guide")]


def test_a_name_planned_in_the_contents_goes_before_the_page_of_another_volume(
    app: AppContext, writer: Actor
) -> None:
    assert _rows(app, writer, "Weather window") == [
        ("Weather window", "not written · planned in the contents"),
        ("Parts and data/Weather window", "Parts and data"),
    ]


def test_a_name_that_pages_ask_for_is_offered_as_what_it_is(app: AppContext, writer: Actor) -> None:
    assert _rows(app, writer, "tide")[0] == ("Tide table", "not written · 1 page asks for it")


def test_behind_a_volume_and_a_slash_its_names_are_offered(app: AppContext, writer: Actor) -> None:
    assert _rows(app, writer, "Parts and data/Ano")[0] == ("Parts and data/Anodes", "Parts and data")
    assert _rows(app, writer, "/parts and data/ano")[0] == ("/Parts and data/Anodes", "Parts and data")
    assert ("Parts and data/Zinc list", "Parts and data · not written · 1 page asks for it") in _rows(
        app, writer, "parts and data/zi"
    )
    assert {insert for insert, _ in _rows(app, writer, "Parts and data/")} == {
        "Parts and data/Anodes",
        "Parts and data/Weather window",
        "Parts and data/Loop C",
    }


def test_nothing_of_a_closed_volume_is_offered(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    assert _rows(app, writer, "hidden wish")
    assert _rows(app, other, "hidden wish") == []
    assert _rows(app, other, "tidal") == []
    assert _rows(app, other, "Secret/Tid") == []


def test_the_go_box_shows_pages_of_other_volumes_when_this_one_has_none(
    app: AppContext, writer: Actor
) -> None:
    result = searching.go_box(app, writer, "anodes", "guide")
    assert next(named_page.title for named_page in result.named) == "Change the anodes"
    result = searching.go_box(app, writer, "Loop C", "guide")
    assert next((named_page.title, named_page.near) for named_page in result.named) == ("Loop C", False)
    assert result.writable is not None
    assert result.writable.title == "Guide"


def test_the_card_of_a_section_shows_the_section(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {"Pump": "Lead.\n\n## Seat\n\nOf brass.\n\n### Inner\n\nDeep.\n\n## Rest\n\nElse."},
    )
    card = reading.card(app, writer, "guide", "pump", "seat")
    assert (card.section, card.words) == ("Seat", "Of brass. Deep.")
    assert reading.card(app, writer, "guide", "pump").words.startswith("Lead.")
    assert reading.card(app, writer, "guide", "pump", "nowhere").words.startswith("Lead.")
