"""The log tells each change by its facts, to each reader what they may read, and so it does those of former times."""

from __future__ import annotations

import importlib
import json

import pytest
from alembic.migration import MigrationContext
from alembic.operations import Operations
from sqlalchemy import Engine, text

from mokuji.acts import doing, log, registry, requests
from mokuji.acts.view import Applied
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext
from tests.services.making import pages, person, volume

facts_of_changes = importlib.import_module("mokuji.store.migrations.versions.0014_facts_of_changes")
OLD = {
    "from": "One", "to": "Two", "title": "One", "pages": 2, "references": "leave", "marks": 1, "under": ["Top"],
    "categories": ["Top"], "template": "Card", "places": 3, "slot": "risk", "left": 0, "why": [], "trash": False,
    "language": "de",
}  # fmt: skip
"""The facts of former times, whatever the act."""


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    actor = person(app, "wenna", guide=Role.OWNER)
    pages(app, actor, "guide", {"One": "x", "Other": "[[One]]"})
    return actor


def _done(app: AppContext, actor: Actor, request: requests.Request) -> int:
    done = doing.apply(app, actor, request, None)
    assert isinstance(done, Applied)
    return done.change_set


def test_a_change_is_told_by_its_facts(app: AppContext, writer: Actor) -> None:
    number = _done(app, writer, requests.Rename("guide", "one", "Two"))
    assert log.one_act(app, writer, number).headline == "“One” is now called “Two”"
    undone = _done(app, writer, requests.Undo(number))
    assert log.one_act(app, writer, undone).headline == f"Change {number} undone"


def test_what_stands_in_a_closed_volume_has_no_name_in_the_log(app: AppContext, writer: Actor) -> None:
    volume(app, "Vault", closed=True)
    keeper = person(app, "keeper", guide=Role.OWNER, vault=Role.OWNER)
    pages(app, keeper, "vault", {"Heron": "y"})
    number = _done(app, keeper, requests.Merge("guide", "one", "Vault/Heron"))
    assert log.one_act(app, keeper, number).headline == "“One” merged into “Heron”"
    assert log.one_act(app, writer, number).headline == "“One” merged into a page that is closed to you"


def test_facts_of_former_changes_are_carried_over(app: AppContext, writer: Actor, engine: Engine) -> None:
    number = _done(app, writer, requests.Aliases("guide", "one", ("First",)))
    for act, fields in facts_of_changes.FIELDS.items():
        old = {name: OLD[name] for name in fields.values()}
        _detail(engine, number, act, {**old, "heads": []})
        _migrate(engine, "upgrade")
        said = log.one_act(app, writer, number).headline
        known = next(each for each in registry.ACTS if each.name == act)
        assert said != known.done and not said.startswith(f"{known.done}:"), f"{act} is told by its facts"
        _migrate(engine, "downgrade")
        with engine.connect() as connection:
            found = connection.execute(
                text("SELECT detail FROM change_set WHERE id = :id"), {"id": number}
            ).scalar()
        assert found == {**old, "heads": []}, act


def test_facts_of_a_form_that_is_not_known_leave_the_name_of_the_act(
    app: AppContext, writer: Actor, engine: Engine
) -> None:
    number = _done(app, writer, requests.Rename("guide", "one", "Two"))
    known: dict[str, object] = {"of": "rename", "version": 1}
    for facts in ({}, {**known, "version": 9}, known, {**known, "of": "nothing"}):
        _detail(engine, number, "rename", {"facts": facts})
        assert log.one_act(app, writer, number).headline == "Renamed: Two"


def _detail(engine: Engine, number: int, act: str, detail: dict[str, object]) -> None:
    with engine.begin() as connection:
        connection.execute(
            text("UPDATE change_set SET act = :act, detail = CAST(:detail AS jsonb) WHERE id = :id"),
            {"act": act, "detail": json.dumps(detail), "id": number},
        )


def _migrate(engine: Engine, way: str) -> None:
    with engine.begin() as connection, Operations.context(MigrationContext.configure(connection)):
        getattr(facts_of_changes, way)()
