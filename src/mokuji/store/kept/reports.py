"""Reports that took long to make, kept for who may read the same volumes."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Text, cast, delete, func, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.statements import among, value
from mokuji.store.tables import change_set, house_style, kept_report, page, revision


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


_made = kept_report.c
_NUMBERS = (_made.name, _made.at, _made.stamp, _made.pages, _made.whole, _made.number)
_IN_VOLUME, _SEEN, _NAMED = (
    _made.volume == value("volume"),
    _made.seen == value("seen"),
    _made.name == value("name"),
)
NUMBERS_OF = select(_made.volume, *_NUMBERS, _made.held_back).where(among(_made.volume, "volumes"), _SEEN)
ONE = select(*_NUMBERS, _made.findings, _made.held_back).where(_IN_VOLUME, _SEEN, _NAMED)
ALL_MADE = select(_made.seen, *_NUMBERS, _made.findings, _made.held_back).where(_IN_VOLUME, _NAMED)
LATELY = 10_000
"""Maximum number of change sets that may be done while another is under way."""
_last = select(func.coalesce(func.max(change_set.c.id), 0).label("id")).subquery()
_STAMP = select(
    cast(_last.c.id, Text),
    select(func.count()).where(change_set.c.id > _last.c.id - LATELY).scalar_subquery(),
    select(house_style.c.revision).where(house_style.c.volume == value("volume")).scalar_subquery(),
)
STYLES = select(house_style.c.volume, house_style.c.revision).where(among(house_style.c.volume, "volumes"))
_LAST = select(
    _last.c.id, select(func.count()).where(change_set.c.id > _last.c.id - LATELY).scalar_subquery()
)
_SIZE = select(func.coalesce(func.sum(func.length(revision.c.text)), 0)).where(
    revision.c.page == page.c.id, revision.c.number == page.c.revision, page.c.volume == value("volume")
)
_KEEP = insert_or_else(kept_report)
_KEEP = _KEEP.on_conflict_do_update(
    index_elements=["volume", "seen", "name"],
    set_={
        name: _KEEP.excluded[name]
        for name in ("at", "stamp", "pages", "whole", "number", "findings", "held_back")
    },
)
_FORGET = delete(kept_report).where(_made.at < value("before"))
_MAKE_STALE = (
    update(kept_report).where(_made.volume == value("of"), _made.name == value("called")).values(stamp="")
)


def stamp(connection: Connection, volume: int) -> str:
    """The state of the wiki as far as reports of a volume depend on it: the last change set, and how many there are,
    since one with a smaller number may come to be seen later."""
    last, number, style = connection.execute(_STAMP, {"volume": volume}).one()
    return f"{last} {number} {style or 0}"


def stamps(connection: Connection, volumes: Collection[int]) -> dict[int, str]:
    """The same of several volumes."""
    last, number = connection.execute(_LAST).one()
    styles = dict(connection.execute(STYLES, {"volumes": volumes}).all())
    return {volume: f"{last} {number} {styles.get(volume, 0)}" for volume in volumes}


def size(connection: Connection, volume: int) -> int:
    """How many code points the pages of a volume have."""
    return int(connection.execute(_SIZE, {"volume": volume}).scalar_one())


def numbers_of(connection: Connection, volumes: Collection[int], seen: str) -> dict[tuple[int, str], Kept]:
    """What is kept of some volumes for who sees these volumes, without the findings, by volume and name."""
    rows = connection.execute(NUMBERS_OF, {"volumes": volumes, "seen": seen})
    return {
        (volume, name): Kept(name, at, stamp, pages, whole, number, (), held_back)
        for volume, name, at, stamp, pages, whole, number, held_back in rows
    }


def one(connection: Connection, volume: int, seen: str, name: str) -> Kept | None:
    """A report as it is kept."""
    row = connection.execute(ONE, {"volume": volume, "seen": seen, "name": name}).first()
    return Kept(*row) if row is not None else None


def keep(connection: Connection, volume: int, seen: str, kept: Kept) -> None:
    """Keeps a report, in the place of the one before."""
    connection.execute(
        _KEEP,
        {
            "volume": volume,
            "seen": seen,
            "name": kept.name,
            "at": kept.at,
            "stamp": kept.stamp,
            "pages": kept.pages,
            "whole": kept.whole,
            "number": kept.number,
            "findings": list(kept.findings),
            "held_back": dict(kept.held_back or {}),
        },
    )


def forget(connection: Connection, before: datetime) -> None:
    """Lets go what was made before a moment: of volumes that nobody looks at, and for who is no longer there."""
    connection.execute(_FORGET, {"before": before})


def all_made(connection: Connection, volume: int, name: str) -> dict[str, Kept]:
    """A report of a volume as it is kept, for whomever it was made (by the volumes that they see)."""
    rows = connection.execute(ALL_MADE, {"volume": volume, "name": name})
    return {row[0]: Kept(*row[1:]) for row in rows}


def make_stale(connection: Connection, volume: int, name: str) -> None:
    """Has one report of a volume made anew when somebody looks next: something was changed that is no page."""
    connection.execute(_MAKE_STALE, {"of": volume, "called": name})
