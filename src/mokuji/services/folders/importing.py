"""Bringing a folder of page files into the wiki as new volumes."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from datetime import datetime
from itertools import groupby
from operator import itemgetter
from pathlib import Path

from mokuji.core.base import names
from mokuji.core.base.errors import BadFile, Conflict, Missing, MokujiError, Refused
from mokuji.core.language.scan import read_text
from mokuji.core.model.policy import Role
from mokuji.core.style.style import Style, as_fields
from mokuji.core.syntax import files as file_names
from mokuji.formats.folder import FolderPage, FolderProblem, FolderVolume, FolderWiki, order_of, read
from mokuji.formats.media import MOST_BYTES
from mokuji.services.app_context import AppContext
from mokuji.services.folders.folders import SOURCE_FILES, page_files, sources_of
from mokuji.services.writing import files, sources
from mokuji.store import people, volumes, writing
from mokuji.store.database import Connection, look_again
from mokuji.store.database import writing as writing_transaction
from mokuji.store.kept import house_styles
from mokuji.store.log import change_sets
from mokuji.store.log.change_sets import Signature
from mokuji.store.places import contents
from mokuji.store.snapshot import load_volumes

BATCH = 200
"""Pages that are written at once."""
LOOK = 1_000
"""After so many pages the planner looks at the tables again, a few times."""
Signer = Callable[[FolderVolume, FolderPage, int], Signature]


def read_folder(folder: Path) -> FolderWiki:
    """The wiki in a folder; links that lead out of it are not followed."""
    if not folder.is_dir():
        raise Missing(f"{folder} is no folder. Give a folder of .md files, or of such folders.")
    unread: list[FolderProblem] = []
    wiki = read(page_files(folder, unread), name=folder.resolve().name)
    return replace(wiki, problems=(*wiki.problems, *unread, *_no_pages(folder, wiki.volumes)))


def _no_pages(folder: Path, volumes_: Sequence[FolderVolume]) -> Iterator[FolderProblem]:
    """What lies in a folder and is nothing that a wiki takes: it would be left out."""
    places = {volume.at("files") for volume in volumes_}
    about = {*SOURCE_FILES, *(volume.at("volume.yaml") for volume in volumes_)}
    root = folder.resolve()
    for at, folders, there in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        # A link to a folder is not gone into, wherever it leads.
        links = [each for each in folders if Path(at, each).is_symlink()]
        for name in sorted([*there, *links]):
            path = Path(at, name)
            inside = path.relative_to(folder).as_posix()
            place = inside.rpartition("/")[0]
            shown = inside.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
            if name.startswith("."):
                continue
            if name in links or not path.resolve().is_relative_to(root):
                said = "This link is not followed. Put the file or folder itself here."
                yield FolderProblem(shown, "link_out", said)
            elif (
                place in places
                or inside in about
                or (name.endswith(".md") and "files" not in place.split("/"))
            ):
                continue
            elif any(place.startswith(f"{each}/") for each in places):
                yield FolderProblem(shown, "file_place", "Files lie in “files” itself. Move it up.")
            else:
                said = "This is no page (.md), and files lie in the folder “files” of their volume. Move it there."
                yield FolderProblem(shown, "file_place", said)


class NotWhole(Refused):
    """Something of a folder would be left out: ``problems`` say what. Nothing was written."""

    code = "not_whole"

    def __init__(self, problems: Sequence[FolderProblem]) -> None:
        super().__init__(
            "Nothing was imported, since this would be left out. Put it right; or import the rest with --leave-out."
        )
        self.problems = tuple(problems)


def import_folder(
    app: AppContext,
    folder: Path,
    wiki: FolderWiki,
    sign: Signer,
    brought: Callable[[FolderVolume], tuple[int | None, datetime]],
    *,
    owner: int | None = None,
    lister: int | None = None,
    leave_out: bool = False,
) -> tuple[FolderProblem, ...]:
    """Writes all of a folder as one, or nothing of it: volumes, pages, files, the list of sources.

    NotWhole if something cannot be kept; with ``leave_out`` that is left out, and said. Conflict if a volume of such a
    name is there. ``sign`` says of each page, ``brought`` of the files of each volume by whom and when; ``lister`` has
    brought the sources.
    """
    with writing_transaction(app.engine, alone=True) as connection:
        ids = [_import_volume(app, connection, volume, sign) for volume in wiki.volumes]
        known = load_volumes(connection)
        for id_, volume in zip(ids, wiki.volumes, strict=True):
            libraries = [
                known[names.key(library)].id for library in volume.libraries if names.key(library) in known
            ]
            volumes.set_libraries(connection, id_, libraries)
            if owner is not None:
                people.set_role(connection, owner, id_, Role.OWNER)
        problems = [*wiki.problems, *_import_files(connection, folder, wiki, ids, brought)]
        told = sources_of(folder, problems)
        if told:
            at = brought(wiki.volumes[0])[1] if wiki.volumes else app.clock()
            sources.put_all(connection, told.values(), lister, at)
        if problems and not leave_out:
            raise NotWhole(problems)
    return tuple(problems)


def import_now(
    app: AppContext,
    folder: Path,
    wiki: FolderWiki,
    note: str,
    *,
    owner: int | None = None,
    author: int | None = None,
    leave_out: bool = False,
) -> tuple[FolderProblem, ...]:
    """As ``import_folder``, all of it now and in the author's name."""
    by = Signature(author, app.clock(), note)
    return import_folder(
        app,
        folder,
        wiki,
        lambda *_: by,
        lambda _: (author, by.at),
        owner=owner,
        lister=author,
        leave_out=leave_out,
    )


def _import_files(
    connection: Connection,
    folder: Path,
    wiki: FolderWiki,
    ids: Sequence[int],
    sign: Callable[[FolderVolume], tuple[int | None, datetime]],
) -> Iterator[FolderProblem]:
    """Brings what lies in ``files/`` of each volume; what cannot be kept is said."""
    root = folder.resolve()
    for id_, volume in zip(ids, wiki.volumes, strict=True):
        taken: set[str] = set()
        for path in sorted((folder / volume.at("files")).glob("*")):
            inside = path.relative_to(folder).as_posix()
            if not path.is_file() or path.name.startswith(".") or not path.resolve().is_relative_to(root):
                continue
            key = file_names.key(path.name)
            if key in taken:
                said = "Another file has this name but for its capitals. Give one of them another."
                yield FolderProblem(inside, "file_name", said)
                continue
            try:
                if path.stat().st_size > MOST_BYTES:
                    raise BadFile(f"The file has more than {MOST_BYTES / 1e6:.0f} MB.", code="file_large")
                files.keep_as(connection, id_, path.name, path.read_bytes(), sign(volume))
                taken.add(key)
            except MokujiError as fault:
                yield FolderProblem(inside, fault.code, fault.message)


def _import_volume(app: AppContext, connection: Connection, volume: FolderVolume, sign: Signer) -> int:
    title = names.check_volume_title(volume.title)
    if names.key(title) in load_volumes(connection):
        raise Conflict(f"There is a volume “{title}” already. Rename the folder's volume in its volume.yaml.")
    front = names.key(volume.front) if volume.front else None
    id_ = volumes.add_volume(connection, title, summary=volume.summary, closed=volume.closed, front=front)
    volumes.set_language(connection, id_, volume.language)
    contents.write_contents(
        connection, id_, [(depth, each, names.key(each)) for depth, each in volume.contents]
    )
    if volume.style != Style():
        house_styles.put(connection, id_, as_fields(volume.style), None, app.clock())
    written = 0
    for by, pages in _signed(volume, sign):
        # What was brought in by one hand at one moment is one change.
        change_set = change_sets.open_change_set(connection, "import", id_, None, by)
        for at in range(0, len(pages), BATCH):
            new = [
                writing.NewPage(page.title, page.text, read_text(page.text))
                for page in pages[at : at + BATCH]
            ]
            made = writing.create_pages(connection, id_, new, change_set, by)
            if len(pages) == 1:
                change_sets.set_page(connection, change_set, made[0])
            if written // LOOK != (written + len(new)) // LOOK and written < 8 * LOOK:
                look_again(connection)
            written += len(new)
    return id_


def _signed(volume: FolderVolume, sign: Signer) -> Iterator[tuple[Signature, list[FolderPage]]]:
    """The pages of a volume in order, those together that follow one another with the same signature."""
    signed = ((sign(volume, page, nth), page) for nth, page in enumerate(order_of(volume)))
    for by, found in groupby(signed, key=itemgetter(0)):
        yield by, [page for _, page in found]
