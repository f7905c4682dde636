"""What is offered while writing: sections, pages by address, people, names by their letters; nothing closed shows."""

from __future__ import annotations

import pytest

from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.reading import completing, finding
from tests.copies import made_once
from tests.services.making import pages, person, volume

SITE = ("https://docs.example",)
PUMP = """---
aliases: [bilge pump]
---
## Limits

<!-- part: short -->
x
<!-- /part -->

### [[Well]] and *seal* {#seal}

## Limits

## C# | b
"""


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Öl lab")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, **{"öl lab": Role.WRITER, "secret": Role.WRITER})
    pages(
        app,
        writer,
        "guide",
        {"Pump": PUMP, "Well": "", "Bilge switch trips": "", "Bilge switch": "[[Tide table]]"},
    )
    pages(app, writer, "öl lab", {"Sheet/A": "## One\n", "Pump": ""})
    pages(app, writer, "secret", {"Plan": "## Hidden\n"})
    return writer


app, writer = made_once(_filled)


def test_sections_are_offered_as_they_are_typed_each_that_can_be_led_to(
    app: AppContext, writer: Actor
) -> None:
    fors = completing.sections_for(app, writer, "guide", "bilge pump")
    assert [(each.words, each.level, each.insert) for each in fors] == [
        ("Limits", 2, "Limits"),
        ("Well and seal", 3, "seal"),
        ("C# | b", 2, "C# \\| b"),
    ]
    put_in = completing.sections_for(app, writer, "guide", "Pump", insert=True)
    assert (put_in[0].words, put_in[0].level) == ("short", 0)
    elsewhere = completing.sections_for(app, writer, "guide", "Öl lab/Sheet\\/A")
    assert [each.words for each in elsewhere] == ["One"]
    for typed in ("Nowhere", "", "a|b", "[[", "#x"):
        assert completing.sections_for(app, writer, "guide", typed) == []


@pytest.mark.parametrize(
    ("address", "expected"),
    [
        ("https://docs.example/guide/pump", ("Pump", "Pump")),
        ("https://docs.example/guide/bilge-pump", ("Pump", "Pump")),
        ("https://docs.example/guide/pump#limits", ("Pump#Limits", "Pump § Limits")),
        ("https://docs.example/guide/pump#seal", ("Pump#seal", "Pump § Well and seal")),
        ("https://docs.example/guide/pump#gone", ("Pump", "Pump")),
        ("/%C3%B6l-lab/pump", ("Öl lab/Pump", "Pump")),
        ("https://docs.example/guide/nowhere", ("nowhere", "nowhere")),
        ("https://docs.example/-/edit/%C3%B6l-lab/zinc-list?under=pump", ("Öl lab/zinc list", "zinc list")),
        ("https://docs.example/guide/tide-table", ("Tide table", "Tide table")),
        ("https://docs.example/-/revisions/guide/pump?from=1&to=2", ("Pump", "Pump")),
        ("https://docs.example/-/edit/guide/pump#line-3", ("Pump", "Pump")),
        ("/-/file/guide/wiring%20plan.svg", ("wiring%20plan.svg", "wiring plan.svg")),
        ("/-/file/%C3%B6l-lab/wiring.svg", None),
        ("https://docs.example/-/upkeep/guide", None),
        ("https://docs.example/-/file/guide/", None),
        ("https://[docs.example/guide/pump", None),
        ("https://other.example/guide/pump", None),
        ("https://docs.example/guide", None),
    ],
)
def test_an_address_of_this_wiki_is_the_shortest_reference_that_leads_there(
    app: AppContext, writer: Actor, address: str, expected: tuple[str, str] | None
) -> None:
    found = completing.references_to(app, writer, "guide", [address], SITE).get(address)
    assert (None if found is None else (found.insert, found.words)) == expected


def test_nothing_of_a_closed_page_is_offered(app: AppContext, writer: Actor) -> None:
    other = person(app, "jory", guide=Role.WRITER)
    assert [each.words for each in completing.sections_for(app, writer, "guide", "Secret/Plan")] == ["Hidden"]
    assert completing.sections_for(app, other, "guide", "Secret/Plan") == []
    hidden = ["/secret/plan", "/secret/nowhere", "/-/edit/secret/plan", "/-/file/secret/plan.png"]
    assert completing.references_to(app, other, "guide", hidden, SITE) == {}
    assert completing.people_for(app, NOBODY) == []
    assert completing.people_for(app, other) == [("jory", "Jory"), ("wenna", "Wenna")]


def test_names_are_found_by_their_letters_in_order_initials_first(app: AppContext, writer: Actor) -> None:
    def titles(typed: str) -> list[str]:
        return [each.title for each in finding.names_for(app, writer, typed, "guide")]

    assert titles("bst") == ["Bilge switch trips", "Bilge switch"]
    assert titles("bw") == ["Bilge switch", "Bilge switch trips"]
    assert titles("pmp")[0] == "Pump"
    # What is typed is found before what merely holds its letters.
    assert titles("bilge switch")[:2] == ["Bilge switch", "Bilge switch trips"]
