"""Files of a volume: brought while writing, listed, shown to who may read the volume."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from mokuji.core import files as naming
from mokuji.core.errors import Collision, Missing, Refused
from mokuji.core.policy import Act, Actor
from mokuji.core.wiki import Volume
from mokuji.formats.media import recognise
from mokuji.services.desk import Desk, Sight, check, find_volume
from mokuji.services.reading import VolumeView, volume_view
from mokuji.store import files as stored
from mokuji.store import people
from mokuji.store.database import Connection, reading, writing
from mokuji.store.files import StoredFile as StoredFile

SCREEN = 60
"""Files on one screen of the list."""
OFFERED = 20
"""Files that are offered for a name in the making."""
FRESH = timedelta(hours=1)
"""So long who brought a file may call it otherwise: after that others may have named it."""
MOST_TAKEN = 1_000


@dataclass(frozen=True, slots=True)
class Brought:
    """A file that was brought: as it is stored, and whether the same content was there already."""

    volume: Volume
    file: StoredFile
    known: bool


@dataclass(frozen=True)
class FilesView:
    """Files of a volume, a screen at a time, with the names of who brought them."""

    place: VolumeView
    files: tuple[StoredFile, ...]
    people: Mapping[int, str]
    more_after: str | None


def bring(desk: Desk, actor: Actor, volume_key: str, name: str, data: bytes) -> Brought:
    """Keeps a file under a readable name made of its own; the same content is kept once, under the name that it has.
    BadFile says why it is not kept."""
    media = recognise(data, name)
    hash_ = hashlib.sha256(media.data).digest()
    wanted = naming.readable(name, media.ending)
    with writing(desk.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Act.WRITE, volume)
        same = stored.same(connection, volume.id, hash_)
        if same is not None:
            return Brought(volume, same, True)
        free = naming.check_name(_free(connection, volume, wanted))
        told = (media.type, media.width, media.height)
        named = (naming.key(free), free)
        signed = (actor.person, desk.clock())
        return Brought(
            volume, stored.add(connection, volume.id, named, media.data, hash_, told, signed), False
        )


def keep_as(
    connection: Connection, volume: int, name: str, data: bytes, signed: tuple[int | None, datetime]
) -> StoredFile:
    """Keeps a file under the very name that pages have for it; ``signed`` says who brought it and when. BadFile or
    BadName say why it is not kept."""
    media = recognise(data, name)
    name = naming.check_name(name)
    hash_ = hashlib.sha256(media.data).digest()
    told = (media.type, media.width, media.height)
    named = (naming.key(name), name)
    return stored.add(connection, volume, named, media.data, hash_, told, signed)


def _free(connection: Connection, volume: Volume, wanted: str) -> str:
    """The name, with a number if it is taken."""
    step = 50
    for first in range(2, MOST_TAKEN, step):
        names = [wanted, *(naming.numbered(wanted, n) for n in range(first, first + step))]
        taken = stored.called(connection, volume.id, [naming.key(each) for each in names])
        free = next((each for each in names if naming.key(each) not in taken), None)
        if free is not None:
            return free
    raise Refused(
        f"There are too many files called “{wanted}” or nearly so. Give it another name.", code="file_name"
    )


def call(desk: Desk, actor: Actor, volume_key: str, name: str, new: str) -> StoredFile:
    """Calls a file otherwise that one has only just brought. Its ending stays."""
    with writing(desk.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Act.WRITE, volume)
        file = _need(connection, volume, name)
        if file.person != actor.person or desk.clock() - file.at > FRESH:
            raise Refused(
                f"“{file.name}” has been here for a while, and pages may name it: it keeps its name.",
                code="file_old",
            )
        wanted = naming.check_name(naming.readable(new, naming.ending(file.name)))
        key = naming.key(wanted)
        if key != file.key and stored.called(connection, volume.id, [key]):
            raise Collision(f"There is a file “{wanted}” already. Choose another name.", code="file_name")
        stored.rename(connection, file.id, key, wanted)
        return _need(connection, volume, wanted)


def _need(connection: Connection, volume: Volume, name: str) -> StoredFile:
    found = stored.called(connection, volume.id, [naming.key(name)])
    if not found:
        raise Missing(f"“{volume.title}” has no file “{name}”.", code="file_missing")
    return next(iter(found.values()))


def fetch(desk: Desk, actor: Actor, volume_key: str, name: str) -> StoredFile:
    """A file by its name, without its bytes."""
    with reading(desk.engine) as connection:
        return _need(connection, find_volume(connection, actor, volume_key), name)


def content(desk: Desk, file: StoredFile) -> bytes:
    """The bytes of a file that was fetched."""
    with reading(desk.engine) as connection:
        return stored.data(connection, file.hash)


def known_to(desk: Desk, actor: Actor, volume: int, name: str) -> tuple[Volume, StoredFile] | None:
    """A file that a page of a volume names, if the actor may read that volume and it is there."""
    with reading(desk.engine) as connection:
        home = next((each for each in Sight(connection, actor).volumes.values() if each.id == volume), None)
        if home is None:
            return None
        found = stored.called(connection, home.id, [naming.key(name)])
        return next(((home, file) for file in found.values()), None)


def files_like(desk: Desk, actor: Actor, volume_key: str, typed: str) -> list[StoredFile]:
    """Files of a volume to choose from while a name is typed."""
    with reading(desk.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        return stored.like(connection, volume.id, naming.key(typed), OFFERED)


def files_of(desk: Desk, actor: Actor, volume_key: str, after: str = "") -> FilesView:
    """The files of a volume, from one on."""
    with reading(desk.engine) as connection:
        sight = Sight(connection, actor)
        volume = sight.volume(volume_key)
        found = stored.of_volume(connection, volume.id, after=after, most=SCREEN + 1)
        names = people.names_of(connection, {f.person for f in found if f.person is not None})
        more = found[SCREEN - 1].key if len(found) > SCREEN else None
        return FilesView(volume_view(sight, volume), tuple(found[:SCREEN]), names, more)
