"""The list of sources of a wiki, and who cites them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Text, and_, cast, exists, func, insert, or_, select

from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.model.sources import revision_of
from mokuji.store.statements import among, among_texts, fixed, value
from mokuji.store.tables import held, page, source


@dataclass(frozen=True, slots=True)
class StoredSource:
    """A source: its key, its name as it is written, and its fields as CSL-JSON has them."""

    id: int
    key: str
    name: str
    fields: Mapping[str, Any]
    person: int | None
    at: datetime

    @property
    def revision(self) -> str:
        """What tells its fields from those of before."""
        return revision_of(self.fields)


_COLUMNS = (source.c.id, source.c.key, source.c.name, source.c.fields, source.c.person, source.c.at)
_by_key = select(*_COLUMNS).order_by(source.c.key).limit(value("most"))
ALL = _by_key.where(source.c.key > value("after"))
CALLED = select(*_COLUMNS).where(among_texts(source.c.key, "keys"))
LIKE = (
    select(*_COLUMNS)
    .where(
        or_(
            source.c.key.like(value("part")),
            func.lower(source.c.fields.op("->>")("title")).like(value("part")),
            func.lower(cast(source.c.fields.op("->")("author"), Text)).like(value("part")),
        )
    )
    .order_by(func.strpos(source.c.key, value("typed")) == 0, source.c.key)
    .limit(value("most"))
)
_IN_VOLUMES = and_(
    held.c.page == page.c.id, held.c.kind == fixed(AssetKind.SOURCE), among(page.c.volume, "volumes")
)
CITED = select(held.c.key, func.count(), func.sum(held.c.count)).where(_IN_VOLUMES).group_by(held.c.key)
CITING = (
    select(page.c.id)
    .where(_IN_VOLUMES, held.c.key == value("key"))
    .order_by(page.c.volume, page.c.key)
    .limit(value("most"))
)
MISSING = (
    select(held.c.key, page.c.id)
    .where(_IN_VOLUMES, ~exists().where(source.c.key == held.c.key))
    .order_by(held.c.key, page.c.volume, page.c.key)
    .limit(value("most"))
)
CITED_ANYWHERE = select(held.c.key).where(held.c.kind == fixed(AssetKind.SOURCE)).distinct()
KEYS = select(source.c.key).order_by(source.c.key)
_ADD = insert(source).returning(*_COLUMNS)


def listed(connection: Connection, *, after: str = "", most: int) -> list[StoredSource]:
    """Sources by key, from one on."""
    return [StoredSource(*row) for row in connection.execute(ALL, {"after": after, "most": most})]


def called(connection: Connection, keys: Collection[str]) -> dict[str, StoredSource]:
    """The sources that have these keys."""
    rows = connection.execute(CALLED, {"keys": keys}).all() if keys else []
    return {row[1]: StoredSource(*row) for row in rows}


def like(connection: Connection, typed: str, most: int) -> list[StoredSource]:
    """Sources whose name, title or author holds some letters (in small ones)."""
    part = "%" + typed.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    values = {"part": part, "typed": typed, "most": most}
    return [StoredSource(*row) for row in connection.execute(LIKE, values)]


def cited(connection: Connection, volumes: Collection[int]) -> dict[str, tuple[int, int]]:
    """On how many pages of some volumes each key is cited, and in how many places."""
    rows = connection.execute(CITED, {"volumes": volumes})
    return {key: (pages, places) for key, pages, places in rows}


def cited_anywhere(connection: Connection) -> frozenset[str]:
    """Keys that are cited on any page, in whichever volume."""
    return frozenset(connection.execute(CITED_ANYWHERE).scalars())


def keys(connection: Connection) -> list[str]:
    """The keys of all sources."""
    return list(connection.execute(KEYS).scalars())


def citing(connection: Connection, key: str, volumes: Collection[int], most: int) -> list[int]:
    """Ids of the pages of some volumes that cite a key."""
    values = {"key": key, "volumes": volumes, "most": most}
    return list(connection.execute(CITING, values).scalars())


def missing(connection: Connection, volumes: Collection[int], most: int) -> list[tuple[str, int]]:
    """Keys that pages of some volumes cite and that name no source, each with a page."""
    rows = connection.execute(MISSING, {"volumes": volumes, "most": most})
    return [(key, id_) for key, id_ in rows]


def add(
    connection: Connection, key: str, name: str, fields: Mapping[str, Any], person: int | None, at: datetime
) -> StoredSource:
    """A new source."""
    values = {"key": key, "name": name, "fields": dict(fields), "person": person, "at": at}
    return StoredSource(*connection.execute(_ADD, values).one())
