"""Files: what they are called in a volume, and their bytes by content."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, delete, exists, func, insert, or_, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.language.asset_mentions import AssetKind
from mokuji.store.statements import among, among_texts, fixed, value
from mokuji.store.tables import blob, file_version, held, page, staged
from mokuji.store.tables import file as files
from mokuji.store.tables import scaled as pictures

AT_ONCE = 500
"""Files whose names are read at once."""


@dataclass(frozen=True, slots=True)
class Content:
    """What a file is, without its bytes. ``hash`` is that of these, ``type`` their media type; ``width`` and ``height``
    are 0 for what is no picture."""

    hash: bytes
    type: str
    size: int
    width: int
    height: int
    person: int | None
    at: datetime


@dataclass(frozen=True, slots=True)
class StoredFile(Content):
    """A file of a volume."""

    id: int
    volume: int
    key: str
    name: str
    version: int


_in_volume = select(files).where(files.c.volume == value("volume"))
CALLED = _in_volume.where(among_texts(files.c.key, "keys"))
_by_key = (
    _in_volume.where(files.c.key > value("after")).order_by(files.c.volume, files.c.key).limit(value("most"))
)
OF_VOLUME = _by_key
LIKE = (
    _in_volume.where(files.c.key.like(value("part")))
    .order_by(func.strpos(files.c.key, value("typed")), files.c.key)
    .limit(value("most"))
)
SAME = _in_volume.where(files.c.hash == value("hash")).order_by(files.c.key).limit(1)
NEAR = (
    _in_volume.where(files.c.key.op("%")(value("key")))
    .order_by(func.similarity(files.c.key, value("key")).desc(), files.c.key)
    .limit(1)
)
_NAMED = and_(held.c.page == page.c.id, held.c.kind == fixed(AssetKind.FILE))
USED = (
    select(held.c.key, func.count(), func.sum(held.c.count))
    .where(_NAMED, among_texts(held.c.key, "keys"), page.c.volume == value("volume"))
    .group_by(held.c.key)
)
UNUSED = _by_key.where(~exists().where(_NAMED, held.c.key == files.c.key, page.c.volume == files.c.volume))
MISSING = (
    select(held.c.key, func.count())
    .where(
        _NAMED,
        page.c.volume == value("volume"),
        ~exists().where(files.c.volume == page.c.volume, files.c.key == held.c.key),
    )
    .group_by(held.c.key)
    .order_by(held.c.key)
    .limit(value("most"))
)
_other = files.alias("other")
EQUAL = (
    _in_volume.where(
        exists().where(
            _other.c.hash == files.c.hash, _other.c.volume == files.c.volume, _other.c.id != files.c.id
        )
    )
    .order_by(files.c.hash, files.c.key)
    .limit(value("most"))
)
VERSIONS = (
    select(file_version)
    .where(file_version.c.file == value("file"))
    .order_by(file_version.c.number.desc())
    .limit(value("most"))
)
_SCALED = select(pictures.c.data).where(pictures.c.hash == value("hash"), pictures.c.width == value("width"))
_KEEP_SCALED = insert_or_else(pictures).on_conflict_do_nothing(index_elements=["hash", "width"])
_FORGET_VERSIONS = delete(file_version).where(
    file_version.c.until < value("before"), ~exists().where(files.c.id == file_version.c.file)
)
_FORGET_BLOBS = delete(blob).where(
    blob.c.at < value("before"),
    ~exists().where(files.c.hash == blob.c.hash),
    ~exists().where(file_version.c.hash == blob.c.hash),
)
_FORGET_STAGED = delete(staged).where(staged.c.at < value("before"))
DATA = select(blob.c.data).where(blob.c.hash == value("hash"))
_PUT_BLOB = insert_or_else(blob).on_conflict_do_nothing(index_elements=["hash"])
_STAGE = insert_or_else(staged)
_STAGE = _STAGE.on_conflict_do_update(index_elements=["hash", "person"], set_={"at": _STAGE.excluded.at})
MAY_USE = select(
    or_(
        exists().where(files.c.hash == value("hash"), among(files.c.volume, "volumes")),
        exists().where(file_version.c.hash == value("hash"), file_version.c.file == value("file")),
        exists().where(staged.c.hash == value("hash"), staged.c.person == value("person")),
    )
)
_ADD = insert(files).returning(files)
_RENAME = (
    update(files).where(files.c.id == value("file")).values(key=value("new_key"), name=value("new_name"))
)


def called(connection: Connection, volume: int, keys: Collection[str]) -> dict[str, StoredFile]:
    """The files of a volume that have these keys."""
    rows = connection.execute(CALLED, {"volume": volume, "keys": keys}).all() if keys else []
    return {row.key: StoredFile(*row) for row in rows}


def of_volume(connection: Connection, volume: int, *, after: str, most: int) -> list[StoredFile]:
    """The files of a volume by name, from one on."""
    values = {"volume": volume, "after": after, "most": most}
    return [StoredFile(*row) for row in connection.execute(OF_VOLUME, values).all()]


def every(connection: Connection, volume: int) -> Iterator[StoredFile]:
    """All files of a volume by name."""
    after = ""
    while found := of_volume(connection, volume, after=after, most=AT_ONCE):
        yield from found
        after = found[-1].key


def like(connection: Connection, volume: int, typed: str, most: int) -> list[StoredFile]:
    """Files whose name holds some letters, those first in which they stand first."""
    part = "%" + typed.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    values = {"volume": volume, "part": part, "typed": typed, "most": most}
    return [StoredFile(*row) for row in connection.execute(LIKE, values).all()]


def near(connection: Connection, volume: int, key: str) -> StoredFile | None:
    """The file of a volume that is called most like this."""
    row = connection.execute(NEAR, {"volume": volume, "key": key}).first()
    return StoredFile(*row) if row is not None else None


def same(connection: Connection, volume: int, hash_: bytes) -> StoredFile | None:
    """A file of the volume with this content."""
    row = connection.execute(SAME, {"volume": volume, "hash": hash_}).first()
    return StoredFile(*row) if row is not None else None


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
        "version": 1,
        "hash": hash_,
        "type": told[0],
        "size": len(data),
        "width": told[1],
        "height": told[2],
        "person": signed[0],
        "at": signed[1],
    }
    return StoredFile(*connection.execute(_ADD, values).one())


def rename(connection: Connection, file: int, key: str, name: str) -> None:
    """Calls a file otherwise; what names it is not looked at."""
    connection.execute(_RENAME, {"file": file, "new_key": key, "new_name": name})


@dataclass(frozen=True, slots=True)
class Version(Content):
    """What a file was until it became something else."""

    file: int
    number: int
    volume: int
    name: str
    until: datetime


def versions(connection: Connection, file: int, most: int) -> list[Version]:
    """The former versions of a file, newest first."""
    rows = connection.execute(VERSIONS, {"file": file, "most": most})
    return [Version(*row) for row in rows]


def used(connection: Connection, volume: int, keys: Collection[str]) -> dict[str, tuple[int, int]]:
    """On how many pages of its volume each file is named, and in how many places."""
    rows = connection.execute(USED, {"volume": volume, "keys": keys}).all() if keys else []
    return {key: (pages, places) for key, pages, places in rows}


def unused(connection: Connection, volume: int, *, after: str, most: int) -> list[StoredFile]:
    """Files that no page of their volume names, by name, from one on."""
    values = {"volume": volume, "after": after, "most": most}
    return [StoredFile(*row) for row in connection.execute(UNUSED, values).all()]


def missing(connection: Connection, volume: int, most: int) -> list[tuple[str, int]]:
    """Keys of files that pages name and that are not there, with the number of pages."""
    rows = connection.execute(MISSING, {"volume": volume, "most": most})
    return [(key, pages) for key, pages in rows]


def equal(connection: Connection, volume: int, most: int) -> list[StoredFile]:
    """Files of which others of the volume have the same content; those with the same one stand together."""
    return [StoredFile(*row) for row in connection.execute(EQUAL, {"volume": volume, "most": most}).all()]


def scaled(connection: Connection, hash_: bytes, width: int) -> bytes | None:
    """A picture at a width that was made before."""
    return connection.execute(_SCALED, {"hash": hash_, "width": width}).scalar()


def keep_scaled(connection: Connection, hash_: bytes, width: int, data: bytes) -> None:
    """Keeps a picture at a width."""
    connection.execute(_KEEP_SCALED, {"hash": hash_, "width": width, "data": data})


def put(connection: Connection, hash_: bytes, data: bytes, person: int, at: datetime) -> None:
    """Keeps bytes that somebody brought and that nothing names yet; ``forget`` clears them away if nothing ever
    does."""
    connection.execute(_PUT_BLOB, {"hash": hash_, "data": data})
    connection.execute(_STAGE, {"hash": hash_, "person": person, "at": at})


def may_use(connection: Connection, hash_: bytes, file: int, volumes: Collection[int], person: int) -> bool:
    """Whether a content is that of a file in one of these volumes, was once that of this file, or was brought by this
    person."""
    values = {"hash": hash_, "file": file, "volumes": volumes, "person": person}
    return connection.execute(MAY_USE, values).scalar_one()


def find_data(connection: Connection, hash_: bytes) -> bytes | None:
    """The bytes of a content, if they are there."""
    return connection.execute(DATA, {"hash": hash_}).scalar()


def forget(connection: Connection, before: datetime, staged_before: datetime) -> int:
    """Clears away versions of files that went before a moment, and bytes that nothing names; how many contents."""
    connection.execute(_FORGET_VERSIONS, {"before": before})
    connection.execute(_FORGET_STAGED, {"before": staged_before})
    return connection.execute(_FORGET_BLOBS, {"before": staged_before}).rowcount


def data(connection: Connection, hash_: bytes) -> bytes:
    """The bytes of a content."""
    return connection.execute(DATA, {"hash": hash_}).scalar_one()
