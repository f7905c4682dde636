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

from sqlalchemy import (
    ARRAY,
    BigInteger,
    Connection,
    DateTime,
    Row,
    bindparam,
    cast,
    delete,
    func,
    insert,
    literal,
    or_,
    select,
    update,
)
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.core.base.errors import Conflict
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Removed
from mokuji.store.log.change_sets import Signature
from mokuji.store.statements import among, numbers, texts, value
from mokuji.store.tables import change_set as change_sets
from mokuji.store.tables import former, page, person, revision, trash


@dataclass(frozen=True, slots=True)
class Thrown:
    """A page in the trash, with its last text; ``leads`` are what its references led to (index, page)."""

    head: PageHead
    text: str
    leads: tuple[tuple[int, int], ...]
    successor: int | None
    change_set: int
    at: datetime


_page = trash.c.page == value("page")
_gone = func.unnest(numbers("ids"), numbers("revisions")).table_valued("id", "revision").render_derived("w")
_taken = (
    delete(page)
    .where(page.c.id == _gone.c.id, page.c.revision == _gone.c.revision)
    .returning(page.c.id, page.c.volume, page.c.key, page.c.title, page.c.revision)
    .cte("gone")
)
_THROW = (
    insert(trash)
    .from_select(
        ["page", "volume", "key", "title", "revision", "change_set", "at"],
        select(*_taken.c, cast(value("act"), BigInteger), cast(value("now"), DateTime(timezone=True))),
    )
    .returning(trash.c.page)
)
_told = (
    func.unnest(numbers("ids"), bindparam("successors", type_=ARRAY(BigInteger)), texts("leads"))
    .table_valued("id", "successor", "leads")
    .render_derived("w")
)
_TELL = (
    update(trash)
    .where(trash.c.page == _told.c.id)
    .values(successor=_told.c.successor, leads=cast(_told.c.leads, JSONB))
)
_TAKE_OUT = delete(trash).where(_page, trash.c.revision == value("revision"))
_thrown_rows = select(
    trash.c.page,
    trash.c.volume,
    trash.c.key,
    trash.c.title,
    trash.c.revision,
    revision.c.text,
    trash.c.leads,
    trash.c.successor,
    trash.c.change_set,
    trash.c.at,
).where(revision.c.page == trash.c.page, revision.c.number == trash.c.revision)
THROWN_BY = _thrown_rows.where(trash.c.change_set == value("act")).order_by(trash.c.page)
THROWN = _thrown_rows.where(among(trash.c.page, "pages")).order_by(trash.c.page)
_rows = select(
    trash.c.page,
    trash.c.volume,
    trash.c.key,
    trash.c.title,
    trash.c.change_set,
    change_sets.c.act,
    trash.c.at,
    func.coalesce(person.c.name, "Mokuji"),
    change_sets.c.note,
    change_sets.c.volume,
    change_sets.c.proposed,
).select_from(
    trash.join(change_sets, change_sets.c.id == trash.c.change_set).outerjoin(
        person, person.c.id == change_sets.c.author
    )
)
LISTED = (
    _rows.where(
        among(trash.c.volume, "volumes"), trash.c.successor.is_(None), trash.c.change_set < value("before")
    )
    .order_by(trash.c.change_set.desc(), trash.c.key)
    .limit(value("most"))
)
ONE = _rows.where(
    trash.c.page == value("page"), among(trash.c.volume, "volumes"), trash.c.successor.is_(None)
)
NAMED = select(trash.c.page, trash.c.title, trash.c.successor).where(
    among(trash.c.page, "pages"), among(trash.c.volume, "volumes")
)
LYING = select(trash.c.page, trash.c.volume, trash.c.title).where(
    among(trash.c.page, "pages"), among(trash.c.volume, "volumes")
)
TITLES = (
    select(trash.c.title)
    .where(trash.c.change_set == value("act"), among(trash.c.volume, "volumes"))
    .order_by(trash.c.volume, trash.c.key)
)
AT_NAME = (
    select(trash.c.page, trash.c.title)
    .where(trash.c.volume == value("volume"), trash.c.key == value("key"))
    .order_by(trash.c.change_set.desc())
    .limit(1)
)
_PURGE = (
    delete(trash)
    .where(
        change_sets.c.id == trash.c.change_set,
        trash.c.at < value("before"),
        or_(change_sets.c.act == "delete", change_sets.c.act == "delete volume"),
    )
    .returning(trash.c.page, trash.c.change_set)
)
_SAY_PURGED = (
    update(change_sets)
    .where(among(change_sets.c.id, "acts"))
    .values(detail=change_sets.c.detail.op("||")(literal({"purged": True}, JSONB)))
)
_FORGET = {table.name: delete(table).where(among(table.c.page, "pages")) for table in (former, revision)}


def throw_away(connection: Connection, removed: Sequence[Removed], change_set: int, by: Signature) -> None:
    """Moves pages to the trash; Conflict if one of them is no longer as it was seen."""
    if not removed:
        return
    done = connection.execute(
        _THROW,
        {
            "ids": [removed_page.head.id for removed_page in removed],
            "revisions": [removed_page.head.revision for removed_page in removed],
            "act": change_set,
            "now": by.at,
        },
    ).all()
    if len(done) != len(removed):
        raise Conflict("A page of this plan was changed meanwhile. Look at the new plan.", code="plan_stale")
    connection.execute(
        _TELL,
        {
            "ids": [removed_page.head.id for removed_page in removed],
            "successors": [removed_page.successor for removed_page in removed],
            "leads": [json.dumps(removed_page.leads) for removed_page in removed],
        },
    )


def take_out(connection: Connection, page: int, revision: int) -> bool:
    """Takes a page out of the trash; False if it is not there as it was seen."""
    return connection.execute(_TAKE_OUT, {"page": page, "revision": revision}).rowcount == 1


def _thrown(row: Row[int, int, str, str, int, str, Any, int | None, int, datetime]) -> Thrown:
    leads = tuple((index, id_) for index, id_ in row[6])
    return Thrown(PageHead(*row[:5]), row[5], leads, *row[7:])


def thrown_by(connection: Connection, change_set: int) -> list[Thrown]:
    """What an act put into the trash and is still there."""
    return [_thrown(row) for row in connection.execute(THROWN_BY, {"act": change_set})]


def thrown(connection: Connection, pages: Collection[int]) -> list[Thrown]:
    """Pages in the trash, by id; those that are not there are left out."""
    return [_thrown(row) for row in connection.execute(THROWN, {"pages": pages})]


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


def listed(
    connection: Connection, volumes: Collection[int], *, before: int = 2**62, most: int = 200
) -> list[InTrash]:
    """What lies in the trash of some volumes, by act, newest first; what was merged into another page does not."""
    rows = connection.execute(LISTED, {"volumes": volumes, "before": before, "most": most})
    return [InTrash(*tuple(row)) for row in rows]


def row_of(connection: Connection, page: int, volumes: Collection[int]) -> InTrash | None:
    """A page that lies in the trash of one of these volumes."""
    row = connection.execute(ONE, {"page": page, "volumes": volumes}).first()
    return InTrash(*tuple(row)) if row is not None else None


def named(
    connection: Connection, pages: Collection[int], volumes: Collection[int]
) -> dict[int, tuple[str, bool]]:
    """Titles of pages in the trash of some volumes, by id, and whether they lie there by themselves: what was merged
    into another page does not."""
    rows = connection.execute(NAMED, {"pages": pages, "volumes": volumes})
    return {row[0]: (row[1], row[2] is None) for row in rows}


def lying(
    connection: Connection, pages: Collection[int], volumes: Collection[int]
) -> dict[int, tuple[int, str]]:
    """Pages in the trash of some volumes, by id: the volume and the title."""
    rows = connection.execute(LYING, {"pages": pages, "volumes": volumes}) if pages else ()
    return {id_: (volume, title) for id_, volume, title in rows}


def titles_of(connection: Connection, change_set: int, volumes: Collection[int]) -> list[str]:
    """The titles of the pages in the trash that an act put there, of some volumes, in the order of their keys."""
    return list(connection.execute(TITLES, {"act": change_set, "volumes": volumes}).scalars())


def at_name(connection: Connection, volume: int, key: str) -> tuple[int, str] | None:
    """The id and title of the page that lies in the trash under this name, put there last."""
    return connection.execute(AT_NAME, {"volume": volume, "key": key}).first()


def purge(connection: Connection, before: datetime) -> int:
    """Removes for good what was deleted before a moment; how many pages that were.

    Only what a person deleted: what was merged, joined or taken back is needed for undoing that.
    """
    gone = connection.execute(_PURGE, {"before": before}).all()
    pages = [id_ for id_, _ in gone]
    connection.execute(_SAY_PURGED, {"acts": sorted({act for _, act in gone})})
    for forget in _FORGET.values():
        connection.execute(forget, {"pages": pages})
    return len(pages)
