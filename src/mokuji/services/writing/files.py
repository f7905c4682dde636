"""Files of a volume: brought while writing, listed, shown to who may read the volume."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Literal

from mokuji.core.base.errors import Collision, Missing, Refused, TooMany
from mokuji.core.base.spans import Lines
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax import files as naming
from mokuji.core.syntax.destinations import link_around
from mokuji.core.syntax.files import destination as destination
from mokuji.formats.media import at_width, recognise
from mokuji.services.app_context import AppContext, ReadContext, check, find_volume
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import files as stored
from mokuji.store import people
from mokuji.store.database import Connection, reading, writing
from mokuji.store.files import StoredFile as StoredFile
from mokuji.store.files import Version as Version
from mokuji.store.index import assets

SCREEN = 60
"""Files on one screen of the list."""
OFFERED = 20
"""Files that are offered for a name in the making."""
FRESH = timedelta(hours=1)
"""So long who brought a file may call it otherwise: after that others may have named it."""
MOST_TAKEN = 1_000
WIDTHS = (320, 640, 1280)
"""Pictures can be had at these widths, in points."""
SCALED = frozenset({"image/png", "image/jpeg", "image/webp", "image/avif"})


@dataclass(frozen=True, slots=True)
class Brought:
    """A file that was brought: as it is stored, and whether the same content was there already."""

    volume: Volume
    file: StoredFile
    known: bool


Which = Literal["all", "unused", "equal"]


@dataclass(frozen=True)
class FilesView:
    """Files of a volume, a screen at a time: all, those that no page names, or those with equal content. ``used`` says
    by key on how many pages each is named and in how many places, ``missing`` which are named and not there."""

    place: VolumeView
    files: tuple[StoredFile, ...]
    people: Mapping[int, str]
    more_after: str | None
    which: Which = "all"
    used: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    missing: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True, slots=True)
class Naming:
    """A place that names a file: the page, its line, and the sentence around it."""

    page: PageHead
    line: int
    sentence: Excerpt


@dataclass(frozen=True)
class FileView:
    """A file with all that is known of it: where it is named, what it was, and what else has the same content."""

    place: VolumeView
    file: StoredFile
    people: Mapping[int, str]
    pages: int
    places: int
    naming: tuple[Naming, ...]
    versions: tuple[Version, ...]
    same: tuple[StoredFile, ...]


def bring(app: AppContext, actor: Actor, volume_key: str, name: str, data: bytes) -> Brought:
    """Keeps a file under a readable name made of its own; the same content is kept once, under the name that it has.
    BadFile says why it is not kept."""
    media = recognise(data, name)
    hash_ = hashlib.sha256(media.data).digest()
    wanted = naming.readable(name, media.ending)
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.WRITE, volume)
        same = stored.same(connection, volume.id, hash_)
        if same is not None:
            return Brought(volume, same, True)
        free = naming.check_name(_free(connection, volume, wanted))
        told = (media.type, media.width, media.height)
        named = (naming.key(free), free)
        signed = (actor.person, app.clock())
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
        taken = stored.called(connection, volume.id, [naming.key(name) for name in names])
        free = next((name for name in names if naming.key(name) not in taken), None)
        if free is not None:
            return free
    raise Refused(
        f"There are too many files called “{wanted}” or nearly so. Give it another name.", code="file_name"
    )


def call(app: AppContext, actor: Actor, volume_key: str, name: str, new: str) -> StoredFile:
    """Calls a file otherwise that one has only just brought. Its ending stays."""
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.WRITE, volume)
        file = _need(connection, volume, name)
        if file.person != actor.person or app.clock() - file.at > FRESH:
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
    files = stored.called(connection, volume.id, [naming.key(name)])
    if not files:
        raise Missing(f"“{volume.title}” has no file “{name}”.", code="file_missing")
    return next(iter(files.values()))


def fetch(app: AppContext, actor: Actor, volume_key: str, name: str) -> StoredFile:
    """A file by its name, without its bytes."""
    with reading(app.engine) as connection:
        return _need(connection, find_volume(connection, actor, volume_key), name)


def content(app: AppContext, file: StoredFile) -> bytes:
    """The bytes of a file that was fetched."""
    with reading(app.engine) as connection:
        return stored.data(connection, file.hash)


def files_like(app: AppContext, actor: Actor, volume_key: str, typed: str) -> list[StoredFile]:
    """Files of a volume to choose from while a name is typed."""
    with reading(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        return stored.like(connection, volume.id, naming.key(typed), OFFERED)


def stage(app: AppContext, actor: Actor, volume_key: str, name: str, data: bytes) -> str:
    """Keeps bytes that are to take the place of file ``name``; their SHA-256 in hexadecimal digits. BadFile says why
    they are not kept."""
    media = recognise(data, name)
    hash_ = hashlib.sha256(media.data).digest()
    with writing(app.engine) as connection:
        volume = find_volume(connection, actor, volume_key)
        check(actor, Permission.RENAME, volume)
        _need(connection, volume, name)
        assert actor.person is not None
        stored.put(connection, hash_, media.data, actor.person, app.clock())
    return hash_.hex()


def version(app: AppContext, actor: Actor, volume_key: str, name: str, number: int) -> StoredFile:
    """What a file was by the number of its version, without its bytes; Missing if it never was that."""
    with reading(app.engine) as connection:
        file = _need(connection, find_volume(connection, actor, volume_key), name)
        was = next((v for v in stored.versions(connection, file.id, MOST_TAKEN) if v.number == number), None)
        if was is None:
            raise Missing(f"“{name}” has no version {number}.", code="version_missing")
        return replace(
            file,
            version=number,
            hash=was.hash,
            type=was.type,
            size=was.size,
            width=was.width,
            height=was.height,
        )


def scaled(app: AppContext, file: StoredFile, width: int) -> bytes | None:
    """A picture at one of the widths of ``WIDTHS``, as WebP; None for what is no picture of points, or no wider."""
    if width not in WIDTHS or file.width <= width or file.type not in SCALED:
        return None
    with reading(app.engine) as connection:
        found = stored.scaled(connection, file.hash, width)
        if found is not None:
            return found or None
        data = stored.data(connection, file.hash)
    try:
        made = at_width(data, width)
    except TooMany:
        return None  # the reader gets the picture as it is
    with writing(app.engine) as connection:
        # That there is none is kept, too: finding it out takes as long.
        stored.keep_scaled(connection, file.hash, width, made or b"")
    return made


def widths(file: StoredFile) -> tuple[int, ...]:
    """The widths at which a picture can be had beside its own."""
    return tuple(w for w in WIDTHS if w < file.width) if file.type in SCALED else ()


def about(app: AppContext, actor: Actor, volume_key: str, name: str) -> FileView:
    """All that is known of a file."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        file = _need(connection, volume, name)
        asset = assets.asset(connection, "file", file.id)
        assert asset is not None
        ids = assets.naming(connection, asset)
        used = stored.used(connection, volume.id, [file.key]).get(file.key, (0, 0))
        named = [place for page in _first(context, ids) for place in _places(page, file.key)]
        versions = stored.versions(connection, file.id, SCREEN)
        people_ = {p for p in (file.person, *(v.person for v in versions)) if p is not None}
        same = [
            f
            for f in stored.equal(connection, volume.id, MOST_TAKEN)
            if f.hash == file.hash and f.id != file.id
        ]
        return FileView(
            volume_view(context, volume),
            file,
            people.names_of(connection, people_),
            *used,
            tuple(named[:SCREEN]),
            tuple(versions),
            tuple(same),
        )


def _first(context: ReadContext, ids: Sequence[int]) -> list[Page]:
    pages = context.wiki.pages(sorted(ids)[:SCREEN])
    return sorted(pages.values(), key=lambda page: page.head.key)


def _places(page: Page, key: str) -> Iterator[Naming]:
    lines = Lines(page.text)
    for each in page.content.destinations:
        if each.key == key:
            span, words = link_around(page.text, each)
            start = max(0, span.start - REACH)
            sentence = excerpt(page.text[start : span.end + REACH], span.moved(-start), words)
            yield Naming(page.head, lines.position(each.span.start).line, sentence)


def files_of(
    app: AppContext, actor: Actor, volume_key: str, after: str = "", which: Which = "all"
) -> FilesView:
    """The files of a volume, from one on."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        if which == "equal":
            files = stored.equal(connection, volume.id, MOST_TAKEN)
        else:
            listed = stored.unused if which == "unused" else stored.of_volume
            files = listed(connection, volume.id, after=after, most=SCREEN + 1)
        names = people.names_of(connection, {f.person for f in files if f.person is not None})
        more = files[SCREEN - 1].key if len(files) > SCREEN and which != "equal" else None
        files = files if which == "equal" else files[:SCREEN]
        used = stored.used(connection, volume.id, [file.key for file in files])
        lost = stored.missing(connection, volume.id, SCREEN) if not after else []
        return FilesView(volume_view(context, volume), tuple(files), names, more, which, used, tuple(lost))
