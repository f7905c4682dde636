"""Files, sources and people as assets that pages name: read, changed by plans, and who names them."""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import replace

from sqlalchemy import (
    Connection,
    DateTime,
    Select,
    Text,
    cast,
    delete,
    exists,
    func,
    insert,
    select,
    text,
    update,
)

from mokuji.core.model.assets import KINDS, Asset, AssetChange, Sort
from mokuji.store import people
from mokuji.store.log.change_sets import Signature
from mokuji.store.statements import among_texts, value
from mokuji.store.tables import blob, file, file_version, held, page, person, source

_CONTENT = ("hash", "type", "size", "width", "height")

_NAMED = (held.c.kind == value("kind"), held.c.key == value("key"))
NAMING_FILE = select(held.c.page).where(page.c.id == held.c.page, *_NAMED, page.c.volume == value("volume"))
NAMING = select(held.c.page).where(*_NAMED)
_as_file = select(
    file.c.id,
    file.c.volume,
    file.c.name,
    func.encode(file.c.hash, "hex", type_=Text).label("hash"),
    file.c.type,
    file.c.size,
    file.c.width,
    file.c.height,
)
ONE_FILE = _as_file.where(file.c.id == value("id"))
FILES_CALLED = _as_file.where(file.c.volume == value("volume"), among_texts(file.c.key, "keys"))
ONE_SOURCE = select(source.c.id, source.c.name, source.c.fields).where(source.c.id == value("id"))
ONE_PERSON = select(person.c.id, person.c.handle).where(person.c.id == value("id"))
CALLED: dict[Sort, Select[int]] = {
    "file": select(file.c.id).where(file.c.volume == value("volume"), file.c.key == value("key")),
    "source": select(source.c.id).where(source.c.key == value("key")),
    "person": select(person.c.id).where(person.c.handle == value("key")),
}
HAS_BLOB = select(exists().where(blob.c.hash == value("hash")))
_ADD_FILE = insert(file).returning(file.c.id)
_KEPT = ("id", "version", "volume", "name", "hash", "type", "size", "width", "height", "person", "at")
_KEEP_VERSION = insert(file_version).from_select(
    ["file", "number", *_KEPT[2:], "until"],
    select(*(file.c[each] for each in _KEPT), cast(value("until"), DateTime(timezone=True))).where(
        file.c.id == value("id")
    ),
)
_CHANGE_FILE = update(file).where(file.c.id == value("of")).values(version=file.c.version + 1)
_DELETE_FILE = delete(file).where(file.c.id == value("id"))
_DELETE_FIRST = delete(file).where(file.c.id == value("id"), file.c.version == 1).returning(file.c.id)
LAST_VERSION = select(func.max(file_version.c.number)).where(file_version.c.file == value("id"))
_CHANGE_SOURCE = (
    update(source)
    .where(source.c.id == value("of"))
    .values(
        key=value("new_key"),
        name=value("new_name"),
        fields=value("new_fields"),
        person=value("by"),
        at=value("when"),
    )
)
_ADD_SOURCE = insert(source).returning(source.c.id)
_DELETE_SOURCE = delete(source).where(source.c.id == value("id"))
# As text: what is given its former id back overrides that of the sequence, which expressions do not say.
_BACK_FILE = text(
    """INSERT INTO file (id, volume, key, name, version, hash, type, size, width, height, person, at)
    OVERRIDING SYSTEM VALUE
    VALUES (:id, :volume, :key, :name, :version, :hash, :type, :size, :width, :height, :person, :at)"""
)
_BACK_SOURCE = text(
    """INSERT INTO source (id, key, name, fields, person, at) OVERRIDING SYSTEM VALUE
    VALUES (:id, :key, :name, CAST(:fields AS json), :person, :at)"""
)


def _file(id_: int, volume: int, name: str, *content: object) -> Asset:
    return Asset("file", id_, volume, name, json.dumps(dict(zip(_CONTENT, content, strict=True))))


def asset(connection: Connection, sort: Sort, id_: int) -> Asset | None:
    """One as it is now, by its id."""
    if sort == "file":
        file_row = connection.execute(ONE_FILE, {"id": id_}).first()
        return _file(*file_row) if file_row is not None else None
    if sort == "source":
        source_row = connection.execute(ONE_SOURCE, {"id": id_}).first()
        if source_row is None:
            return None
        _, name, fields = source_row
        return Asset(sort, id_, 0, name, json.dumps(fields, ensure_ascii=False))
    row = connection.execute(ONE_PERSON, {"id": id_}).first()
    return Asset(sort, id_, 0, row[1]) if row is not None else None


def called(connection: Connection, sort: Sort, key: str, volume: int = 0) -> Asset | None:
    """One by its key, a file by its volume too."""
    values = {"key": key, "volume": volume} if sort == "file" else {"key": key}
    id_ = connection.execute(CALLED[sort], values).scalar()
    # One that is not there takes as long as one that is.
    return asset(connection, sort, id_ or 0)


def files_called(connection: Connection, volume: int, keys: Collection[str]) -> list[Asset]:
    """The files of a volume that have these keys."""
    values = {"volume": volume, "keys": keys}
    return [_file(*row) for row in connection.execute(FILES_CALLED, values)] if keys else []


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
        if not connection.execute(HAS_BLOB, {"hash": hash_}).scalar_one():
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


def change(
    connection: Connection, changes: Sequence[AssetChange], by: Signature
) -> tuple[list[int], tuple[AssetChange, ...]]:
    """Writes what becomes of things; the ids of files that were not there before, and the changes with the ids that new
    sources got."""
    made: list[int] = []
    done: list[AssetChange] = []
    for each in changes:
        if _sort(each) == "file":
            id_ = _change_file(connection, each, by)
            made += [id_] if id_ is not None else []
        elif _sort(each) == "source":
            done.append(_change_source(connection, each, by))
            continue
        else:
            _change_person(connection, each, by)
        done.append(each)
    return made, tuple(done)


def take_back(connection: Connection, copies: Collection[int]) -> int:
    """Removes copies of files that an act made, but for those that a page names or that became something else since;
    how many that were."""
    gone = 0
    for id_ in copies:
        found = asset(connection, "file", id_)
        if found is not None and not naming(connection, found):
            gone += len(connection.execute(_DELETE_FIRST, {"id": id_}).all())
    return gone


def _change_file(connection: Connection, change: AssetChange, by: Signature) -> int | None:
    if change.before is not None:
        connection.execute(_KEEP_VERSION, {"id": change.before.id, "until": by.at})
    if change.after is None:
        connection.execute(_DELETE_FILE, {"id": _id(change)})
        return None
    after = change.after
    told = json.loads(after.content)
    values = {
        "key": after.key,
        "name": after.name,
        "person": by.author,
        "at": by.at,
        **told,
        "hash": bytes.fromhex(told["hash"]),
    }
    if change.before is not None:
        connection.execute(_CHANGE_FILE, {**values, "of": after.id})
        return None
    values["volume"] = after.volume
    if not after.id:
        return connection.execute(_ADD_FILE, {**values, "version": 1}).scalar_one()
    last = connection.execute(LAST_VERSION, {"id": after.id}).scalar()
    connection.execute(_BACK_FILE, {**values, "id": after.id, "version": (last or 0) + 1})
    return None


def _change_source(connection: Connection, change: AssetChange, by: Signature) -> AssetChange:
    if change.after is None:
        connection.execute(_DELETE_SOURCE, {"id": _id(change)})
        return change
    after = change.after
    if change.before is not None:
        told = {"new_key": after.key, "new_name": after.name, "new_fields": json.loads(after.content)}
        connection.execute(_CHANGE_SOURCE, {**told, "of": after.id, "by": by.author, "when": by.at})
        return change
    values = {"key": after.key, "name": after.name, "person": by.author, "at": by.at}
    if after.id:
        connection.execute(_BACK_SOURCE, {**values, "id": after.id, "fields": after.content})
        return change
    given = connection.execute(_ADD_SOURCE, {**values, "fields": json.loads(after.content)}).scalar_one()
    return AssetChange(None, replace(after, id=given))


def _change_person(connection: Connection, change: AssetChange, by: Signature) -> None:
    if change.after is not None:
        people.rename(connection, change.after.id, change.after.key)
