"""Fields: changed beside their page as revisions, gathered in a table of what may be read."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history
from mokuji.services.writing import fields
from tests.services.making import pages, person, texts, volume

PUMP = "---\n# keep this\nstatus: draft   # for now\nowners: [Wenna, Jonas]\n---\nText."


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.WRITER, secret=Role.WRITER)
    pages(app, writer, "guide", {"Pump": PUMP, "Lid": "---\nstatus: final\n---\n", "Well": "No fields."})
    pages(app, writer, "secret", {"Hidden": "---\nstatus: draft\ncode: 17\n---\n"})
    return writer


def test_a_field_is_changed_with_a_revision_and_comments_stay(app: AppContext, writer: Actor) -> None:
    fields.change(app, writer, "guide", "pump", "status", "final")
    fields.change(app, writer, "guide", "pump", "owners", "Jonas, Mirela")
    fields.change(app, writer, "guide", "pump", "reviewed", "2026-11-24")
    assert texts(app)["Pump"] == (
        "---\n# keep this\nstatus: final   # for now\nowners: [Jonas, Mirela]\nreviewed: 2026-11-24\n---\nText."
    )
    fields.change(app, writer, "guide", "pump", "reviewed", "", remove=True)
    told = [revision.note for revision in history.revisions(app, writer, "guide", "pump").revisions[:4]]
    assert told == ["reviewed taken away", "reviewed: 2026-11-24", "owners: Jonas, Mirela", "status: final"]
    fields.change(app, writer, "guide", "pump", "status", "final")
    assert len(history.revisions(app, writer, "guide", "pump").revisions) == 5, (
        "what changes nothing is no revision"
    )


def test_who_may_not_write_changes_nothing(app: AppContext, writer: Actor) -> None:
    reader = person(app, "mirela", guide=Role.READER)
    with pytest.raises(Forbidden):
        fields.change(app, reader, "guide", "pump", "status", "x")
    with pytest.raises(Missing):
        fields.change(app, reader, "secret", "hidden", "status", "x")


def test_the_pages_with_a_field_are_a_table_that_can_be_sorted_and_filtered(
    app: AppContext, writer: Actor
) -> None:
    table = fields.table(app, NOBODY, "guide", "status", columns=("owners", "none"))
    assert table.columns == ("status", "owners")
    assert [(row.head.title, row.fields["status"]) for row in table.rows] == [
        ("Pump", "draft"),
        ("Lid", "final"),
    ]
    assert table.rows[0].fields["owners"] == "Jonas, Wenna"
    turned = fields.table(app, NOBODY, "guide", "status", sort="-status")
    assert [row.head.title for row in turned.rows] == ["Lid", "Pump"]
    assert [r.head.title for r in fields.table(app, NOBODY, "guide", "status", value="Draft").rows] == [
        "Pump"
    ]
    assert {(known.name, known.pages) for known in table.known} == {("status", 2), ("owners", 2)}
    with pytest.raises(Missing):
        fields.table(app, NOBODY, "secret", "status")


def test_what_says_how_a_page_is_made_is_no_field_of_it_and_what_is_nested_is_only_shown(
    app: AppContext,
) -> None:
    text = "---\naliases: [x]\nsummary: s\nstatus: a\nlist: [1, 2]\ndeep: {a: b}\n---\n"
    found = fields.of_page(Page(PageHead(1, 1, "p", "P"), text))
    assert [(f.name, f.values, f.plain) for f in found] == [
        ("status", ("a",), True),
        ("list", ("1", "2"), True),
        ("deep", ("…",), False),
    ]


def test_a_nested_field_is_not_changed_from_beside(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Deep": "---\ndeep: {a: b}\n---\n"})
    with pytest.raises(Refused):
        fields.change(app, writer, "guide", "deep", "deep", "x")
