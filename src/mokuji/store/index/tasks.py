"""Tasks as they are kept: where each stands, and what it says of itself besides its words."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    ARRAY,
    BigInteger,
    ColumnElement,
    Connection,
    Date,
    Text,
    UnaryExpression,
    and_,
    any_,
    bindparam,
    func,
    literal_column,
    null,
    or_,
    select,
    type_coerce,
)

from mokuji.core.model.categories import Filing
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import filing, page, task


@dataclass(frozen=True, slots=True)
class StoredTask:
    """A task of a page by its number there; ``category`` is one that its page is filed under, where it is asked for."""

    page: int
    number: int
    done: bool
    priority: str
    due: date | None
    people: tuple[str, ...]
    changed: datetime
    category: str | None = None


_by_date = (task.c.due.nulls_last(), task.c.priority == "", task.c.priority)
_by_priority = (task.c.priority == "", task.c.priority, task.c.due.nulls_last())
_by_place = (page.c.volume, page.c.key, task.c.number)
_first_person = type_coerce(task.c.people, ARRAY(Text))[1]
ORDERS: dict[str, tuple[ColumnElement[Any] | UnaryExpression[Any], ...]] = {
    "date": (*_by_date, *_by_place),
    "priority": (*_by_priority, *_by_place),
    "person": (_first_person.nulls_last(), *_by_date, *_by_place),
    "page": _by_place,
    "category": (filing.c.key.nulls_last(), *_by_date, *_by_place),
}
"""In what order tasks are gathered, by what they are grouped by."""


_of_page = task.c.page == page.c.id
_volumes = among(page.c.volume, "volumes")
_person = bindparam("person", type_=Text())
_theirs = or_(_person == "", _person == any_(task.c.people))
_page = bindparam("page", type_=BigInteger())
_filed = bindparam("filed", type_=Text())
_day = bindparam("day", type_=Date())
_UNDER = (fixed(Filing.PAGE), fixed(Filing.MARK))
_filing = filing.alias("g")
_under = select(fixed(1)).where(
    _filing.c.page == task.c.page, _filing.c.key == _filed, _filing.c.how.in_(_UNDER)
)
_wanted = (
    _of_page,
    _volumes,
    task.c.done == value("done"),
    _theirs,
    or_(_page == 0, task.c.page == _page),
    or_(_filed == "", _under.exists()),
    or_(_day.is_(None), task.c.due == _day),
)
_stored = (
    task.c.page,
    task.c.number,
    task.c.done,
    task.c.priority,
    task.c.due,
    task.c.people,
    page.c.changed,
)
_some = select(*_stored, null().label("category")).where(*_wanted)
_by_category = (
    select(*_stored, filing.c.name)
    .select_from(task)
    .join(page, _of_page)
    .where(*_wanted)
    .outerjoin(
        filing,
        and_(filing.c.page == task.c.page, filing.c.how.in_(_UNDER), filing.c.key != literal_column("''")),
    )
)
GATHER = {
    order: (_by_category if order == "category" else _some)
    .order_by(*columns)
    .limit(value("most"))
    .offset(value("skipped"))
    for order, columns in ORDERS.items()
}
COUNT = select(func.count()).select_from(task).where(*_wanted)
DAYS = (
    select(task.c.due, func.count())
    .where(_of_page, _volumes, ~task.c.done, task.c.due < value("until"), _theirs)
    .group_by(task.c.due)
    .order_by(task.c.due)
)
_handle = func.unnest(task.c.people, type_=Text()).label("handle")
PEOPLE = (
    select(_handle).distinct().where(_of_page, _volumes, ~task.c.done).order_by(_handle).limit(value("most"))
)


_named = (
    select(_handle)
    .select_from(task)
    .where(_of_page, page.c.volume == value("volume"), ~task.c.done)
    .subquery()
)
NAMED_IN = (
    select(_named.c.handle, func.count())
    .group_by(_named.c.handle)
    .order_by(_named.c.handle)
    .limit(value("most"))
)


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which tasks are asked for: of whom, of which page (0: all), filed under which key, for which day, done or not."""

    person: str = ""
    page: int = 0
    filed: str = ""
    day: date | None = None
    done: bool = False


def _values(volumes: Collection[int], wanted: Wanted) -> dict[str, object]:
    return {
        "volumes": volumes,
        "person": wanted.person,
        "page": wanted.page,
        "filed": wanted.filed,
        "day": wanted.day,
        "done": wanted.done,
    }


def gather(
    connection: Connection, volumes: Collection[int], wanted: Wanted, order: str, *, skipped: int, most: int
) -> list[StoredTask]:
    """Tasks of some volumes in an order of ``ORDERS``."""
    values = {**_values(volumes, wanted), "skipped": skipped, "most": most}
    return [
        StoredTask(id_, number, done, priority, due, tuple(people), changed, category)
        for id_, number, done, priority, due, people, changed, category in connection.execute(
            GATHER[order], values
        )
    ]


def count(connection: Connection, volumes: Collection[int], wanted: Wanted) -> int:
    """How many there are."""
    return connection.execute(COUNT, _values(volumes, wanted)).scalar_one()


def days(connection: Connection, volumes: Collection[int], person: str, until: date) -> dict[date, int]:
    """How many open tasks are due on each day before one."""
    values = {"volumes": volumes, "person": person, "until": until}
    return {due: number for due, number in connection.execute(DAYS, values) if due is not None}


def named_in(connection: Connection, volume: int, most: int) -> list[tuple[str, int]]:
    """The handles that open tasks of a volume name, and how many do."""
    rows = connection.execute(NAMED_IN, {"volume": volume, "most": most})
    return [(handle, number) for handle, number in rows]


def people(connection: Connection, volumes: Collection[int], most: int) -> list[str]:
    """The handles that open tasks of some volumes name."""
    return list(connection.execute(PEOPLE, {"volumes": volumes, "most": most}).scalars())
