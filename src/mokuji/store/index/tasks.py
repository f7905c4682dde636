"""Tasks as they are kept: where each stands, and what it says of itself besides its words."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, datetime

from sqlalchemy import Connection, TextClause, text

ORDERS = {
    "date": "t.due NULLS LAST, t.priority = '', t.priority, p.volume, p.key, t.number",
    "priority": "t.priority = '', t.priority, t.due NULLS LAST, p.volume, p.key, t.number",
    "person": "t.people[1] NULLS LAST, t.due NULLS LAST, t.priority = '', t.priority, p.volume, p.key, t.number",
    "page": "p.volume, p.key, t.number",
    "category": "f.key NULLS LAST, t.due NULLS LAST, t.priority = '', t.priority, p.volume, p.key, t.number",
}
"""In what order tasks are gathered, by what they are grouped by."""


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


_FROM = """FROM task t JOIN page p ON p.id = t.page {category}
    WHERE p.volume = ANY(CAST(:volumes AS int[])) AND t.done = :done
    AND (:person = '' OR CAST(:person AS text) = ANY(t.people))
    AND (CAST(:page AS bigint) = 0 OR t.page = CAST(:page AS bigint))
    AND (CAST(:filed AS text) = '' OR EXISTS (SELECT 1 FROM filing g WHERE g.page = t.page
        AND g.key = CAST(:filed AS text) COLLATE "C" AND g.how IN (0, 1)))
    AND (CAST(:day AS date) IS NULL OR t.due = CAST(:day AS date))"""
_JOINED = "LEFT JOIN filing f ON f.page = t.page AND f.how IN (0, 1) AND f.key <> ''"


def _gather(order: str) -> TextClause:
    category = order == "category"
    joined = _FROM.format(category=_JOINED if category else "")
    named = "f.name" if category else "NULL"
    return text(
        f"""SELECT t.page, t.number, t.done, t.priority, t.due, t.people, p.changed, {named} AS category
        {joined} ORDER BY {ORDERS[order]} LIMIT :most OFFSET :skipped"""
    )


GATHER = {order: _gather(order) for order in ORDERS}
COUNT = text("SELECT count(*) " + _FROM.format(category=""))
DAYS = text(
    """SELECT t.due, count(*) AS number FROM task t JOIN page p ON p.id = t.page
    WHERE NOT t.done AND t.due < :until AND p.volume = ANY(CAST(:volumes AS int[]))
    AND (:person = '' OR CAST(:person AS text) = ANY(t.people)) GROUP BY t.due ORDER BY t.due"""
)
PEOPLE = text(
    """SELECT DISTINCT unnest(t.people) AS handle FROM task t JOIN page p ON p.id = t.page
    WHERE NOT t.done AND p.volume = ANY(CAST(:volumes AS int[])) ORDER BY 1 LIMIT :most"""
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
        "volumes": list(volumes),
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
        StoredTask(r.page, r.number, r.done, r.priority, r.due, tuple(r.people), r.changed, r.category)
        for r in connection.execute(GATHER[order], values)
    ]


def count(connection: Connection, volumes: Collection[int], wanted: Wanted) -> int:
    """How many there are."""
    return int(connection.execute(COUNT, _values(volumes, wanted)).scalar_one())


def days(connection: Connection, volumes: Collection[int], person: str, until: date) -> dict[date, int]:
    """How many open tasks are due on each day before one."""
    values = {"volumes": list(volumes), "person": person, "until": until}
    return {row.due: row.number for row in connection.execute(DAYS, values)}


def people(connection: Connection, volumes: Collection[int], most: int) -> list[str]:
    """The handles that open tasks of some volumes name."""
    return list(connection.execute(PEOPLE, {"volumes": list(volumes), "most": most}).scalars())
