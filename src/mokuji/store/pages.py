"""A page by its address, and when and by whom it was changed last."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text

from mokuji.core.language.page import PageHead

HEAD = text(
    """SELECT id, volume, key, title, revision FROM page WHERE volume = :volume AND key = :key COLLATE "C" """
)


@dataclass(frozen=True, slots=True)
class Change:
    """When, by whom and why a page was changed last."""

    at: datetime
    author: str
    note: str
    act: str
    home: int  # the volume in whose log it stands
    proposed: Sequence[Any] | None


def find_head(connection: Connection, volume: int, key: str) -> PageHead | None:
    """The page of a volume that has this title key."""
    row = connection.execute(HEAD, {"volume": volume, "key": key}).first()
    return PageHead(*row) if row else None


def all_ids(connection: Connection, volume: int) -> list[int]:
    """The ids of all pages of a volume."""
    found = connection.execute(
        text("SELECT id FROM page WHERE volume = :volume ORDER BY id"), {"volume": volume}
    )
    return list(found.scalars())


def last_change(connection: Connection, page: int) -> Change:
    """The last change of a page that is there; what the program did by itself is Mokuji's."""
    row = connection.execute(
        text(
            """SELECT p.changed, coalesce(w.name, 'Mokuji') AS author, p.note, c.act, c.volume AS home, c.proposed
            FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
            JOIN change_set c ON c.id = r.change_set LEFT JOIN person w ON w.id = p.author WHERE p.id = :id"""
        ),
        {"id": page},
    ).one()
    return Change(*row)


def summaries(connection: Connection, pages: Collection[int]) -> dict[int, str]:
    """What the front matters of pages say in one sentence, for those that do."""
    rows = connection.execute(
        text("SELECT id, summary FROM page WHERE id = ANY(:pages) AND summary <> ''"), {"pages": list(pages)}
    )
    return {row.id: row.summary for row in rows}
