"""Folders that were brought to a volume: kept with what was chosen of them until they are taken in or discarded."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, bindparam, delete, exists, insert, select, update
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.store.statements import value
from mokuji.store.tables import brought as folders
from mokuji.store.tables import brought_file as files
from mokuji.store.tables import change_set

BATCH_BYTES = 4_000_000
"""Files are written in batches of about so many bytes."""


@dataclass(frozen=True, slots=True)
class Folder:
    """A folder that was brought, without what lies in it."""

    id: int
    volume: int
    person: int
    name: str
    at: datetime
    files: int
    said: Any
    choices: Any
    taken: int | None


@dataclass(frozen=True, slots=True)
class BroughtFile:
    """A file of one. ``read``: it is a page, or about pages."""

    path: str
    hash: bytes
    read: bool
    data: bytes
    about: Any = None


@dataclass(frozen=True, slots=True)
class Kept:
    """A file of one that pages name, without its bytes: its SHA-256, and what it is (None: as another file is)."""

    hash: bytes
    about: Any


_ADD = insert(folders).returning(folders.c.id)
_ADD_FILES = insert(files)
_COUNTED = (
    update(folders).where(folders.c.id == value("of")).values(files=value("number"), said=value("what"))
)
ONE = select(folders).where(folders.c.id == value("id"))
_stands = exists().where(change_set.c.id == folders.c.taken, change_set.c.undone_by.is_(None))
OF_PERSON = (
    select(folders)
    .where(folders.c.person == value("person"), folders.c.volume == value("volume"), ~_stands)
    .order_by(folders.c.id.desc())
    .limit(value("most"))
)
READ = (
    select(files.c.path, files.c.data)
    .where(files.c.brought == value("of"), files.c.read)
    .order_by(files.c.path)
)
KEPT = select(files.c.path, files.c.hash, files.c.about).where(files.c.brought == value("of"), ~files.c.read)
DATA = select(files.c.data).where(files.c.brought == value("of"), files.c.path == value("at"))
_CHOOSE = (
    update(folders)
    .where(folders.c.id == value("of"))
    .values(choices=folders.c.choices.op("||")(bindparam("chosen", type_=JSONB)))
)
_TAKEN = update(folders).where(folders.c.id == value("of")).values(taken=value("act"))
_DROP = delete(folders).where(folders.c.id == value("of"))
_FORGET = delete(folders).where(folders.c.at < value("before"))


def keep(
    connection: Connection,
    volume: int,
    person: int,
    name: str,
    at: datetime,
    found: Iterable[BroughtFile],
    said: Callable[[], Any],
) -> int:
    """Keeps a folder; its number. ``said`` gives what is to be told of it, once all files were looked at."""
    about = {"volume": volume, "person": person, "name": name, "at": at, "files": 0, "said": {}}
    id_ = connection.execute(_ADD, about).scalar_one()
    number = size = 0
    batch: list[dict[str, object]] = []
    for each in found:
        values = {"brought": id_, "path": each.path, "hash": each.hash, "read": each.read}
        batch.append({**values, "data": each.data, "about": each.about})
        number, size = number + 1, size + len(each.data)
        if size > BATCH_BYTES or len(batch) >= 500:
            connection.execute(_ADD_FILES, batch)
            batch, size = [], 0
    if batch:
        connection.execute(_ADD_FILES, batch)
    connection.execute(_COUNTED, {"of": id_, "number": number, "what": said()})
    return id_


def find(connection: Connection, id_: int) -> Folder | None:
    """A folder by its number."""
    row = connection.execute(ONE, {"id": id_}).first() if 0 < id_ < 2**31 else None
    return Folder(*row) if row is not None else None


def of_person(connection: Connection, person: int, volume: int, most: int) -> list[Folder]:
    """What somebody brought to a volume and that is not taken in, newest first."""
    rows = connection.execute(OF_PERSON, {"person": person, "volume": volume, "most": most})
    return [Folder(*row) for row in rows]


def read(connection: Connection, id_: int) -> dict[str, bytes]:
    """Its pages, and what is about them, by path."""
    return {row.path: row.data for row in connection.execute(READ, {"of": id_})}


def kept(connection: Connection, id_: int) -> dict[str, Kept]:
    """Its other files by path."""
    return {path: Kept(hash_, about) for path, hash_, about in connection.execute(KEPT, {"of": id_})}


def data(connection: Connection, id_: int, path: str) -> bytes:
    """The bytes of a file of it."""
    return connection.execute(DATA, {"of": id_, "at": path}).scalar_one()


def choose(connection: Connection, id_: int, chosen: Mapping[str, str]) -> None:
    """Adds to what was chosen."""
    connection.execute(_CHOOSE, {"of": id_, "chosen": dict(chosen)})


def taken(connection: Connection, id_: int, change_set: int) -> None:
    """It was taken in by a change."""
    connection.execute(_TAKEN, {"of": id_, "act": change_set})


def drop(connection: Connection, id_: int) -> None:
    """Discards it."""
    connection.execute(_DROP, {"of": id_})


def forget(connection: Connection, before: datetime) -> int:
    """Discards those that were brought before a moment; how many."""
    return connection.execute(_FORGET, {"before": before}).rowcount
