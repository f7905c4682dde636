"""Files: what they are called in a volume, and their bytes by content."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, text


@dataclass(frozen=True, slots=True)
class StoredFile:
    """A file without its bytes. ``hash`` is that of its content, ``type`` its media type; ``width`` and ``height`` are
    0 for what is no picture."""

    id: int
    volume: int
    key: str
    name: str
    version: int
    hash: bytes
    type: str
    size: int
    width: int
    height: int
    person: int | None
    at: datetime


CALLED = text("SELECT * FROM file WHERE volume = :volume AND key = ANY(CAST(:keys AS text[]))")
OF_VOLUME = text(
    """SELECT * FROM file WHERE volume = :volume AND key > :after COLLATE "C"
    ORDER BY volume, key LIMIT :most"""
)
LIKE = text(
    """SELECT * FROM file WHERE volume = :volume AND key LIKE :part
    ORDER BY position(:typed in key), key LIMIT :most"""
)
SAME = text("SELECT * FROM file WHERE hash = :hash AND volume = :volume ORDER BY key LIMIT 1")
NEAR = text(
    """SELECT * FROM file WHERE volume = :volume AND key % :key COLLATE "C"
    ORDER BY similarity(key, :key) DESC, key LIMIT 1"""
)
USED = text(
    """SELECT h.key, count(*) AS pages, sum(h.count) AS places FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = 0 AND h.key = ANY(CAST(:keys AS text[])) AND p.volume = :volume GROUP BY h.key"""
)
UNUSED = text(
    """SELECT * FROM file f WHERE volume = :volume AND key > :after COLLATE "C" AND NOT EXISTS (SELECT 1 FROM held h
    JOIN page p ON p.id = h.page WHERE h.kind = 0 AND h.key = f.key COLLATE "C" AND p.volume = f.volume)
    ORDER BY volume, key LIMIT :most"""
)
MISSING = text(
    """SELECT h.key, count(*) AS pages FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = 0 AND p.volume = :volume AND NOT EXISTS (SELECT 1 FROM file f WHERE f.volume = p.volume
    AND f.key = h.key COLLATE "C") GROUP BY h.key ORDER BY h.key LIMIT :most"""
)
EQUAL = text(
    """SELECT * FROM file f WHERE volume = :volume AND EXISTS (SELECT 1 FROM file o
    WHERE o.hash = f.hash AND o.volume = f.volume AND o.id <> f.id) ORDER BY hash, key LIMIT :most"""
)
VERSIONS = text("SELECT * FROM file_version WHERE file = :file ORDER BY number DESC LIMIT :most")
_SCALED = text("SELECT data FROM scaled WHERE hash = :hash AND width = :width")
_KEEP_SCALED = text(
    "INSERT INTO scaled (hash, width, data) VALUES (:hash, :width, :data) ON CONFLICT (hash, width) DO NOTHING"
)
_FORGET_VERSIONS = text(
    """DELETE FROM file_version v WHERE until < :before AND NOT EXISTS (SELECT 1 FROM file f WHERE f.id = v.file)"""
)
_FORGET_BLOBS = text(
    """DELETE FROM blob b WHERE at < :before AND NOT EXISTS (SELECT 1 FROM file f WHERE f.hash = b.hash)
    AND NOT EXISTS (SELECT 1 FROM file_version v WHERE v.hash = b.hash)"""
)
DATA = text("SELECT data FROM blob WHERE hash = :hash")
_PUT_BLOB = text("INSERT INTO blob (hash, data) VALUES (:hash, :data) ON CONFLICT (hash) DO NOTHING")
_ADD = text(
    """INSERT INTO file (volume, key, name, version, hash, type, size, width, height, person, at)
    VALUES (:volume, :key, :name, 1, :hash, :type, :size, :width, :height, :person, :at) RETURNING *"""
)
_RENAME = text("UPDATE file SET key = :key, name = :name WHERE id = :id")


def _file(row: Row[Any]) -> StoredFile:
    return StoredFile(**row._mapping)


def called(connection: Connection, volume: int, keys: Collection[str]) -> dict[str, StoredFile]:
    """The files of a volume that have these keys."""
    rows = connection.execute(CALLED, {"volume": volume, "keys": list(keys)}).all() if keys else []
    return {row.key: _file(row) for row in rows}


def of_volume(connection: Connection, volume: int, *, after: str, most: int) -> list[StoredFile]:
    """The files of a volume by name, from one on."""
    values = {"volume": volume, "after": after, "most": most}
    return [_file(row) for row in connection.execute(OF_VOLUME, values).all()]


def like(connection: Connection, volume: int, typed: str, most: int) -> list[StoredFile]:
    """Files whose name holds some letters, those first in which they stand first."""
    part = "%" + typed.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    values = {"volume": volume, "part": part, "typed": typed, "most": most}
    return [_file(row) for row in connection.execute(LIKE, values).all()]


def near(connection: Connection, volume: int, key: str) -> StoredFile | None:
    """The file of a volume that is called most like this."""
    row = connection.execute(NEAR, {"volume": volume, "key": key}).first()
    return _file(row) if row is not None else None


def same(connection: Connection, volume: int, hash_: bytes) -> StoredFile | None:
    """A file of the volume with this content."""
    row = connection.execute(SAME, {"volume": volume, "hash": hash_}).first()
    return _file(row) if row is not None else None


def add(
    connection: Connection,
    volume: int,
    named: tuple[str, str],
    data: bytes,
    hash_: bytes,
    told: tuple[str, int, int],
    signed: tuple[int | None, datetime],
) -> StoredFile:
    """A new file: key and name, its bytes and their hash, type, width and height, who brought it and when."""
    connection.execute(_PUT_BLOB, {"hash": hash_, "data": data})
    values = {
        "volume": volume,
        "key": named[0],
        "name": named[1],
        "hash": hash_,
        "type": told[0],
        "size": len(data),
        "width": told[1],
        "height": told[2],
        "person": signed[0],
        "at": signed[1],
    }
    return _file(connection.execute(_ADD, values).one())


def rename(connection: Connection, file: int, key: str, name: str) -> None:
    """Calls a file otherwise; what names it is not looked at."""
    connection.execute(_RENAME, {"id": file, "key": key, "name": name})


@dataclass(frozen=True, slots=True)
class Version:
    """What a file was until it became something else."""

    file: int
    number: int
    volume: int
    name: str
    hash: bytes
    type: str
    size: int
    width: int
    height: int
    person: int | None
    at: datetime
    until: datetime


def versions(connection: Connection, file: int, most: int) -> list[Version]:
    """The former versions of a file, newest first."""
    rows = connection.execute(VERSIONS, {"file": file, "most": most})
    return [Version(**row._mapping) for row in rows]


def used(connection: Connection, volume: int, keys: Collection[str]) -> dict[str, tuple[int, int]]:
    """On how many pages of its volume each file is named, and in how many places."""
    rows = connection.execute(USED, {"volume": volume, "keys": list(keys)}).all() if keys else []
    return {row.key: (row.pages, int(row.places)) for row in rows}


def unused(connection: Connection, volume: int, *, after: str, most: int) -> list[StoredFile]:
    """Files that no page of their volume names, by name, from one on."""
    values = {"volume": volume, "after": after, "most": most}
    return [_file(row) for row in connection.execute(UNUSED, values).all()]


def missing(connection: Connection, volume: int, most: int) -> list[tuple[str, int]]:
    """Keys of files that pages name and that are not there, with the number of pages."""
    rows = connection.execute(MISSING, {"volume": volume, "most": most})
    return [(row.key, row.pages) for row in rows]


def equal(connection: Connection, volume: int, most: int) -> list[StoredFile]:
    """Files of which others of the volume have the same content; those with the same one stand together."""
    return [_file(row) for row in connection.execute(EQUAL, {"volume": volume, "most": most}).all()]


def scaled(connection: Connection, hash_: bytes, width: int) -> bytes | None:
    """A picture at a width that was made before."""
    found = connection.execute(_SCALED, {"hash": hash_, "width": width}).scalar()
    return bytes(found) if found is not None else None


def keep_scaled(connection: Connection, hash_: bytes, width: int, data: bytes) -> None:
    """Keeps a picture at a width."""
    connection.execute(_KEEP_SCALED, {"hash": hash_, "width": width, "data": data})


def put(connection: Connection, hash_: bytes, data: bytes, person: int, at: datetime) -> None:
    """Keeps bytes that somebody brought and that nothing names yet; ``forget`` clears them away if nothing ever
    does."""
    connection.execute(_PUT_BLOB, {"hash": hash_, "data": data})
    connection.execute(
        text(
            """INSERT INTO staged (hash, person, at) VALUES (:hash, :person, :at)
            ON CONFLICT (hash, person) DO UPDATE SET at = EXCLUDED.at"""
        ),
        {"hash": hash_, "person": person, "at": at},
    )


def may_use(connection: Connection, hash_: bytes, file: int, volumes: Collection[int], person: int) -> bool:
    """Whether a content is that of a file in one of these volumes, was once that of this file, or was brought by this
    person."""
    values = {"hash": hash_, "file": file, "volumes": list(volumes), "person": person}
    return connection.execute(MAY_USE, values).scalar() is not None


MAY_USE = text(
    """SELECT 1 WHERE EXISTS (SELECT 1 FROM file WHERE hash = :hash AND volume = ANY(CAST(:volumes AS int[])))
    OR EXISTS (SELECT 1 FROM file_version WHERE hash = :hash AND file = :file)
    OR EXISTS (SELECT 1 FROM staged WHERE hash = :hash AND person = :person)"""
)


def find_data(connection: Connection, hash_: bytes) -> bytes | None:
    """The bytes of a content, if they are there."""
    found = connection.execute(DATA, {"hash": hash_}).scalar()
    return bytes(found) if found is not None else None


def forget(connection: Connection, before: datetime, staged_before: datetime) -> int:
    """Clears away versions of files that went before a moment, and bytes that nothing names; how many contents."""
    connection.execute(_FORGET_VERSIONS, {"before": before})
    connection.execute(text("DELETE FROM staged WHERE at < :before"), {"before": staged_before})
    return connection.execute(_FORGET_BLOBS, {"before": staged_before}).rowcount


def data(connection: Connection, hash_: bytes) -> bytes:
    """The bytes of a content."""
    return bytes(connection.execute(DATA, {"hash": hash_}).scalar_one())
