"""Folders that are brought to a volume: received whole or not at all, chosen from, taken in by a plan, or discarded.

One waits for whoever brought it, for as long as pages lie in the trash. What lies in it is looked at as it comes;
pages and what is about them are read when it is compared.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from hashlib import sha256
from pathlib import Path
from typing import IO

from mokuji.core.base import names
from mokuji.core.base.errors import BadFile, BadRequest, Forbidden, Missing, MokujiError, Refused
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.bringing.comparing import SIDES
from mokuji.core.syntax import files as file_names
from mokuji.formats.folder_base import ALL, BESIDE, FORMAT_FILE, read_base
from mokuji.formats.media import recognise
from mokuji.formats.zip_in import (
    MOST_BESIDE,
    MOST_FILES,
    MOST_OF_ONE,
    MOST_UNPACKED,
    Zip,
    checked_path,
    wrapped,
)
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.folders import coming_back
from mokuji.services.folders.coming_back import ORDER, Coming
from mokuji.services.folders.exporting import mark_of
from mokuji.services.folders.folders import SOURCE_FILES
from mokuji.services.looking_back.trash import KEPT_DAYS as KEPT_DAYS
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import brought as stored
from mokuji.store import files
from mokuji.store.database import Connection, reading
from mokuji.store.database import writing as writing_transaction

WAITING = 20
"""Maximum number of folders that one person can have waiting at one volume."""
TOLD = 20
"""Files that are left out are named up to so many."""
LONGEST_NAME = 200
LONGEST_ID = 2_000
"""Maximum number of code points of the id of something that is chosen."""
Opened = Callable[[], bytes]


@dataclass(frozen=True)
class Waiting:
    """The folders of somebody that wait at a volume, newest first."""

    place: VolumeView
    folders: tuple[stored.Folder, ...]


@dataclass
class _Receiving:
    """What is found while a folder is received."""

    connection: Connection
    volume: Volume
    mark: str
    known: bool = False
    """Whether it says that it left this very wiki."""
    problems: list[str] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)
    """Paths of files that are not kept: they lie there, and do not count as gone."""
    surplus: list[str] = field(default_factory=list)
    more: int = 0

    def kept(self, found: Iterator[tuple[str, Opened]]) -> Iterator[stored.BroughtFile]:
        """The files that are kept of a folder; what is none, and why, is noted."""
        known = {each.hash: each for each in files.every(self.connection, self.volume.id)}
        for path, opened in found:
            parts = path.split("/")
            if (
                path in ALL
                or path in SOURCE_FILES
                or ((path.endswith(".md") or parts[-1] == "volume.yaml") and "files" not in parts[:-1])
            ):
                if not any(part.startswith(".") for part in parts) or path in ALL:
                    data = opened()
                    if path == FORMAT_FILE:
                        self.known = read_base({path: data}).wiki == self.mark
                    yield stored.BroughtFile(path, sha256(data).digest(), True, data)
            elif len(parts) in {2, 3} and parts[-2] == "files" and not parts[-1].startswith("."):
                made = self._file(path, opened(), known)
                if made is not None:
                    yield made
            elif not any(part.startswith(".") or part == "__MACOSX" for part in parts):
                self._left(path)

    def _file(
        self, path: str, data: bytes, known: Mapping[bytes, files.StoredFile]
    ) -> stored.BroughtFile | None:
        """A file that pages name; what the volume has already need not be looked at."""
        name, hash_ = path.rpartition("/")[2], sha256(data).digest()
        same = known.get(hash_)
        try:
            file_names.check_name(name)
            if same is not None:
                about = {"type": same.type, "size": same.size, "width": same.width, "height": same.height}
                return stored.BroughtFile(path, hash_, False, data, about)
            media = recognise(data, name)
        except MokujiError as fault:
            self.problems.append(f"{path}: {fault.message}")
            self.refused.append(path)
            return None
        about = {"type": media.type, "size": len(media.data), "width": media.width, "height": media.height}
        return stored.BroughtFile(path, sha256(media.data).digest(), False, media.data, about)

    def _left(self, path: str) -> None:
        if len(self.surplus) < TOLD:
            self.surplus.append(path)
        else:
            self.more += 1

    def said(self) -> dict[str, object]:
        """What is kept beside the files, once all were looked at."""
        told: dict[str, object] = {
            "problems": self.problems[:200],
            "surplus": self.surplus,
            "more": self.more,
        }
        return told | {"known": self.known, "refused": self.refused}


def receive_zip(app: AppContext, actor: Actor, volume_key: str, name: str, source: IO[bytes]) -> int:
    """Keeps a zip that is brought to a volume; its number. BadFile says why it is not taken."""
    opened = Zip(source)
    found = ((entry.path, lambda entry=entry: opened.data(entry)) for entry in opened)
    return _receive(app, actor, volume_key, name.removesuffix(".zip"), found)


def receive_files(
    app: AppContext, actor: Actor, volume_key: str, given: Sequence[tuple[str, IO[bytes]]]
) -> int:
    """Keeps files of a folder, as a browser sends them: their paths begin with the name of the folder."""
    if len(given) > MOST_FILES:
        raise BadFile(f"There are more than {MOST_FILES:,} files. Bring them in parts.", code="too_large")
    paths = [checked_path(path) for path, _ in given]
    if len(set(paths)) < len(paths):
        raise BadFile("Two of the files have the same path. Choose the folder again.", code="bad_zip")
    tops = {path.partition("/")[0] for path in paths}
    name = tops.pop() if len(tops) == 1 and all("/" in path for path in paths) else ""
    inside = [path[len(name) + 1 :] if name else path for path in paths]
    lead = wrapped(set(inside))
    found = (
        (path[len(lead) :], partial(_bounded, path, file))
        for path, (_, file) in zip(inside, given, strict=True)
        if path.startswith(lead)
    )
    return _receive(app, actor, volume_key, name or "files", found)


def _bounded(path: str, file: IO[bytes]) -> bytes:
    most = MOST_BESIDE if path.startswith(f"{BESIDE}/") else MOST_OF_ONE
    data = file.read(most + 1)
    if len(data) > most:
        raise BadFile(f"“{path}” has more than {most / 1e6:.0f} MB. Leave it out.", code="too_large")
    return data


def check_may_bring(app: AppContext, actor: Actor, volume_key: str) -> None:
    """Missing or Forbidden for who may not bring anything to a volume."""
    with reading(app.engine) as connection:
        ReadContext(connection, actor).volume(volume_key, Permission.RENAME)


def receive_folder(app: AppContext, actor: Actor, volume_key: str, folder: Path) -> int:
    """Keeps a folder of this machine that is brought to a volume; its number. Links are not followed."""
    if not folder.is_dir():
        raise Missing(f"{folder} is no folder, and no zip.", code="no_folder")
    return _receive(app, actor, volume_key, folder.resolve().name, _walked(folder))


def _receive(
    app: AppContext, actor: Actor, volume_key: str, name: str, found: Iterator[tuple[str, Opened]]
) -> int:
    with writing_transaction(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.RENAME)
        person = _person(actor)
        if len(stored.of_person(connection, person, volume.id, WAITING)) >= WAITING:
            raise Refused(
                f"{WAITING} folders of yours wait at “{volume.title}” already. Take one in, or discard it.",
                code="too_many_waiting",
            )
        receiving = _Receiving(connection, volume, mark_of(app))
        shown = (name.strip() or "folder")[:LONGEST_NAME]
        if not names.is_storable(shown):
            shown = "folder"
        return stored.keep(
            connection, volume.id, person, shown, app.clock(), receiving.kept(found), receiving.said
        )


def _person(actor: Actor) -> int:
    if actor.person is None:
        raise Forbidden("Sign in to bring a folder.", code="sign_in")
    return actor.person


def _walked(folder: Path) -> Iterator[tuple[str, Opened]]:
    """The files of a folder with their paths in it."""
    number = size = 0
    for at, folders, there in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith(".") or each == BESIDE)
        for name in sorted(there):
            path = Path(at, name)
            inside = path.relative_to(folder).as_posix()
            state = path.lstat()
            if not names.is_storable(inside):
                shown = inside.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
                raise BadFile(f"The name of “{shown}” is not UTF-8. Rename it.", code="file_name")
            if not stat.S_ISREG(state.st_mode):
                raise BadFile(
                    f"“{inside}” is a link, or no file at all. Put the file itself in its place.",
                    code="not_a_file",
                )
            most = MOST_BESIDE if inside.startswith(f"{BESIDE}/") else MOST_OF_ONE
            number, size = number + 1, size + state.st_size
            if state.st_size > most or number > MOST_FILES or size > MOST_UNPACKED:
                raise BadFile(
                    f"“{inside}” is too large, or the folder is: {most / 1e6:.0f} MB for it, {MOST_FILES:,} files and "
                    f"{MOST_UNPACKED / 1e6:.0f} MB in all are the most. Bring it in parts.",
                    code="too_large",
                )
            yield inside, path.read_bytes


# ---- what waits ------------------------------------------------------------------


def need(context: ReadContext, volume_key: str, id_: int) -> tuple[Volume, stored.Folder]:
    """A folder that waits at a volume, for whoever brought it; Missing for all others."""
    volume = context.volume(volume_key, Permission.RENAME)
    found = stored.find(context.connection, id_)
    if found is None or found.volume != volume.id or found.person != context.actor.person:
        raise Missing(
            "There is no such folder any more: it was taken in, or discarded. Bring it again.",
            code="brought_missing",
        )
    return volume, found


def compared(app: AppContext, actor: Actor, volume_key: str, id_: int) -> Coming:
    """What a folder that waits would change by now."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume, folder = need(context, volume_key, id_)
        return coming_back.compared(context, volume, folder)


def listed(app: AppContext, actor: Actor, volume_key: str) -> Waiting:
    """What waits at a volume, for who may bring something there."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.RENAME)
        person = context.actor.person
        found = stored.of_person(connection, person, volume.id, WAITING) if person is not None else []
        return Waiting(volume_view(context, volume), tuple(found))


def choose(app: AppContext, actor: Actor, volume_key: str, id_: int, chosen: Mapping[str, str]) -> None:
    """Says of items which side counts, “folder” or “wiki”. BadRequest for any other."""
    for item, side in chosen.items():
        if side not in SIDES or len(item) > LONGEST_ID or not names.is_storable(item):
            raise BadRequest(
                "A choice is “folder” or “wiki”, for something that the plan names.", code="bad_choice"
            )
    with writing_transaction(app.engine) as connection:
        _, folder = need(ReadContext(connection, actor), volume_key, id_)
        if len(folder.choices) + len(chosen) > MOST_FILES:
            raise Refused("More was chosen than there can be. Bring the folder again.", code="bad_choice")
        stored.choose(connection, folder.id, chosen)


def choose_all(app: AppContext, actor: Actor, volume_key: str, id_: int, side: str) -> int:
    """Lets one side count wherever somebody has to choose; how often that was."""
    coming = compared(app, actor, volume_key, id_)
    chosen = [item.id for item in coming.comparison.open]
    chosen += [item.id for item in coming.assets if not item.chosen]
    chosen += [ORDER] if coming.order.clash and not coming.order.chosen else []
    choose(app, actor, volume_key, id_, dict.fromkeys(chosen, side))
    return len(chosen)


def discard(app: AppContext, actor: Actor, volume_key: str, id_: int) -> None:
    """Discards a folder that waits."""
    with writing_transaction(app.engine) as connection:
        _, folder = need(ReadContext(connection, actor), volume_key, id_)
        stored.drop(connection, folder.id)
