"""Volumes as a folder of plain files, or as a zip of one, that can be imported again.

Everything is of one moment. Pages are read in batches, so memory does not grow with the volume.
"""

from __future__ import annotations

import os
import shutil
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from datetime import datetime
from hashlib import blake2b
from pathlib import Path
from typing import IO, cast

from mokuji.core.base import names
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.style.style import read_style
from mokuji.formats import bibliography
from mokuji.formats.folder_out import Names, OutPage, OutVolume, VolumeOut, beside
from mokuji.services import audit
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.folders.folders import SOURCE_FILES
from mokuji.services.spool import Outgoing, Sink, Spool
from mokuji.store import files, pages, sources
from mokuji.store import volumes as stored_volumes
from mokuji.store.database import Connection, reading, writing
from mokuji.store.kept import house_styles
from mokuji.store.places import placing
from mokuji.store.snapshot import StoredWiki, load_volumes

BATCH = 200
"""Number of pages that are read at once."""
ZIP = "application/zip"
File = tuple[str, bytes]
"""A path with ``/``, and what lies there."""


@contextmanager
def volume_files(app: AppContext, actor: Actor, volume_key: str) -> Iterator[Iterator[File]]:
    """The files of a volume, for whoever may read it and has signed in. Missing if it may not be read."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = volume_to_take(context, volume_key)
        seen = {each.id: each for each in context.volumes.values()}
        yield _files(app, connection, [volume], seen)


def volume_to_take(context: ReadContext, volume_key: str) -> Volume:
    """A volume that is to be taken away, by who may read it and has signed in."""
    volume = context.volume(volume_key)
    if not context.actor.signed_in:
        raise Forbidden("Sign in to take pages away.", code="sign_in")
    return volume


def zipped(app: AppContext, actor: Actor, volume_key: str) -> Outgoing:
    """A volume as a zip, as ``volume_files``."""
    with reading(app.engine) as connection:
        volume = volume_to_take(ReadContext(connection, actor), volume_key)
    note_taken(app, actor, "as files", volume.id)
    return zip_sent(app, volume.key, lambda: volume_files(app, actor, volume_key))


def zipped_wiki(app: AppContext, actor: Actor) -> Outgoing:
    """All volumes as a zip, for owners of the wiki."""
    check_owns(actor)
    note_taken(app, actor, "all volumes as files")
    return zip_sent(app, "wiki", lambda: wiki_files(app))


def check_owns(actor: Actor) -> None:
    """Forbidden, unless the wiki is theirs."""
    if not actor.owns_wiki:
        raise Forbidden(
            "All volumes at once are for owners of the wiki. Take one away from the menu of its name.",
            code="sign_in" if not actor.signed_in else "forbidden",
        )


def note_taken(app: AppContext, actor: Actor, said: str, volume: int | None = None) -> None:
    """Writes down in the audit trail what somebody takes away."""
    with writing(app.engine) as connection:
        audit.record(connection, app.clock(), "taken away", actor, volume=volume, said=said)


def zip_sent(
    app: AppContext, name: str, files_of: Callable[[], AbstractContextManager[Iterator[File]]]
) -> Outgoing:
    """Files on their way as a zip, which is sent while it is made."""

    def make(sink: Sink) -> None:
        with files_of() as found:
            write_zip(found, sink, app.clock())

    return Outgoing(f"{name}.zip", ZIP, Spool(make))


@contextmanager
def wiki_files(app: AppContext, volume_keys: Sequence[str] = ()) -> Iterator[Iterator[File]]:
    """The files of some volumes, or of all, for who runs the wiki. Missing names one that is not there."""
    with reading(app.engine) as connection:
        every = load_volumes(connection)
        for key in volume_keys:
            if names.key(key) not in every:
                raise Missing(f"There is no volume “{key}”.", code="volume_missing")
        wanted = [every[names.key(key)] for key in dict.fromkeys(volume_keys)] or list(every.values())
        yield _files(app, connection, wanted, {each.id: each for each in every.values()})


def every_file(app: AppContext, connection: Connection) -> Iterator[File]:
    """The files of all volumes, as one moment has them."""
    every = load_volumes(connection)
    return _files(app, connection, list(every.values()), {each.id: each for each in every.values()})


def _files(
    app: AppContext, connection: Connection, volumes: Sequence[Volume], seen: dict[int, Volume]
) -> Iterator[File]:
    """What volumes are as files; ``seen`` are those whose names may be told."""
    tops = Names(("files", *SOURCE_FILES))
    written: list[VolumeOut] = []
    for volume in sorted(volumes, key=lambda each: each.key):
        top = tops.give(volume.title)
        out = VolumeOut(_volume(connection, volume, seen), top)
        written.append(out)
        yield from out.about()
        ids = pages.all_ids(connection, volume.id)
        for at in range(0, len(ids), BATCH):
            found = StoredWiki(connection).pages(ids[at : at + BATCH])
            for id_ in sorted(found):
                page = found[id_]
                yield out.page(OutPage(id_, page.head.revision, page.head.title, page.text))
        for each in files.every(connection, volume.id):
            yield out.file(each.name, files.data(connection, each.hash))
    cited = sources.called(connection, sources.cited(connection, [each.id for each in volumes]).keys())
    if cited:
        told = [(cited[key].name, cited[key].fields) for key in sorted(cited)]
        yield SOURCE_FILES[0], bibliography.write_json(told).encode()
    yield from beside(mark_of(app), written, {each.name: each.fields for each in cited.values()})


def mark_of(app: AppContext) -> str:
    """What tells this wiki from others."""
    return blake2b(b"which wiki", key=app.secret[:64], digest_size=16).hexdigest()


def _volume(connection: Connection, volume: Volume, seen: dict[int, Volume]) -> OutVolume:
    cover = stored_volumes.cover(connection, volume.id)
    rows = placing.rows(connection, volume.id)
    front = None
    if cover.front is not None:
        head = pages.find_head(connection, volume.id, cover.front)
        placed = next((row.title for row in rows if row.key == cover.front), names.as_title(cover.front))
        front = head.title if head is not None else placed
    return OutVolume(
        volume.id,
        volume.title,
        rows,
        cover.summary,
        volume.closed,
        front,
        [seen[library].title for library in volume.libraries if library in seen],
        volume.language,
        read_style(house_styles.of(connection, volume.id).rules)[0],
    )


def write_zip(found: Iterable[File], into: IO[bytes] | Sink, at: datetime) -> int:
    """Writes files as a zip; how many they are."""
    number = 0
    with zipfile.ZipFile(cast(IO[bytes], into), "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in found:
            info = zipfile.ZipInfo(path, at.timetuple()[:6])
            info.external_attr = 0o644 << 16
            archive.writestr(info, data, zipfile.ZIP_DEFLATED)
            number += 1
    return number


@contextmanager
def new_file(path: Path) -> Iterator[IO[bytes]]:
    """A new file at a path, which is there when all of it was written, or not at all. Refused if something lies
    there."""
    if path.exists():
        raise Refused(f"{path} is there already. Give the name of a new file.", code="taken")
    made = path.with_name(f".{path.name}.part")
    try:
        with made.open("xb") as opened:
            yield opened
        os.replace(made, path)
    except FileExistsError:
        raise Refused(
            f"{made} is there: another export is being written, or was cut off. Take it away."
        ) from None
    except BaseException:
        made.unlink(missing_ok=True)
        raise


def new_zip(found: Iterable[File], path: Path, at: datetime) -> int:
    """Writes files as a zip at a path, all of them or none; how many they are."""
    with new_file(path) as opened:
        return write_zip(found, opened, at)


def write_folder(found: Iterable[File], folder: Path) -> int:
    """Writes files into a new folder, or one that is empty, all of them or none; how many they are. Refused if
    something lies there."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise Refused(
            f"{folder} is there already and not empty. Give the name of a new folder.", code="taken"
        )
    folder.parent.mkdir(parents=True, exist_ok=True)
    # Beside it, so that it comes to its place in one step.
    made = Path(tempfile.mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
    try:
        number = 0
        for path, data in found:
            target = made / path
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
            number += 1
        made.chmod(0o755)
        os.replace(made, folder)
        return number
    except BaseException:
        shutil.rmtree(made, ignore_errors=True)
        raise
