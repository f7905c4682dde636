"""A folder of Markdown, HTML, tables or documents of other programs made into a folder of pages, which can be checked,
imported, or brought to a volume."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterator
from pathlib import Path

from mokuji.adapters import pandoc
from mokuji.core.base import names
from mokuji.core.base.errors import BadFile, Missing
from mokuji.formats import documents_in
from mokuji.formats.folder_out import OutPage, OutVolume, VolumeOut
from mokuji.formats.markdown_in import Taken, take
from mokuji.services.folders.exporting import write_folder

MOST_BYTES = 15_000_000
"""A larger file is no page, and none that is kept."""


def converted(folder: Path) -> Taken:
    """What such a folder becomes. Links to files are not followed, nor such as lead out of the folder. Missing
    if it is no folder or has no page."""
    if not folder.is_dir():
        raise Missing(f"{folder} is no folder. Give a folder of Markdown files.", code="no_folder")
    paths = list(_paths(folder))

    def read_file(path: str) -> bytes:
        return (folder / path).read_bytes()

    documents = documents_in.read(paths, read_file, pandoc.html_of)
    made = take(paths, read_file, folder.resolve().name, documents)
    if not made.pages:
        for problem in made.problems:
            raise BadFile(problem, code="no_pages")
        raise Missing(
            f"{folder} holds nothing that becomes a page: Markdown, HTML, CSV, reStructuredText, AsciiDoc or DOCX.",
            code="no_pages",
        )
    return made


def _paths(folder: Path) -> Iterator[str]:
    for at, folders, there in os.walk(folder):
        folders[:] = sorted(each for each in folders if not each.startswith("."))
        for name in sorted(there):
            path = Path(at, name)
            inside = path.relative_to(folder).as_posix()
            state = path.lstat()
            if not names.is_storable(inside):
                shown = inside.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
                raise BadFile(f"The name of “{shown}” is not UTF-8. Rename it.", code="file_name")
            if stat.S_ISREG(state.st_mode) and state.st_size <= MOST_BYTES:
                yield inside


def write(made: Taken, folder: Path, into: Path) -> int:
    """Writes what a folder became as a folder of pages, all of it or nothing; how many files that are."""
    return write_folder(_files(made, folder), into)


def _files(made: Taken, folder: Path) -> Iterator[tuple[str, bytes]]:
    title = names.check_volume_title(folder.resolve().name)
    out = VolumeOut(OutVolume(0, title, made.contents), title)
    yield from out.about()
    for page, text in made.pages:
        yield out.page(OutPage(0, 0, page, text))
    for name, path in made.files.items():
        data = made.inside[path] if path in made.inside else (folder / path).read_bytes()
        yield out.file(name, data)
