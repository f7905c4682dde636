"""Files, sources and people as assets that pages name: read, changed by plans, and who names them."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import Connection, Row, text

from mokuji.core.model.assets import KINDS, Asset, AssetChange, Sort
from mokuji.store import people
from mokuji.store.change_sets import Signature

_CONTENT = ("hash", "type", "size", "width", "height")

NAMING_FILE = text(
    """SELECT h.page FROM held h JOIN page p ON p.id = h.page
    WHERE h.kind = :kind AND h.key = :key COLLATE "C" AND p.volume = :volume"""
)
NAMING = text('SELECT page FROM held WHERE kind = :kind AND key = :key COLLATE "C"')
_ONE = {
    "file": text(
        "SELECT id, volume, name, encode(hash, 'hex') AS hash, type, size, width, height FROM file WHERE id = :id"
    ),
    "source": text("SELECT id, name, fields FROM source WHERE id = :id"),
    "person": text("SELECT id, handle AS name FROM person WHERE id = :id"),
}
FILES_CALLED = text(
    """SELECT id, volume, name, encode(hash, 'hex') AS hash, type, size, width, height FROM file
    WHERE volume = :volume AND key = ANY(CAST(:keys AS text[]))"""
)
_CALLED = {
    "file": text('SELECT id FROM file WHERE volume = :volume AND key = :key COLLATE "C"'),
    "source": text('SELECT id FROM source WHERE key = :key COLLATE "C"'),
    "person": text('SELECT id FROM person WHERE handle = :key COLLATE "C"'),
}
_HAS_BLOB = text("SELECT 1 FROM blob WHERE hash = :hash")
_ADD_FILE = text(
    """INSERT INTO file (volume, key, name, version, hash, type, size, width, height, person, at)
    VALUES (:volume, :key, :name, 1, decode(:hash, 'hex'), :type, :size, :width, :height, :person, :at) RETURNING id"""
)
_KEEP_VERSION = text(
    """INSERT INTO file_version (file, number, volume, name, hash, type, size, width, height, person, at, until)
    SELECT id, version, volume, name, hash, type, size, width, height, person, at, :until FROM file WHERE id = :id"""
)
_CHANGE_FILE = text(
    """UPDATE file SET key = :key, name = :name, version = version + 1, hash = decode(:hash, 'hex'), type = :type,
    size = :size, width = :width, height = :height, person = :person, at = :at WHERE id = :id"""
)
_BACK_FILE = text(
    """INSERT INTO file (id, volume, key, name, version, hash, type, size, width, height, person, at)
    OVERRIDING SYSTEM VALUE
    SELECT :id, :volume, :key, :name, coalesce(max(v.number), 0) + 1, decode(:hash, 'hex'), :type, :size, :width,
    :height, CAST(:person AS integer), CAST(:at AS timestamptz) FROM file_version v WHERE v.file = :id"""
)
_CHANGE_SOURCE = text(
    """UPDATE source SET key = :key, name = :name, fields = CAST(:fields AS json), person = :person, at = :at
    WHERE id = :id"""
)
_BACK_SOURCE = text(
    """INSERT INTO source (id, key, name, fields, person, at) OVERRIDING SYSTEM VALUE
    VALUES (:id, :key, :name, CAST(:fields AS json), :person, :at)"""
)


def _asset(sort: Sort, row: Row[Any]) -> Asset:
    if sort == "file":
        told = {name: getattr(row, name) for name in _CONTENT}
        return Asset(sort, row.id, row.volume, row.name, json.dumps(told))
    if sort == "source":
        return Asset(sort, row.id, 0, row.name, json.dumps(row.fields, ensure_ascii=False))
    return Asset(sort, row.id, 0, row.name)


def asset(connection: Connection, sort: Sort, id_: int) -> Asset | None:
    """One as it is now, by its id."""
    row = connection.execute(_ONE[sort], {"id": id_}).first()
    return _asset(sort, row) if row is not None else None


def called(connection: Connection, sort: Sort, key: str, volume: int = 0) -> Asset | None:
    """One by its key, a file by its volume too."""
    values = {"key": key, "volume": volume} if sort == "file" else {"key": key}
    id_ = connection.execute(_CALLED[sort], values).scalar()
    return asset(connection, sort, id_) if id_ is not None else None


def files_called(connection: Connection, volume: int, keys: Collection[str]) -> list[Asset]:
    """The files of a volume that have these keys."""
    values = {"volume": volume, "keys": list(keys)}
    return [_asset("file", row) for row in connection.execute(FILES_CALLED, values)] if keys else []


def naming(connection: Connection, one: Asset) -> list[int]:
    """Ids of the pages that name one."""
    values: dict[str, object] = {"kind": int(KINDS[one.sort]), "key": one.key}
    if one.sort == "file":
        return list(connection.execute(NAMING_FILE, {**values, "volume": one.volume}).scalars())
    return list(connection.execute(NAMING, values).scalars())


def names_person(connection: Connection, handle: str) -> bool:
    """Whether a page names a handle, be it somebody's or not."""
    values = {"kind": int(KINDS["person"]), "key": handle}
    return connection.execute(NAMING, values).first() is not None


def since(connection: Connection, change: AssetChange) -> AssetChange:
    """A logged change from what something is by now: of what only the name was changed, the content is what it is, and
    the other way round."""
    now = asset(connection, _sort(change), _id(change))
    before, after = change.before, change.after
    if before is None or after is None or now is None:
        return change
    if before.name == after.name:
        before, after = replace(before, name=now.name), replace(after, name=now.name)
    if before.content == after.content:
        before, after = replace(before, content=now.content), replace(after, content=now.content)
    return AssetChange(before, after)


def in_the_way(connection: Connection, change: AssetChange) -> str:
    """Why something cannot be again what it was before a change; empty if it can."""
    now = asset(connection, _sort(change), _id(change))
    if now != change.after:
        name = (change.after or change.before or now).name  # type: ignore[union-attr]
        return f"“{name}” was changed since, so this cannot be undone. Undo the later change first."
    if change.before is not None and change.before.sort == "file":
        hash_ = bytes.fromhex(json.loads(change.before.content)["hash"])
        if not connection.execute(_HAS_BLOB, {"hash": hash_}).scalar():
            return f"“{change.before.name}” was removed for good after its time, so it cannot come back."
    if change.before is not None:
        holder = called(connection, change.before.sort, change.before.key, change.before.volume)
        if holder is not None and holder.id != change.before.id:
            return f"“{change.before.name}” is the name of another one by now. Rename that first."
    return ""


def _sort(change: AssetChange) -> Sort:
    return (change.before or change.after).sort  # type: ignore[union-attr]


def _id(change: AssetChange) -> int:
    return (change.before or change.after).id  # type: ignore[union-attr]


def change(connection: Connection, changes: Sequence[AssetChange], by: Signature) -> list[int]:
    """Writes what becomes of things; the ids of files that were not there before."""
    made: list[int | None] = []
    for each in changes:
        if _sort(each) == "file":
            made.append(_change_file(connection, each, by))
        else:
            {"source": _change_source, "person": _change_person}[_sort(each)](connection, each, by)
    return [id_ for id_ in made if id_ is not None]


def take_back(connection: Connection, copies: Collection[int]) -> int:
    """Removes copies of files that an act made, but for those that a page names or that became something else since;
    how many that were."""
    gone = 0
    for id_ in copies:
        found = asset(connection, "file", id_)
        if found is not None and not naming(connection, found):
            removed = connection.execute(
                text("DELETE FROM file WHERE id = :id AND version = 1 RETURNING id"), {"id": id_}
            )
            gone += len(removed.all())
    return gone


def _change_file(connection: Connection, change: AssetChange, by: Signature) -> int | None:
    if change.before is not None:
        connection.execute(_KEEP_VERSION, {"id": change.before.id, "until": by.at})
    if change.after is None:
        connection.execute(text("DELETE FROM file WHERE id = :id"), {"id": _id(change)})
        return None
    after = change.after
    values = {
        "id": after.id,
        "key": after.key,
        "name": after.name,
        "person": by.author,
        "at": by.at,
        **json.loads(after.content),
    }
    if change.before is None:
        values["volume"] = after.volume
        if not after.id:
            return int(connection.execute(_ADD_FILE, values).scalar_one())
        connection.execute(_BACK_FILE, values)
    else:
        connection.execute(_CHANGE_FILE, values)
    return None


def _change_source(connection: Connection, change: AssetChange, by: Signature) -> None:
    if change.after is None:
        connection.execute(text("DELETE FROM source WHERE id = :id"), {"id": _id(change)})
        return
    after = change.after
    values = {
        "id": after.id,
        "key": after.key,
        "name": after.name,
        "fields": after.content,
        "person": by.author,
        "at": by.at,
    }
    connection.execute(_BACK_SOURCE if change.before is None else _CHANGE_SOURCE, values)


def _change_person(connection: Connection, change: AssetChange, by: Signature) -> None:
    if change.after is not None:
        people.rename(connection, change.after.id, change.after.key)
