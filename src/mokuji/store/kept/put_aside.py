"""Findings that somebody put aside: they are not to be mended, for a reason."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.statements import among, among_texts, value
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
        table.c.volume,
        table.c.what,
        table.c.page,
        table.c.involved,
        table.c.title,
        table.c.reason,
        people.c.name,
        table.c.at,
    )
    .select_from(table.outerjoin(people, people.c.id == table.c.person))
    .where(among(table.c.volume, "volumes"), table.c.report == value("report"))
    .order_by(table.c.at, table.c.what)
)
KNOWN = select(table.c.volume, table.c.report, table.c.what).where(among(table.c.volume, "volumes"))
_PUT = insert_or_else(table)
_PUT = _PUT.on_conflict_do_update(
    index_elements=["volume", "report", "what"],
    set_={name: _PUT.excluded[name] for name in ("reason", "person", "at")},
)
_TAKE_BACK = delete(table).where(
    table.c.volume == value("volume"), table.c.report == value("report"), among_texts(table.c.what, "what")
)


def of_report(connection: Connection, volumes: Collection[int], report: str) -> dict[int, list[Aside]]:
    """What was put aside in a report of some volumes, by volume, the oldest first."""
    found: dict[int, list[Aside]] = {volume: [] for volume in volumes}
    rows = connection.execute(OF_REPORT, {"volumes": volumes, "report": report})
    for volume, what, page, involved, title, reason, name, at in rows:
        found[volume].append(Aside(what, page, frozenset(involved), title, reason, name or "", at))
    return found


def known(connection: Connection, volumes: Collection[int]) -> dict[int, dict[str, set[str]]]:
    """What was put aside in all reports of some volumes, by volume and report."""
    found: dict[int, dict[str, set[str]]] = {volume: {} for volume in volumes}
    for volume, report, what in connection.execute(KNOWN, {"volumes": volumes}):
        found[volume].setdefault(report, set()).add(what)
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
    if rows:
        connection.execute(_PUT, rows)


def take_back(connection: Connection, volume: int, report: str, what: Collection[str]) -> None:
    """Lets findings be listed again."""
    connection.execute(_TAKE_BACK, {"volume": volume, "report": report, "what": what})
