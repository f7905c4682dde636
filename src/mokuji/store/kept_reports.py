"""Reports that took long to make, kept for who may read the same volumes."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text, update

from mokuji.store.tables import kept_report


@dataclass(frozen=True, slots=True)
class Kept:
    """A report as it was made: over how many pages, of what state of the wiki (``stamp``), and whether all of it."""

    name: str
    at: datetime
    stamp: str
    pages: int
    whole: bool
    number: int
    findings: Sequence[Any] = ()
    held_back: Mapping[str, int] | None = None


NUMBERS = text(
    """SELECT name, at, stamp, pages, whole, number FROM kept_report
    WHERE volume = :volume AND seen = :seen COLLATE "C" """
)
ONE = text(
    """SELECT name, at, stamp, pages, whole, number, findings, held_back FROM kept_report
    WHERE volume = :volume AND seen = :seen COLLATE "C" AND name = :name COLLATE "C" """
)
ALL_MADE = text(
    """SELECT seen, name, at, stamp, pages, whole, number, findings, held_back FROM kept_report
    WHERE volume = :volume AND name = :name COLLATE "C" """
)
_STAMP = text(
    """SELECT lately.last || ' ' || (SELECT count(*) FROM change_set WHERE id > lately.last - :lately)
        || ' ' || coalesce((SELECT revision FROM house_style WHERE volume = :volume), 0)
    FROM (SELECT coalesce(max(id), 0) AS last FROM change_set) lately"""
)
LATELY = 10_000
"""Maximum number of change sets that may be done while another is under way."""
_SIZE = text(
    """SELECT coalesce(sum(length(r.text)), 0) FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
    WHERE p.volume = :volume"""
)


def stamp(connection: Connection, volume: int) -> str:
    """The state of the wiki as far as reports of a volume depend on it: the last change set, and how many there are,
    since one with a smaller number may come to be seen later."""
    return str(connection.execute(_STAMP, {"volume": volume, "lately": LATELY}).scalar_one())


def size(connection: Connection, volume: int) -> int:
    """How many code points the pages of a volume have."""
    return int(connection.execute(_SIZE, {"volume": volume}).scalar_one())


def numbers(connection: Connection, volume: int, seen: str) -> dict[str, Kept]:
    """What is kept of a volume for who sees these volumes, without the findings, by name."""
    rows = connection.execute(NUMBERS, {"volume": volume, "seen": seen})
    return {row.name: Kept(*row) for row in rows}


def one(connection: Connection, volume: int, seen: str, name: str) -> Kept | None:
    """A report as it is kept."""
    row = connection.execute(ONE, {"volume": volume, "seen": seen, "name": name}).first()
    return Kept(*row) if row is not None else None


def keep(connection: Connection, volume: int, seen: str, kept: Kept) -> None:
    """Keeps a report, in the place of the one before."""
    connection.execute(
        text(
            """INSERT INTO kept_report (volume, seen, name, at, stamp, pages, whole, number, findings, held_back)
            VALUES (:volume, :seen, :name, :at, :stamp, :pages, :whole, :number, CAST(:findings AS jsonb),
                CAST(:held_back AS jsonb))
            ON CONFLICT (volume, seen, name) DO UPDATE SET at = EXCLUDED.at, stamp = EXCLUDED.stamp,
                pages = EXCLUDED.pages, whole = EXCLUDED.whole, number = EXCLUDED.number,
                findings = EXCLUDED.findings, held_back = EXCLUDED.held_back"""
        ),
        {
            "volume": volume,
            "seen": seen,
            "name": kept.name,
            "at": kept.at,
            "stamp": kept.stamp,
            "pages": kept.pages,
            "whole": kept.whole,
            "number": kept.number,
            "findings": json.dumps(list(kept.findings)),
            "held_back": json.dumps(dict(kept.held_back or {})),
        },
    )


def forget(connection: Connection, before: datetime) -> None:
    """Lets go what was made before a moment: of volumes that nobody looks at, and for who is no longer there."""
    connection.execute(text("DELETE FROM kept_report WHERE at < :before"), {"before": before})


def all_made(connection: Connection, volume: int, name: str) -> dict[str, Kept]:
    """A report of a volume as it is kept, for whomever it was made (by the volumes that they see)."""
    rows = connection.execute(ALL_MADE, {"volume": volume, "name": name})
    return {row.seen: Kept(*row[1:]) for row in rows}


def make_stale(connection: Connection, volume: int, name: str) -> None:
    """Has one report of a volume made anew when somebody looks next: something was changed that is no page."""
    connection.execute(
        update(kept_report).where(kept_report.c.volume == volume, kept_report.c.name == name).values(stamp="")
    )
