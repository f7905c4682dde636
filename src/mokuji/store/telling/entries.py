"""What people were told: queued with each act, written by who tells, read as far as they may read it now."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Connection,
    Row,
    Subquery,
    and_,
    any_,
    delete,
    func,
    or_,
    select,
    true,
    update,
)
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.telling.watching import State, Why
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import membership, page, person, task, told, trash, untold, volume

COUNTED = 100
"""Up to so many unread are counted."""
PAGES = 300
"""Maximum number of pages that are kept of one act."""

_taken = select(untold.c.change_set).order_by(untold.c.change_set).limit(value("most"))
TAKE = (
    delete(untold)
    .where(untold.c.change_set.in_(_taken.with_for_update(skip_locked=True)))
    .returning(untold.c.change_set)
)
WAITING = select(select(fixed(1)).select_from(untold).exists())


def waiting(connection: Connection) -> bool:
    """Whether there are acts of which nobody was told yet."""
    return bool(connection.execute(WAITING).scalar_one())


def take(connection: Connection, most: int) -> list[int]:
    """Takes some acts, the oldest first, of which people are to be told by this transaction."""
    return sorted(connection.execute(TAKE, {"most": most}).scalars())


@dataclass(frozen=True, slots=True)
class New:
    """Something to tell somebody of: an act, or a task that is due on a day."""

    person: int
    change_set: int | None
    due: date | None
    at: datetime
    pages: Sequence[int]
    volume: int | None
    why: Why
    watch: int | None = None


_ADD = insert_or_else(told).on_conflict_do_nothing().returning(told.c.id, told.c.person)


def add(connection: Connection, new: Collection[New]) -> list[tuple[int, int]]:
    """Tells people, of each act and each due task once; the ids of what is new, each with its person."""
    rows = [
        {
            "person": each.person,
            "change_set": each.change_set,
            "due": each.due,
            "at": each.at,
            "pages": list(each.pages[:PAGES]),
            "volume": each.volume,
            "why": int(each.why),
            "watch": each.watch,
        }
        for each in new
    ]
    return [(row[0], row[1]) for row in connection.execute(_ADD, rows)] if rows else []


# ---- what somebody may still see of it ------------------------------------------------------------


def _seen(
    volumes: ColumnElement[bool], of_trash: ColumnElement[bool], own: ColumnElement[bool]
) -> ColumnElement[bool]:
    """Whether a page of it, or the volume that it is about, may be read, by what volumes these conditions take."""
    return or_(
        select(fixed(1)).where(page.c.id == any_(told.c.pages), volumes).correlate_except(page).exists(),
        select(fixed(1)).where(trash.c.page == any_(told.c.pages), of_trash).correlate_except(trash).exists(),
        and_(func.cardinality(told.c.pages) == fixed(0), own),
    )


_readable = _seen(
    among(page.c.volume, "volumes"), among(trash.c.volume, "volumes"), among(told.c.volume, "volumes")
)
_own = told.c.person == value("reader")


@dataclass(frozen=True, slots=True)
class Told:
    """Something that somebody was told, as it is kept."""

    id: int
    change_set: int | None
    due: date | None
    at: datetime
    pages: Sequence[int]
    volume: int | None
    why: Why
    watch: int | None
    state: State


_columns = (
    told.c.id,
    told.c.change_set,
    told.c.due,
    told.c.at,
    told.c.pages,
    told.c.volume,
    told.c.why,
    told.c.watch,
    told.c.state,
)
LISTED = (
    select(*_columns)
    .where(_own, told.c.state == value("state"), told.c.id < value("before"), _readable)
    .order_by(told.c.id.desc())
    .limit(value("most"))
)
SOME = select(*_columns).where(_own, among(told.c.id, "ids"), _readable).order_by(told.c.id.desc())
# In an order, so that the index of a person's own is gone through: from the table itself, the rows of all others would
# be passed over first.
_few = (
    select(told.c.id)
    .where(_own, told.c.state == fixed(State.UNREAD), _readable)
    .order_by(told.c.id.desc())
    .limit(fixed(COUNTED))
)
UNREAD = select(func.count()).select_from(_few.subquery())
_MARK = update(told).where(_own, among(told.c.id, "ids")).values(state=value("becomes"))
_MARK_ALL = (
    update(told)
    .where(_own, told.c.state == fixed(State.UNREAD), told.c.id <= value("newest"))
    .values(state=fixed(State.READ))
)
_FORGET = delete(told).where(told.c.at < value("before"))


def _told(rows: Iterable[Row[*tuple[Any, ...]]]) -> list[Told]:
    return [
        Told(
            row.id,
            row.change_set,
            row.due,
            row.at,
            row.pages,
            row.volume,
            Why(row.why),
            row.watch,
            State(row.state),
        )
        for row in rows
    ]


def listed(
    connection: Connection, reader: int, volumes: Collection[int], state: State, *, before: int, most: int
) -> list[Told]:
    """What somebody was told and may see, the newest first."""
    values = {"reader": reader, "volumes": volumes, "state": int(state), "before": before, "most": most}
    return _told(connection.execute(LISTED, values))


def some(connection: Connection, reader: int, volumes: Collection[int], ids: Collection[int]) -> list[Told]:
    """Some of what somebody was told, as far as they may see it."""
    values = {"reader": reader, "volumes": volumes, "ids": ids}
    return _told(connection.execute(SOME, values))


def unread(connection: Connection, reader: int, volumes: Collection[int]) -> int:
    """How much somebody was told that they did not read yet, up to ``COUNTED``."""
    return connection.execute(UNREAD, {"reader": reader, "volumes": volumes}).scalar_one()


def mark(connection: Connection, reader: int, ids: Collection[int], state: State) -> None:
    """Says of some of what somebody was told what became of it."""
    connection.execute(_MARK, {"reader": reader, "ids": ids, "becomes": int(state)})


def mark_all(connection: Connection, reader: int, newest: int) -> None:
    """All that somebody was told up to one is read."""
    connection.execute(_MARK_ALL, {"reader": reader, "newest": newest})


def forget(connection: Connection, before: datetime) -> None:
    """Lets what people were told before a moment go."""
    connection.execute(_FORGET, {"before": before})


# ---- the number beside the inbox, by the session that asks ----------------------------------------


def unread_of(who: Subquery) -> ColumnElement[int]:
    """The same number for whoever a session belongs to, whose id and whether they own the wiki ``who`` gives: part of
    another statement, asked once."""
    session_person, owns_wiki = who.c.id, who.c.owns_wiki
    role = (
        select(fixed(1))
        .where(
            membership.c.person == session_person,
            membership.c.volume == volume.c.id,
            membership.c.role > fixed(0),
        )
        .correlate_except(membership)
    )
    readable = (
        select(volume.c.id)
        .where(volume.c.deleted_by.is_(None), or_(~volume.c.closed, owns_wiki, role.exists()))
        .correlate_except(volume)
    )
    shown = _seen(page.c.volume.in_(readable), trash.c.volume.in_(readable), told.c.volume.in_(readable))
    few = (
        select(told.c.id)
        .where(told.c.person == session_person, told.c.state == fixed(State.UNREAD), shown)
        .order_by(told.c.id.desc())
        .limit(fixed(COUNTED))
        .correlate_except(told)
    )
    return select(func.count()).select_from(who.join(few.lateral(), true())).scalar_subquery()


# ---- tasks that are due ---------------------------------------------------------------------------

_named = func.unnest(task.c.people).table_valued("handle").render_derived("n")
DUE = (
    select(task.c.page, task.c.due, person.c.id)
    .select_from(task)
    .join(_named, true())
    .join(person, and_(func.lower(person.c.handle) == func.lower(_named.c.handle), person.c.closed.is_(None)))
    .where(~task.c.done, task.c.due.between(value("since"), value("until")))
    .distinct()
    .order_by(task.c.due, task.c.page, person.c.id)
    .limit(value("most"))
)


def due(connection: Connection, since: date, until: date, most: int) -> list[tuple[int, date, int]]:
    """Open tasks that are due in some days and name somebody: page, day, person."""
    rows = connection.execute(DUE, {"since": since, "until": until, "most": most})
    return [(row[0], row[1], row[2]) for row in rows if row[1] is not None]
