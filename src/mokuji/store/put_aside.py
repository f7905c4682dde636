"""Findings that somebody put aside: they are not to be mended, for a reason."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, bindparam, delete, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.tables import person as people
from mokuji.store.tables import put_aside as table


@dataclass(frozen=True, slots=True)
class Aside:
    """A finding that was put aside: ``what`` names it in its report, ``title`` says it in words, ``volumes`` are those
    that must be readable for whoever is told of it."""

    what: str
    page: int | None
    volumes: Collection[int]
    title: str
    reason: str
    person: str
    at: datetime


OF_REPORT = (
    select(
        table.c.what, table.c.page, table.c.involved, table.c.title, table.c.reason, people.c.name, table.c.at
    )
    .select_from(table.outerjoin(people, people.c.id == table.c.person))
    .where(table.c.volume == bindparam("volume"), table.c.report == bindparam("report"))
    .order_by(table.c.at, table.c.what)
)
KNOWN = select(table.c.report, table.c.what).where(table.c.volume == bindparam("volume"))


def of_report(connection: Connection, volume: int, report: str) -> list[Aside]:
    """What was put aside in a report of a volume, the oldest first."""
    rows = connection.execute(OF_REPORT, {"volume": volume, "report": report})
    return [
        Aside(row.what, row.page, frozenset(row.involved), row.title, row.reason, row.name or "", row.at)
        for row in rows
    ]


def known(connection: Connection, volume: int) -> dict[str, set[str]]:
    """What was put aside in all reports of a volume, by report."""
    found: dict[str, set[str]] = {}
    for row in connection.execute(KNOWN, {"volume": volume}):
        found.setdefault(row.report, set()).add(row.what)
    return found


def put(
    connection: Connection, volume: int, report: str, findings: Sequence[Aside], person: int | None
) -> None:
    """Puts findings aside; of those that are so already the reason becomes this one."""
    rows = [
        {
            "volume": volume,
            "report": report,
            "what": each.what,
            "page": each.page,
            "involved": sorted(each.volumes),
            "title": each.title,
            "reason": each.reason,
            "person": person,
            "at": each.at,
        }
        for each in findings
    ]
    statement = insert_or_else(table)
    again = {name: statement.excluded[name] for name in ("reason", "person", "at")}
    if rows:
        connection.execute(
            statement.on_conflict_do_update(index_elements=["volume", "report", "what"], set_=again), rows
        )


def take_back(connection: Connection, volume: int, report: str, what: Collection[str]) -> None:
    """Lets findings be listed again."""
    connection.execute(
        delete(table).where(
            table.c.volume == volume, table.c.report == report, table.c.what.in_(sorted(what))
        )
    )
