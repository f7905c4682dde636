"""The trash: pages that acts removed, with all that bringing them back needs.

A page in the trash is in no other table but ``revision``, so nothing that
reads pages has to think of it.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text

from mokuji.core.base.errors import Conflict
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Removed
from mokuji.store.change_sets import Signature


@dataclass(frozen=True, slots=True)
class Thrown:
    """A page in the trash, with its last text; ``leads`` are what its references led to (index, page)."""

    head: PageHead
    text: str
    leads: tuple[tuple[int, int], ...]
    successor: int | None
    change_set: int
    at: datetime


def throw_away(connection: Connection, removed: Sequence[Removed], change_set: int, by: Signature) -> None:
    """Moves pages to the trash; Conflict if one of them is no longer as it was seen."""
    if not removed:
        return
    done = connection.execute(
        text(
            """WITH gone AS (DELETE FROM page p USING unnest(CAST(:ids AS bigint[]), CAST(:revisions AS int[]))
                AS w(id, revision) WHERE p.id = w.id AND p.revision = w.revision
                RETURNING p.id, p.volume, p.key, p.title, p.revision)
            INSERT INTO trash (page, volume, key, title, revision, change_set, at)
            SELECT id, volume, key, title, revision, :change_set, :at FROM gone"""
        ),
        {
            "ids": [removed_page.head.id for removed_page in removed],
            "revisions": [removed_page.head.revision for removed_page in removed],
            "change_set": change_set,
            "at": by.at,
        },
    )
    if done.rowcount != len(removed):
        raise Conflict("A page of this plan was changed meanwhile. Look at the new plan.", code="plan_stale")
    connection.execute(
        text(
            """UPDATE trash t SET successor = w.successor, leads = CAST(w.leads AS jsonb)
            FROM unnest(CAST(:ids AS bigint[]), CAST(:successors AS bigint[]), CAST(:leads AS text[]))
                AS w(id, successor, leads) WHERE t.page = w.id"""
        ),
        {
            "ids": [removed_page.head.id for removed_page in removed],
            "successors": [removed_page.successor for removed_page in removed],
            "leads": [json.dumps(removed_page.leads) for removed_page in removed],
        },
    )


def take_out(connection: Connection, page: int, revision: int) -> bool:
    """Takes a page out of the trash; False if it is not there as it was seen."""
    done = connection.execute(
        text("DELETE FROM trash WHERE page = :page AND revision = :revision"),
        {"page": page, "revision": revision},
    )
    return done.rowcount == 1


_THROWN = """SELECT t.page, t.volume, t.key, t.title, t.revision, r.text, t.leads, t.successor, t.change_set, t.at
    FROM trash t JOIN revision r ON r.page = t.page AND r.number = t.revision"""
THROWN_BY = text(f"{_THROWN} WHERE t.change_set = :act ORDER BY t.page")
THROWN = text(f"{_THROWN} WHERE t.page = ANY(:pages) ORDER BY t.page")


def _thrown(row: Any) -> Thrown:
    leads = tuple((index, page) for index, page in row.leads)
    return Thrown(PageHead(*row[:5]), row.text, leads, row.successor, row.change_set, row.at)


def thrown_by(connection: Connection, change_set: int) -> list[Thrown]:
    """What an act put into the trash and is still there."""
    return [_thrown(row) for row in connection.execute(THROWN_BY, {"act": change_set})]


def thrown(connection: Connection, pages: Collection[int]) -> list[Thrown]:
    """Pages in the trash, by id; those that are not there are left out."""
    return [_thrown(row) for row in connection.execute(THROWN, {"pages": list(pages)})]


@dataclass(frozen=True, slots=True)
class InTrash:
    """A page in the trash as listed, and the act that put it there."""

    page: int
    volume: int
    key: str
    title: str
    change_set: int
    act: str
    at: datetime
    author: str
    note: str
    home: int  # the volume in whose log the act stands
    proposed: Sequence[Any] | None


LISTED = text(
    """SELECT t.page, t.volume, t.key, t.title, t.change_set, c.act, t.at, coalesce(w.name, 'Mokuji') AS author,
        c.note, c.volume AS home, c.proposed
    FROM trash t JOIN change_set c ON c.id = t.change_set LEFT JOIN person w ON w.id = c.author
    WHERE t.volume = ANY(:volumes) AND t.successor IS NULL AND t.change_set < :before
    ORDER BY t.change_set DESC, t.key LIMIT :most"""
)


def listed(
    connection: Connection, volumes: Collection[int], *, before: int = 2**62, most: int = 200
) -> list[InTrash]:
    """What lies in the trash of some volumes, by act, newest first; what was merged into another page does not."""
    rows = connection.execute(LISTED, {"volumes": list(volumes), "before": before, "most": most})
    return [InTrash(*row) for row in rows]


def titles_of(connection: Connection, change_set: int, volumes: Collection[int]) -> list[str]:
    """The titles of the pages in the trash that an act put there, of some volumes, in the order of their keys."""
    rows = connection.execute(
        text(
            "SELECT title FROM trash WHERE change_set = :act AND volume = ANY(:volumes) ORDER BY volume, key"
        ),
        {"act": change_set, "volumes": list(volumes)},
    )
    return list(rows.scalars())


def at_name(connection: Connection, volume: int, key: str) -> tuple[int, str] | None:
    """The id and title of the page that lies in the trash under this name, put there last."""
    row = connection.execute(
        text(
            """SELECT page, title FROM trash WHERE volume = :volume AND key = :key COLLATE "C"
            ORDER BY change_set DESC LIMIT 1"""
        ),
        {"volume": volume, "key": key},
    ).first()
    return (row.page, row.title) if row else None


def purge(connection: Connection, before: datetime) -> int:
    """Removes for good what was deleted before a moment; how many pages that were.

    Only what a person deleted: what was merged, joined or taken back is needed for undoing that.
    """
    gone = connection.execute(
        text(
            """DELETE FROM trash t USING change_set c WHERE c.id = t.change_set AND t.at < :before
            AND c.act IN ('delete', 'delete volume') RETURNING t.page, t.change_set"""
        ),
        {"before": before},
    ).all()
    pages = [row.page for row in gone]
    connection.execute(
        text("""UPDATE change_set SET detail = detail || '{"purged": true}' WHERE id = ANY(:acts)"""),
        {"acts": sorted({row.change_set for row in gone})},
    )
    for table in ("former", "revision"):
        connection.execute(text(f"DELETE FROM {table} WHERE page = ANY(:pages)"), {"pages": pages})  # noqa: S608
    return len(pages)
