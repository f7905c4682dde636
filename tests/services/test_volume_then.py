"""A volume as it stood at any change, and what became of it between two."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import BadRequest, Missing, MokujiError
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back.volume_then import as_it_stood, between, changed_words
from mokuji.services.writing.writing import Save, save
from mokuji.store.database import reading
from mokuji.store.log import rewound
from mokuji.store.places import placing
from mokuji.store.snapshot import load_volumes
from tests.services.making import pages, person, volume
from tests.services.test_every_act import ACTS, _again
from tests.services.test_every_act import app as app
from tests.services.test_every_act import writer as writer

Shape = dict[int, tuple[list[str], list[tuple[int, str]]]]


def _shape(app: AppContext) -> Shape:
    """The titles of the pages and the contents of each volume."""
    with reading(app.engine) as connection:
        return {
            each.id: (
                sorted(rewound.pages(connection, each.id).values()),
                [(row.depth, row.key) for row in placing.rows(connection, each.id)],
            )
            for each in load_volumes(connection).values()
        }


def _then(app: AppContext, actor: Actor, at: int) -> Shape:
    found: Shape = {}
    with reading(app.engine) as connection:
        volumes = load_volumes(connection)
    for key, each in volumes.items():
        view = as_it_stood(app, actor, key, str(at))
        assert not view.cut
        titles = [page.title for page in (*view.contents, *view.unplaced) if page.revision]
        keys = [page.title for page in view.contents]
        assert len(keys) == len(view.contents)
        found[each.id] = (sorted(titles), [])
    return found


def _number(app: AppContext, actor: Actor, request: requests.Request) -> int | None:
    try:
        done = doing.apply(app, _again(app, actor), request, None)
    except MokujiError:
        return None
    return done.change_set if isinstance(done, doing.Applied) else None


@pytest.mark.parametrize("seed", range(16))
def test_after_any_acts_each_volume_is_told_as_it_stood_after_each(
    app: AppContext, writer: Actor, seed: int
) -> None:
    chance = random.Random(seed)
    stood: dict[int, Shape] = {}
    done: list[int] = []
    for _, make, _ in chance.sample(ACTS, 9):
        request = requests.Undo(done.pop()) if done and chance.random() < 0.35 else make()
        number = _number(app, writer, request)
        if number is not None:
            stood[number] = _shape(app)
            done += [] if isinstance(request, requests.Undo) else [number]
    assert stood
    here = _shape(app).keys()
    reader = _again(app, writer)
    for number, shape in stood.items():
        told = _then(app, reader, number)
        for id_ in here & shape.keys():
            assert told[id_][0] == shape[id_][0], (number, [*stood])


@pytest.mark.parametrize("seed", range(8))
def test_the_contents_are_told_as_they_stood(app: AppContext, writer: Actor, seed: int) -> None:
    chance = random.Random(100 + seed)
    stood: dict[int, list[tuple[int, str]]] = {}
    titles = ["Pump", "Well", "Supply", "New page", "Valve"]
    for nth in range(8):
        rows = chance.sample(titles, 4)
        depths = [0, *(chance.randint(0, 1) for _ in rows[1:])]
        text = "".join(f"{'  ' * depth}- [[{title}]]\n" for depth, title in zip(depths, rows, strict=True))
        request: requests.Request = requests.Contents("guide", text)
        if nth % 3 == 2:
            request = requests.Rename("guide", rows[0], f"{rows[0]} {nth}")
        number = _number(app, writer, request)
        if number is not None:
            view = as_it_stood(app, writer, "guide")
            stood[number] = [(each.depth, each.number) for each in view.contents]
            with reading(app.engine) as connection:
                home = load_volumes(connection)["guide"].id
                assert [row.depth for row in placing.rows(connection, home)] == [d for d, _ in stood[number]]
    assert len(stood) > 3
    for number, shape in stood.items():
        view = as_it_stood(app, writer, "guide", str(number))
        assert [(each.depth, each.number) for each in view.contents] == shape


@pytest.fixture
def told(app: AppContext, writer: Actor) -> tuple[AppContext, Actor, Actor, int]:
    """A volume in which something of each kind happens after a change, whose number comes with it."""
    volume(app, "Log")
    volume(app, "Annex")
    volume(app, "Vault", closed=True)
    owner = person(app, "ada", log=Role.OWNER, annex=Role.OWNER, vault=Role.OWNER)
    reader = person(app, "bo", log=Role.READER)
    pages(app, owner, "log", {name: f"{name} one two" for name in ("A", "B", "C", "D", "E", "Back", "Shut")})
    pages(app, owner, "annex", {"Came": "from the annex"})
    pages(app, owner, "vault", {"Hid": "secret words"})
    _number(app, owner, requests.Contents("log", "- [[A]]\n- [[B]]\n- [[C]]\n- [[D]]\n"))
    doing.apply(app, owner, requests.Delete("log", "Back"), None)
    first = as_number(app)
    save(app, owner, Save("log", "A", "A one three four", revision=1))
    for request in (
        requests.Rename("log", "B", "B2"),
        requests.Delete("log", "C"),
        requests.Move("log", "D", "annex"),
        requests.Move("annex", "Came", "log"),
        requests.Move("log", "Shut", "vault"),
        requests.Move("vault", "Hid", "log"),
        requests.Contents("log", "- [[B2]]\n- [[A]]\n- [[E]]\n"),
        requests.Restore((trashed(app, owner, "Back"),)),
    ):
        doing.apply(app, _again(app, owner), request, None)
    pages(app, owner, "log", {"New": "n"})
    return app, _again(app, owner), _again(app, reader), first


def as_number(app: AppContext) -> int:
    """The number of the newest change."""
    with reading(app.engine) as connection:
        newest = connection.exec_driver_sql("SELECT max(id) FROM change_set").scalar_one()
        assert isinstance(newest, int)
        return newest


def trashed(app: AppContext, actor: Actor, title: str) -> int:
    """The id of a page in the trash."""
    with reading(app.engine) as connection:
        id_ = connection.exec_driver_sql("SELECT page FROM trash WHERE title = %s", (title,)).scalar_one()
        assert isinstance(id_, int)
        return id_


def test_what_became_of_each_page_is_told_to_whoever_may_read_it(
    told: tuple[AppContext, Actor, Actor, int],
) -> None:
    app, owner, reader, first = told
    view = between(app, owner, "log", str(first + 1))
    became = {each.after or each.before: each.kinds for each in view.pages}
    assert became == {
        "A": ("changed",),
        "B2": ("renamed",),
        "C": ("gone",),
        "D": ("moved away",),
        "Came": ("came",),
        "Shut": ("moved away",),
        "Hid": ("came",),
        "Back": ("brought back",),
        "New": ("written",),
    }
    assert view.counts["came"] == 2 and view.number == 9
    assert next(each.words for each in view.pages if each.after == "A") == (1, 2)
    other = {each.after or each.before: each for each in view.pages}
    assert {name: each.other.title for name, each in other.items() if each.other} == {
        "D": "Annex",
        "Came": "Annex",
        "Shut": "Vault",
        "Hid": "Vault",
    }
    assert view.moved == ("A",) or view.moved == ("B2",)
    seen = between(app, reader, "log", str(first + 1))
    assert "ault" not in repr(seen) and "secret" not in repr(seen)
    kinds = {each.after or each.before: each.kinds for each in seen.pages}
    assert "Shut" not in kinds, "its revisions went along to where they may not be read"
    assert kinds["Hid"] == ("came",)
    only = between(app, owner, "log", str(first + 1), only="came")
    assert [each.after for each in only.pages] == ["Came", "Hid"] and only.number == 2


def test_the_two_moments_come_in_any_order_and_as_days_or_numbers(
    told: tuple[AppContext, Actor, Actor, int],
) -> None:
    app, owner, _, first = told
    newest = as_number(app)
    one = between(app, owner, "log", str(first + 1), str(newest))
    other = between(app, owner, "log", str(newest), str(first + 1))
    assert one.pages == other.pages
    tomorrow = f"{(app.clock() + timedelta(days=1)).date()}"
    assert between(app, owner, "log", tomorrow).pages == ()
    assert len(between(app, owner, "log", "2026-01-01").pages) == len(
        as_it_stood(app, owner, "log").contents
    ) + len(as_it_stood(app, owner, "log").unplaced)
    late = replace(app, clock=lambda: datetime(2027, 6, 1, tzinfo=UTC))
    assert between(late, owner, "log").pages == ()


@pytest.mark.parametrize("typed", ["tomorrow", "2026-13-01", "9" * 30, "9999-12-31x", "-4"])
def test_what_is_no_moment_is_said(app: AppContext, writer: Actor, typed: str) -> None:
    with pytest.raises(BadRequest, match="is no moment"):
        between(app, writer, "guide", typed)
    with pytest.raises(BadRequest, match="is no moment"):
        as_it_stood(app, writer, "guide", typed)


def test_a_volume_before_it_was_made_is_empty_and_a_closed_one_is_not_there(
    told: tuple[AppContext, Actor, Actor, int],
) -> None:
    app, owner, reader, _ = told
    view = as_it_stood(app, owner, "log", "1")
    assert (view.contents, view.unplaced) == ((), ())
    for who in (reader, NOBODY):
        with pytest.raises(Missing):
            as_it_stood(app, who, "vault")
        with pytest.raises(Missing):
            between(app, who, "vault")


def test_more_than_is_looked_at_is_said_and_nothing_is_guessed(
    told: tuple[AppContext, Actor, Actor, int], monkeypatch: pytest.MonkeyPatch
) -> None:
    app, owner, _, first = told
    monkeypatch.setattr(rewound, "MOST", 3)
    assert between(app, owner, "log", str(first + 1)).cut
    assert as_it_stood(app, owner, "log", str(first)).cut


def test_words_are_counted_that_differ() -> None:
    assert changed_words("one two three", "one 2 three four") == (1, 2)
    assert changed_words("a\n\nb c\n", "a\n") == (2, 0)
    assert changed_words("same", "same") == (0, 0)
