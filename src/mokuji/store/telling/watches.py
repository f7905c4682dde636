"""What people asked to be told of, and whom of them a change concerns."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import (
    BigInteger,
    Connection,
    Integer,
    and_,
    cast,
    delete,
    func,
    or_,
    select,
    union,
    union_all,
    update,
)
from sqlalchemy.dialects.postgresql import aggregate_order_by
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.telling.watching import Watching
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import (
    change_set,
    contents,
    kept_question,
    muted,
    page,
    person,
    revision,
    telling,
    trash,
)
from mokuji.store.tables import watch as watches

MOST = 1_000
"""Maximum number of things that one person asks to be told of."""
UP = 100
"""Maximum number of levels of the contents."""


@dataclass(frozen=True, slots=True)
class Watch:
    """Something that somebody asked to be told of; what it is not about is None."""

    id: int
    kind: Watching
    volume: int | None = None
    page: int | None = None
    key: str | None = None
    question: int | None = None


_OWN = watches.c.person == value("reader")
_columns = (
    watches.c.id,
    watches.c.kind,
    watches.c.volume,
    watches.c.page,
    watches.c.key,
    watches.c.question,
)
OF_PERSON = select(*_columns).where(_OWN).order_by(watches.c.kind, watches.c.id).limit(fixed(MOST))
NUMBER = select(func.count()).where(_OWN)
_ADD = insert_or_else(watches).on_conflict_do_nothing()
_DROP = delete(watches).where(_OWN, watches.c.id == value("number"))
_MUTE = insert_or_else(muted).on_conflict_do_nothing()
_UNMUTE = delete(muted).where(muted.c.person == value("reader"), muted.c.page == value("about"))
MUTED = (
    select(muted.c.page).where(muted.c.person == value("reader")).order_by(muted.c.page).limit(fixed(MOST))
)


def of_person(connection: Connection, reader: int) -> list[Watch]:
    """All that somebody asked to be told of."""
    rows = connection.execute(OF_PERSON, {"reader": reader})
    return [Watch(row[0], Watching(row[1]), *row[2:]) for row in rows]


def number_of(connection: Connection, reader: int) -> int:
    """How much that is."""
    return connection.execute(NUMBER, {"reader": reader}).scalar_one()


def add(connection: Connection, reader: int, wanted: Watch) -> None:
    """Tells somebody of something from now on; its id is not looked at."""
    about = {"volume": wanted.volume, "page": wanted.page, "key": wanted.key, "question": wanted.question}
    connection.execute(_ADD, {"person": reader, "kind": int(wanted.kind), **about})


def drop(connection: Connection, reader: int, number: int) -> None:
    """Tells somebody no longer of something."""
    connection.execute(_DROP, {"reader": reader, "number": number})


def muted_of(connection: Connection, reader: int) -> list[int]:
    """The pages of which somebody wants to hear nothing."""
    return list(connection.execute(MUTED, {"reader": reader}).scalars())


def mute(connection: Connection, reader: int, about: int, *, on: bool) -> None:
    """Lets somebody hear nothing of a page any more, or again."""
    if on:
        connection.execute(_MUTE, {"person": reader, "page": about})
    else:
        connection.execute(_UNMUTE, {"reader": reader, "about": about})


_follows = watches.alias("other")
_FOLLOW = (
    update(watches)
    .where(
        watches.c.kind == fixed(Watching.CATEGORY),
        watches.c.volume == value("home"),
        watches.c.key == value("old"),
        ~select(fixed(1))
        .where(
            _follows.c.person == watches.c.person,
            _follows.c.kind == watches.c.kind,
            _follows.c.volume == watches.c.volume,
            _follows.c.key == value("new"),
        )
        .exists(),
    )
    .values(key=value("new"))
)
_FORGET = delete(watches).where(watches.c.person == value("reader"), among(watches.c.id, "ids"))


def follow_category(connection: Connection, volume: int, old: str, new: str) -> None:
    """Tells whoever is told of a category of it still, once it has another name."""
    connection.execute(_FOLLOW, {"home": volume, "old": old, "new": new})


def drop_some(connection: Connection, reader: int, ids: Collection[int]) -> None:
    """Tells somebody no longer of some of what they asked for."""
    connection.execute(_FORGET, {"reader": reader, "ids": ids})


# ---- whom a change concerns -------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Touched:
    """A page that a change set wrote or put into the trash: where it is now, and its key there; in the trash it has
    none."""

    page: int
    volume: int
    key: str


_written = select(revision.c.page).where(revision.c.change_set == value("act"))
_about = select(change_set.c.page).where(change_set.c.id == value("act"), change_set.c.page.is_not(None))
_pages = union(_written, _about).subquery("w")
_there = select(page.c.id, page.c.volume, page.c.key).join(_pages, _pages.c.page == page.c.id)
_thrown = select(trash.c.page, trash.c.volume, cast("", page.c.key.type)).where(
    trash.c.change_set == value("act")
)
TOUCHED = union_all(_there, _thrown)


def touched(connection: Connection, act: int) -> list[Touched]:
    """The pages that a change set wrote, is about, or put into the trash."""
    return [Touched(*row) for row in connection.execute(TOUCHED, {"act": act})]


@dataclass(frozen=True, slots=True)
class Concerned:
    """Somebody whom a change concerns: through what they asked for (0: pages that they wrote themselves), by which
    pages."""

    person: int
    watch: int
    kind: int | None
    pages: Sequence[int]


_given = (
    func.unnest(numbers("pages"), numbers("homes"), texts("keys"))
    .table_valued("page", "home", "key")
    .render_derived("w")
)
_t = select(
    cast(_given.c.page, BigInteger).label("page"),
    cast(_given.c.home, Integer).label("home"),
    _given.c.key.collate("C").label("key"),
).cte("t")
_up = (
    select(_t.c.page, contents.c.id, contents.c.parent, fixed(0).label("step"))
    .join(contents, and_(contents.c.volume == _t.c.home, contents.c.key == _t.c.key))
    .cte("up", recursive=True)
)
_next = contents.alias("above")
_up = _up.union_all(
    select(_up.c.page, _next.c.id, _next.c.parent, _up.c.step + fixed(1))
    .join(_next, _next.c.id == _up.c.parent)
    .where(_up.c.step < fixed(UP))
)
_entry = contents.alias("entry")
_above = (
    select(_up.c.page, page.c.id.label("above"))
    .join(_entry, _entry.c.id == _up.c.id)
    .join(page, and_(page.c.volume == _entry.c.volume, page.c.key == _entry.c.key))
    .where(_up.c.step > fixed(0))
)
_one = select(watches.c.person, watches.c.id.label("watch"), watches.c.kind, _t.c.page).join(
    _t, _t.c.page == watches.c.page
)
_below = _above.subquery("below")
_branch = (
    select(watches.c.person, watches.c.id, watches.c.kind, _below.c.page)
    .join(_below, _below.c.above == watches.c.page)
    .where(watches.c.kind == fixed(Watching.BRANCH))
)
_volume = (
    select(watches.c.person, watches.c.id, watches.c.kind, _t.c.page)
    .join(_t, _t.c.home == watches.c.volume)
    .where(watches.c.kind == fixed(Watching.VOLUME))
)
_own = (
    select(telling.c.person, fixed(0), cast(None, Integer), _t.c.page)
    .join(revision, revision.c.page == _t.c.page)
    .join(telling, and_(telling.c.person == revision.c.author, telling.c.own))
    .distinct()
)
_all = union_all(_one, _branch, _volume, _own).subquery("found")
_muted = select(muted.c.person, muted.c.page).where(among(muted.c.page, "pages")).cte("quiet")
_is_muted = select(fixed(1)).where(_muted.c.person == _all.c.person, _muted.c.page == _all.c.page).exists()
CONCERNED = (
    select(
        _all.c.person,
        _all.c.watch,
        _all.c.kind,
        func.array_agg(aggregate_order_by(_all.c.page, _all.c.page)).label("pages"),
    )
    .join(person, and_(person.c.id == _all.c.person, person.c.closed.is_(None)))
    .where(~_is_muted)
    .group_by(_all.c.person, _all.c.watch, _all.c.kind)
)
OF_VOLUME = (
    select(watches.c.person, watches.c.id)
    .join(person, and_(person.c.id == watches.c.person, person.c.closed.is_(None)))
    .where(watches.c.kind == fixed(Watching.VOLUME), among(watches.c.volume, "homes"))
)


def concerned(connection: Connection, found: Collection[Touched]) -> list[Concerned]:
    """Whom a change of some pages concerns by the pages, what stands above them, their volumes, or since they wrote
    there; without the pages that they muted."""
    values = {
        "pages": [each.page for each in found],
        "homes": [each.volume for each in found],
        "keys": [each.key for each in found],
    }
    return [Concerned(*row) for row in connection.execute(CONCERNED, values)] if found else []


def of_volume(connection: Connection, volumes: Collection[int]) -> list[tuple[int, int]]:
    """Who asked to be told of some volumes: person and watch."""
    return [(row[0], row[1]) for row in connection.execute(OF_VOLUME, {"homes": volumes})]


@dataclass(frozen=True, slots=True)
class Asking:
    """Somebody who asked for what has to be looked up: a category (``key`` of ``volume``), or a question (``line``,
    asked of ``volume``, None: of all)."""

    person: int
    watch: int
    kind: Watching
    volume: int | None
    key: str
    line: str


_asking = (
    select(
        watches.c.person,
        watches.c.id,
        watches.c.kind,
        func.coalesce(watches.c.volume, kept_question.c.volume),
        func.coalesce(watches.c.key, cast("", watches.c.key.type)),
        func.coalesce(kept_question.c.line, cast("", kept_question.c.line.type)),
    )
    .select_from(watches.outerjoin(kept_question, kept_question.c.id == watches.c.question))
    .join(person, and_(person.c.id == watches.c.person, person.c.closed.is_(None)))
)
ASKING = union_all(
    _asking.where(watches.c.kind == fixed(Watching.CATEGORY), among(watches.c.volume, "homes")),
    _asking.where(
        watches.c.question.is_not(None),
        or_(kept_question.c.volume.is_(None), among(kept_question.c.volume, "homes")),
    ),
)


def asking(connection: Connection, volumes: Collection[int]) -> list[Asking]:
    """Who asked to be told of categories of some volumes, or of what answers a question of these."""
    rows = connection.execute(ASKING, {"homes": volumes})
    return [Asking(row[0], row[1], Watching(row[2]), row[3], row[4] or "", row[5] or "") for row in rows]


ANY_QUESTIONS = select(select(fixed(1)).where(watches.c.question.is_not(None)).exists())


def any_questions(connection: Connection) -> bool:
    """Whether anybody is told of what answers a question."""
    return bool(connection.execute(ANY_QUESTIONS).scalar_one())


PEOPLE = select(person.c.handle, person.c.id).where(
    func.lower(person.c.handle).collate("C") == func.any(texts("handles")), person.c.closed.is_(None)
)
MUTED_BY = select(muted.c.person, muted.c.page).where(
    among(muted.c.person, "people"), among(muted.c.page, "pages")
)


def people(connection: Connection, handles: Collection[str]) -> dict[str, int]:
    """The people who have some handles now, by these in small letters."""
    rows = connection.execute(PEOPLE, {"handles": handles}) if handles else ()
    return {handle.casefold(): id_ for handle, id_ in rows}


def muted_by(connection: Connection, people: Collection[int], pages: Collection[int]) -> set[tuple[int, int]]:
    """Which of some people muted which of some pages."""
    rows = connection.execute(MUTED_BY, {"people": people, "pages": pages})
    return {(row[0], row[1]) for row in rows}
