"""The list of sources of a wiki, and who cites them."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, text

from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.model.sources import revision_of


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


ALL = text('SELECT * FROM source WHERE key > :after COLLATE "C" ORDER BY key LIMIT :most')
CALLED = text("SELECT * FROM source WHERE key = ANY(CAST(:keys AS text[]))")
LIKE = text(
    """SELECT * FROM source WHERE key LIKE :part OR lower(fields ->> 'title') LIKE :part
    OR lower(CAST(fields -> 'author' AS text)) LIKE :part ORDER BY position(:typed in key) = 0, key LIMIT :most"""
)
CITED = text(
    """SELECT h.key, count(*) AS pages, sum(h.count) AS places FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = :kind AND p.volume = ANY(CAST(:volumes AS int[])) GROUP BY h.key"""
)
CITING = text(
    """SELECT p.id, h.count FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = :kind AND h.key = :key COLLATE "C" AND p.volume = ANY(CAST(:volumes AS int[]))
    ORDER BY p.volume, p.key LIMIT :most"""
)
MISSING = text(
    """SELECT h.key, p.id FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = :kind AND p.volume = ANY(CAST(:volumes AS int[]))
    AND NOT EXISTS (SELECT 1 FROM source s WHERE s.key = h.key COLLATE "C")
    ORDER BY h.key, p.volume, p.key LIMIT :most"""
)
_ADD = text(
    """INSERT INTO source (key, name, fields, person, at) VALUES (:key, :name, CAST(:fields AS json), :person, :at)
    RETURNING *"""
)


def _source(row: Row[Any]) -> StoredSource:
    return StoredSource(**row._mapping)


def listed(connection: Connection, *, after: str = "", most: int) -> list[StoredSource]:
    """Sources by key, from one on."""
    return [_source(row) for row in connection.execute(ALL, {"after": after, "most": most})]


def called(connection: Connection, keys: Collection[str]) -> dict[str, StoredSource]:
    """The sources that have these keys."""
    rows = connection.execute(CALLED, {"keys": list(keys)}).all() if keys else []
    return {row.key: _source(row) for row in rows}


def like(connection: Connection, typed: str, most: int) -> list[StoredSource]:
    """Sources whose name, title or author holds some letters (in small ones)."""
    part = "%" + typed.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    return [_source(row) for row in connection.execute(LIKE, {"part": part, "typed": typed, "most": most})]


def cited(connection: Connection, volumes: Collection[int]) -> dict[str, tuple[int, int]]:
    """On how many pages of some volumes each key is cited, and in how many places."""
    rows = connection.execute(CITED, {"kind": int(AssetKind.SOURCE), "volumes": list(volumes)})
    return {row.key: (row.pages, int(row.places)) for row in rows}


def cited_anywhere(connection: Connection) -> frozenset[str]:
    """Keys that are cited on any page, in whichever volume."""
    values = {"kind": int(AssetKind.SOURCE)}
    return frozenset(
        connection.execute(text("SELECT DISTINCT key FROM held WHERE kind = :kind"), values).scalars()
    )


def keys(connection: Connection) -> list[str]:
    """The keys of all sources."""
    return list(connection.execute(text("SELECT key FROM source ORDER BY key")).scalars())


def citing(connection: Connection, key: str, volumes: Collection[int], most: int) -> list[int]:
    """Ids of the pages of some volumes that cite a key."""
    values = {"kind": int(AssetKind.SOURCE), "key": key, "volumes": list(volumes), "most": most}
    return list(connection.execute(CITING, values).scalars())


def missing(connection: Connection, volumes: Collection[int], most: int) -> list[tuple[str, int]]:
    """Keys that pages of some volumes cite and that name no source, each with a page."""
    values = {"kind": int(AssetKind.SOURCE), "volumes": list(volumes), "most": most}
    return [(row.key, row.id) for row in connection.execute(MISSING, values)]


def add(
    connection: Connection, key: str, name: str, fields: Mapping[str, Any], person: int | None, at: datetime
) -> StoredSource:
    """A new source."""
    told = json.dumps(dict(fields), ensure_ascii=False)
    values = {"key": key, "name": name, "fields": told, "person": person, "at": at}
    return _source(connection.execute(_ADD, values).one())
