"""A page by its address, and when and by whom it was changed last."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import JSON, Connection, func, or_, select

from mokuji.core.language.page import PageHead
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import change_set, filing, page, person, revision

HEAD_COLUMNS = (page.c.id, page.c.volume, page.c.key, page.c.title, page.c.revision)
"""What ``PageHead`` is made of."""
HEAD = select(*HEAD_COLUMNS).where(page.c.volume == value("volume"), page.c.key == value("key"))
HEADS_IN = select(*HEAD_COLUMNS).where(page.c.volume == value("volume"), among(page.c.id, "pages"))
NEWEST_TEXTS = (
    select(*HEAD_COLUMNS, revision.c.text)
    .join(revision, (revision.c.page == page.c.id) & (revision.c.number == page.c.revision))
    .where(among(page.c.id, "pages"))
    .order_by(page.c.id)
)
ALL_IDS = select(page.c.id).where(page.c.volume == value("volume")).order_by(page.c.id)
_changed = select(
    page.c.changed,
    func.coalesce(person.c.name, "Mokuji"),
    page.c.note,
    change_set.c.act,
    change_set.c.volume,
    change_set.c.proposed,
).select_from(
    page.join(revision, (revision.c.page == page.c.id) & (revision.c.number == page.c.revision))
    .join(change_set, change_set.c.id == revision.c.change_set)
    .outerjoin(person, person.c.id == page.c.author)
)
_filed = (
    select(
        func.json_agg(
            func.json_build_array(filing.c.key, filing.c.how, filing.c.name, filing.c.count), type_=JSON
        )
    )
    .where(filing.c.page == page.c.id)
    .scalar_subquery()
)
LOOKED_BACK = 30
"""Number of revisions that are looked through for a note that says something."""
_earlier, _its = revision.alias("e"), change_set.alias("s")
# A change that was taken back, or takes one back, says nothing of what the page holds.
_why = (
    select(func.json_build_array(_earlier.c.note, _its.c.act, _its.c.volume, _its.c.proposed, type_=JSON))
    .where(
        _earlier.c.page == page.c.id,
        _earlier.c.number > page.c.revision - fixed(LOOKED_BACK),
        _earlier.c.note != "",
        _its.c.id == _earlier.c.change_set,
        _its.c.act != "undo",
        _its.c.undone_by.is_(None),
    )
    .order_by(_earlier.c.number.desc())
    .limit(fixed(1))
    .scalar_subquery()
)
OPENED = _changed.add_columns(_filed, _why, *HEAD_COLUMNS).where(
    page.c.volume == value("volume"), page.c.key == value("key")
)
BY_NAME = (
    select(*HEAD_COLUMNS)
    .where(
        page.c.volume == value("volume"),
        page.c.key > value("after"),
        or_(value("named") == "", func.strpos(page.c.key, value("named")) > fixed(0)),
    )
    .order_by(page.c.key)
    .limit(value("most"))
)
SUMMARIES = select(page.c.id, page.c.summary).where(among(page.c.id, "pages"), page.c.summary != "")


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


def heads_in(connection: Connection, volume: int, ids: Collection[int]) -> dict[int, PageHead]:
    """Those of some pages that stand in a volume, by id."""
    rows = connection.execute(HEADS_IN, {"volume": volume, "pages": ids}) if ids else ()
    return {row[0]: PageHead(*row) for row in rows}


def newest_texts(connection: Connection, ids: Collection[int]) -> list[tuple[PageHead, str]]:
    """Some pages with their texts, whether or not anything was read from these."""
    return [(PageHead(*row[:5]), row.text) for row in connection.execute(NEWEST_TEXTS, {"pages": ids})]


def by_name(connection: Connection, volume: int, *, named: str, after: str, most: int) -> list[PageHead]:
    """Pages of a volume in the order of their keys, behind one, whose keys hold ``named``."""
    values = {"volume": volume, "named": named, "after": after, "most": most}
    return [PageHead(*row) for row in connection.execute(BY_NAME, values)]


def all_ids(connection: Connection, volume: int) -> list[int]:
    """The ids of all pages of a volume."""
    return list(connection.execute(ALL_IDS, {"volume": volume}).scalars())


@dataclass(frozen=True, slots=True)
class Opened:
    """A page, its last change (what the program did by itself is Mokuji's), and what it files itself under:
    key, ``core.model.categories.Filing``, name and number of places of each. ``why`` is the last of its notes that says
    something: note, act, volume of the log and proposal, as ``Reader.told`` takes them; None if there is none."""

    head: PageHead
    change: Change
    filed: Sequence[tuple[str, int, str, int]]
    why: tuple[str, str, int, Sequence[Any] | None] | None


def opened(connection: Connection, volume: int, key: str) -> Opened | None:
    """The page of a volume that has this title key, as its readers ask for it."""
    row = connection.execute(OPENED, {"volume": volume, "key": key}).first()
    if row is None:
        return None
    filed = sorted((key, how, name, count) for key, how, name, count in row[6] or ())
    why = None if row[7] is None else tuple(row[7])
    return Opened(PageHead(*row[8:]), Change(*row[:6]), filed, why)


def summaries(connection: Connection, pages: Collection[int]) -> dict[int, str]:
    """What the front matters of pages say in one sentence, for those that do."""
    return dict(connection.execute(SUMMARIES, {"pages": pages}).all())
