"""A volume as a folder of plain files, from which ``formats.folder`` reads the same volume again.

Beside the page files lies ``.mokuji-folder/`` with what files alone would not give back: the title and the text of a
page that no name of a file and no front matter can tell, which pages have no place in the contents, and what each was
when it left (its number, its revision, the hash of its file), so that it can be seen what became of it elsewhere. An
entry counts as long as its file is as it was.
"""

from __future__ import annotations

import json
import re
import unicodedata
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Any

import yaml

from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.model.contents import Row
from mokuji.core.style.style import Style, as_fields
from mokuji.formats.contents import write_contents
from mokuji.formats.folder import read_page
from mokuji.formats.folder_base import (
    FILES_FILE,
    FORMAT,
    FORMAT_FILE,
    PAGES_FILE,
    SOURCES_FILE,
    VOLUMES_FILE,
    PageBase,
    VolumeBase,
    hash_line,
    hash_of_source,
    page_line,
    volume_line,
)
from mokuji.formats.folder_wiki import file_name, titled

MOST_BYTES = 200
"""Maximum number of bytes of the name of a file, before its ending: file systems take 255."""
_RESERVED = re.compile(r"(?:con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(?:\..*)?", re.IGNORECASE)
"""Names that an operating system keeps for devices (common practice)."""
_TAKEN_AT_TOP = ("contents", "files")


@dataclass(frozen=True, slots=True)
class OutVolume:
    """A volume as it goes out, without its pages: its number; ``front`` and ``libraries`` are titles."""

    volume: int
    title: str
    contents: Sequence[Row]
    summary: str = ""
    closed: bool = False
    front: str | None = None
    libraries: Sequence[str] = ()
    language: str = ""
    style: Style = field(default_factory=Style)


@dataclass(frozen=True, slots=True)
class OutPage:
    """A page as it goes out."""

    page: int
    revision: int
    title: str
    text: str


class Names:
    """Names of files in one folder, each given once, in whatever way a file system tells names apart."""

    def __init__(self, taken: Sequence[str] = ()) -> None:
        self._taken = {_folded(name) for name in taken}

    def give(self, title: str) -> str:
        """A name for a title, as much like it as can be, without an ending."""
        name = _short(file_name(title), MOST_BYTES)
        if _RESERVED.fullmatch(name) or name.startswith("."):
            name = f"_{name}"
        made, nth = name, 1
        while _folded(made) in self._taken:
            nth += 1
            made = f"{_short(name, MOST_BYTES - 8)} ({nth})"
        self._taken.add(_folded(made))
        return made


def _folded(name: str) -> str:
    return unicodedata.normalize("NFC", unicodedata.normalize("NFD", name).casefold())


def _short(name: str, most: int) -> str:
    cut = name.encode("utf-8")[:most].decode("utf-8", "ignore").strip(" .")
    return cut or "page"


class VolumeOut:
    """Writes a volume into a folder of its own (``top``), page by page and file by file."""

    def __init__(self, volume: OutVolume, top: str) -> None:
        self._volume, self._top = volume, top
        self._names = Names(_TAKEN_AT_TOP)
        self._placed = {row.key for row in volume.contents}
        self._settings = settings_text(volume).encode()
        self.pages: list[str] = []
        self.files: list[str] = []

    def about(self) -> Iterator[tuple[str, bytes]]:
        """The files that say what the volume is."""
        yield f"{self._top}/volume.yaml", self._settings
        yield f"{self._top}/contents.md", write_contents(self._volume.contents).encode()

    @property
    def line(self) -> str:
        """What the volume was when it left, as it is written down."""
        rows = tuple((row.depth, row.title) for row in self._volume.contents)
        hash_ = sha256(self._settings).hexdigest()
        return volume_line(VolumeBase(self._top, self._volume.volume, self._volume.title, rows, hash_))

    def page(self, page: OutPage) -> tuple[str, bytes]:
        """The file of a page: its text as it is, with a ``title:`` where its name does not say it and the text can take
        one."""
        path = f"{self._top}/{self._names.give(page.title)}.md"
        data = _with_title(page, path)
        placed = names.key(page.title) in self._placed
        whole = read_page(path, data) != (page.title, page.text)
        hash_ = sha256(data).hexdigest()
        self.pages.append(
            page_line(PageBase(path, page.title, hash_, placed, page.page, page.revision, whole))
        )
        return path, data

    def file(self, name: str, data: bytes) -> tuple[str, bytes]:
        """A file that pages name."""
        path = f"{self._top}/files/{name}"
        self.files.append(hash_line(path, sha256(data).hexdigest()))
        return path, data


def _with_title(page: OutPage, path: str) -> bytes:
    as_it_is = page.text.encode()
    if read_page(path, as_it_is) == (page.title, page.text):
        return as_it_is
    try:
        made = titled(page.text, page.title, path, renamed=False).encode()
    except Refused:
        return as_it_is  # its front matter is not understood: what lies beside the files says its title
    return made if read_page(path, made) == (page.title, page.text) else as_it_is


def settings_text(volume: OutVolume) -> str:
    """What ``volume.yaml`` says."""
    told: dict[str, Any] = {"title": volume.title}
    if volume.summary:
        told["summary"] = volume.summary
    if volume.closed:
        told["closed"] = True
    if volume.front is not None:
        told["front"] = volume.front
    if volume.libraries:
        told["libraries"] = list(volume.libraries)
    if volume.language:
        told["language"] = volume.language
    style = as_fields(volume.style)
    if style:
        told["style"] = style
    dumped: str = yaml.safe_dump(told, allow_unicode=True, sort_keys=False, width=120)
    return dumped


def beside(
    wiki: str, volumes: Sequence[VolumeOut], sources: Mapping[str, Mapping[str, Any]]
) -> Iterator[tuple[str, bytes]]:
    """The files of ``.mokuji-folder/``; ``wiki`` tells wikis apart, ``sources`` are fields by name."""
    told = {"format": FORMAT, "wiki": wiki}
    yield FORMAT_FILE, (json.dumps(told, indent=1) + "\n").encode()
    yield VOLUMES_FILE, "".join(volume.line for volume in volumes).encode()
    yield PAGES_FILE, "".join(line for volume in volumes for line in volume.pages).encode()
    yield FILES_FILE, "".join(line for volume in volumes for line in volume.files).encode()
    told_sources = (hash_line(name, hash_of_source(fields)) for name, fields in sources.items())
    yield SOURCES_FILE, "".join(told_sources).encode()
