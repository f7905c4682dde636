"""Changes are looked through by whatever is asked for; nothing of it tells more than what is told."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import changes as log
from mokuji.services.looking_back.changes import Asked, changes
from mokuji.services.writing.writing import Save, save
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import filtered
from tests.copies import made_once
from tests.services.making import pages, person, statements, volume

START = datetime(2026, 3, 2, 9, 0, tzinfo=UTC)


def _at(app: AppContext, minutes: float) -> AppContext:
    moment = START + timedelta(minutes=minutes)
    return replace(app, clock=lambda: moment)


def _fill(app: AppContext) -> dict[str, Actor]:
    """Three volumes, one of them closed, and two people who wrote in them over a few days."""
    for title, closed in (("Guide", False), ("Parts", False), ("Notes", True)):
        volume(app, title, closed=closed)
    wenna = person(app, "wenna", guide=Role.OWNER, parts=Role.OWNER, notes=Role.OWNER)
    piet = person(app, "piet", guide=Role.WRITER)
    pages(_at(app, 0), wenna, "guide", {"Pump": "one #wet", "Well": "See [[Pump]].", "Mast": "tall"})
    doing.apply(
        _at(app, 1), wenna, requests.Contents("guide", "- [[Pump]]\n  - [[Well]]\n- [[Mast]]\n"), None
    )
    pages(_at(app, 2), wenna, "notes", {"Secret thing": "See [[Guide/Pump]]."})
    for nth, minutes in enumerate((60, 70, 95, 200), 1):
        save(
            _at(app, minutes),
            wenna,
            Save("guide", "Pump", f"text {nth} #wet", revision=nth, note=f"try {nth}"),
        )
    save(_at(app, 210), piet, Save("guide", "Pump", "by Piet #wet", revision=5, note="Seal checked"))
    save(_at(app, 215), wenna, Save("guide", "Pump", "again #wet", revision=6))
    save(_at(app, 2000), piet, Save("guide", "Well", "See [[Pump]] and more.", revision=1, note="more of it"))
    pages(_at(app, 3000), wenna, "parts", {"Pump": "spare"})
    doing.apply(_at(app, 4000), wenna, requests.Rename("notes", "secret thing", "Hidden thing"), None)
    save(_at(app, 4001), wenna, Save("notes", "Hidden thing", "x", revision=2, note="a hidden hint"))
    return {"wenna": wenna, "piet": piet}


app, people = made_once(_fill)


def _notes(app: AppContext, actor: Actor, asked: Asked) -> list[str]:
    view = changes(app, actor, asked, folded=False)
    assert not view.far
    return [row.act.note for row in view.rows]


def _titles(app: AppContext, actor: Actor, asked: Asked) -> list[str | None]:
    return [row.act.page_title for row in changes(app, actor, asked, folded=False).rows]


def test_without_a_question_everything_comes_that_may_be_read(
    app: AppContext, people: dict[str, Actor]
) -> None:
    with reading(app.engine) as connection:
        rows = connection.execute(
            text("SELECT c.id, v.key FROM change_set c JOIN volume v ON v.id = c.volume")
        )
        every = sorted(rows.all(), reverse=True)
    assert {key for _, key in every} == {"guide", "parts", "notes"}
    for actor, sees in (
        (people["wenna"], "guide parts notes"),
        (people["piet"], "guide parts"),
        (NOBODY, "guide parts"),
    ):
        told = [row.act.id for row in changes(app, actor, Asked(), folded=False).rows]
        assert told == [id_ for id_, key in every if key in sees.split()]


@pytest.mark.parametrize(
    ("asked", "expected"),
    [
        (Asked(by="piet"), ["more of it", "Seal checked"]),
        (Asked(by="@piet"), ["more of it", "Seal checked"]),
        (Asked(by="Piet", volume="guide", page="pump"), ["Seal checked"]),
        (Asked(words="SEAL"), ["Seal checked"]),
        (Asked(words="try", by="wenna"), ["try 4", "try 3", "try 2", "try 1"]),
        (Asked(words="try", until=date(2026, 3, 1)), []),
        (Asked(words="of it", since=date(2026, 3, 3), until=date(2026, 3, 3)), ["more of it"]),
        (Asked(words="%"), []),
        (Asked(by="nobody of that name"), []),
        (Asked(by="\x00"), []),
    ],
)
def test_changes_are_found_by_person_words_and_time(
    app: AppContext, people: dict[str, Actor], asked: Asked, expected: list[str]
) -> None:
    assert _notes(app, people["wenna"], asked) == expected


@pytest.mark.parametrize(
    ("asked", "expected"),
    [
        (Asked(volume="guide", page="Well"), ["Well", "Well"]),
        (Asked(page="pump", kind="create"), ["Pump", "Pump"]),
        (Asked(volume="guide", page="pump", below=True, kind="create"), ["Well", "Pump"]),
        (Asked(volume="guide", category="wet", kind="create"), ["Pump"]),
        (Asked(volume="guide", category="wet", page="well"), []),
        (Asked(volume="guide", page="no such page"), []),
        (Asked(kind="rename"), ["Hidden thing"]),
        (Asked(volume="guide", kind="rename"), []),
    ],
)
def test_changes_are_found_by_page_branch_category_and_kind(
    app: AppContext, people: dict[str, Actor], asked: Asked, expected: list[str]
) -> None:
    assert _titles(app, people["wenna"], asked) == expected


def test_a_page_is_found_by_a_name_that_it_had(app: AppContext, people: dict[str, Actor]) -> None:
    doing.apply(app, people["wenna"], requests.Rename("guide", "mast", "Pole"), None)
    assert _titles(app, people["wenna"], Asked(volume="guide", page="mast")) == ["Pole", "Pole"]


def test_the_saves_of_one_sitting_stand_in_one_row(app: AppContext, people: dict[str, Actor]) -> None:
    view = changes(app, people["wenna"], Asked(volume="guide", page="pump", kind="edit"))
    rows = [(row.act.author, len(row.earlier), row.first, row.last) for row in view.rows]
    # Somebody else saved between, or half an hour went by.
    assert rows == [("Wenna", 0, 6, 7), ("Piet", 0, 5, 6), ("Wenna", 0, 4, 5), ("Wenna", 2, 1, 4)]
    assert [act.note for act in view.rows[-1].earlier] == ["try 2", "try 1"]


def test_a_closed_volume_is_found_by_nothing(app: AppContext, people: dict[str, Actor]) -> None:
    asked = [Asked(words="secret"), Asked(words="hidden"), Asked(page="secret thing"), Asked(kind="rename")]
    for actor in (people["piet"], NOBODY):
        for each in asked:
            assert changes(app, actor, each).rows == ()
        with pytest.raises(Missing):
            changes(app, actor, Asked(volume="notes"))
    assert _titles(app, people["wenna"], Asked(words="hidden")) == ["Hidden thing"]
    assert _notes(app, people["wenna"], Asked(words="hidden")) == ["a hidden hint"]


def test_a_handle_finds_its_person_only_for_whom_they_share_a_volume_with(
    app: AppContext, people: dict[str, Actor]
) -> None:
    with writing_transaction(app.engine) as connection:
        connection.execute(text("UPDATE person SET name = 'Piet Holm' WHERE handle = 'piet'"))
    asked = {by: Asked(by=by, volume="guide", page="well", kind="edit") for by in ("piet", "piet holm")}
    colleague = person(app, "ada", guide=Role.READER)
    stranger = person(app, "jonas", parts=Role.READER)
    for actor, by, finds in (
        (colleague, "piet", True),
        (stranger, "piet", False),
        (NOBODY, "piet", False),
        (stranger, "piet holm", True),  # the name stands beside what he wrote
    ):
        assert bool(changes(app, actor, asked[by]).rows) == finds


def test_a_list_goes_on_where_it_ended_and_each_act_comes_once(
    app: AppContext, people: dict[str, Actor], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(log, "PAGE", 2)
    for asked in (Asked(), Asked(by="wenna"), Asked(volume="guide", page="pump"), Asked(words="try")):
        for folded in (True, False):
            seen: list[int] = []
            before = None
            for _ in range(20):
                view = changes(app, people["wenna"], asked, before, folded=folded)
                seen += [act.id for row in view.rows for act in (row.act, *row.earlier)]
                before = view.more_before
                if before is None:
                    break
            monkeypatch.setattr(log, "PAGE", 100)
            whole = changes(app, people["wenna"], asked, folded=False)
            monkeypatch.setattr(log, "PAGE", 2)
            assert sorted(seen, reverse=True) == [row.act.id for row in whole.rows]
            assert len(set(seen)) == len(seen)


def test_what_fits_seldom_is_looked_for_so_far_and_then_asked_on(
    app: AppContext, people: dict[str, Actor], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(filtered, "LOOKED", 3)
    monkeypatch.setattr(log, "LOOKED", 3)
    monkeypatch.setattr(log, "ROUNDS", 2)
    view = changes(app, people["wenna"], Asked(kind="contents"))
    assert view.rows == () and view.far and view.more_before is not None
    for _ in range(10):
        view = changes(app, people["wenna"], Asked(kind="contents"), view.more_before)
        if view.rows:
            break
    assert len(view.rows) == 1
    asked = statements(app, lambda: changes(app, people["wenna"], Asked(words="nowhere said")))
    assert len(asked) < 20


def test_what_is_gone_is_called_by_its_name_to_who_may_read_it(
    app: AppContext, people: dict[str, Actor]
) -> None:
    wenna = people["wenna"]
    doing.apply(app, wenna, requests.Delete("guide", "mast"), None)
    doing.apply(app, wenna, requests.Merge("guide", "well", into="Pump"), None)
    doing.apply(app, wenna, requests.Delete("notes", "hidden thing"), None)
    rows = {row.act.act: (row.gone, row.lies) for row in changes(app, wenna, Asked(), folded=False).rows[:2]}
    assert rows == {"delete": ("Hidden thing", True), "merge": ("Well", False)}
    seen = changes(app, NOBODY, Asked(volume="guide"), folded=False).rows
    assert {row.gone for row in seen} == {"", "Mast", "Well"}
    assert "idden" not in repr(changes(app, NOBODY, Asked()))


def test_nothing_is_passed_over_where_few_acts_of_other_volumes_reach_in(
    app: AppContext, people: dict[str, Actor], monkeypatch: pytest.MonkeyPatch
) -> None:
    wenna = people["wenna"]
    pages(app, wenna, "parts", {"Early": "x"})
    doing.apply(app, wenna, requests.Move("parts", "Early", "guide"), None)
    for revision in range(1, 9):
        save(
            app, wenna, Save("guide", "Mast", f"text {revision}", revision=revision, note=f"turn {revision}")
        )
    asked = [Asked(volume="guide"), Asked(volume="guide", kind="edit"), Asked(volume="guide", words="try")]
    asked += [
        Asked(volume="guide", words="turn 1"),
        Asked(volume="guide", page="pump"),
        Asked(volume="guide", page="early"),
        Asked(by="wenna"),
    ]
    wholes = [[row.act.id for row in changes(app, wenna, each, folded=False).rows] for each in asked]
    for looked in (1, 2, 3):
        monkeypatch.setattr(filtered, "LOOKED", looked)
        monkeypatch.setattr(log, "LOOKED", looked)
        for each, whole in zip(asked, wholes, strict=True):
            seen: list[int] = []
            before: int | None = 2**62
            while before is not None:
                view = changes(app, wenna, each, before, folded=False)
                seen += [row.act.id for row in view.rows]
                before = view.more_before
            assert seen == whole, (looked, each)
