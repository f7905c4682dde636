"""What lies beside the page files of a folder that Mokuji wrote, in ``.mokuji-folder/``: what everything was when it
left.

``format.json`` says from which wiki; ``volumes.jsonl``, ``pages.jsonl``, ``files.jsonl`` and ``sources.jsonl`` have a
line of JSON for each thing. Who wrote a folder may have been anybody: a line that is none is passed over, and what one
says is a claim, to be checked against the wiki.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from hashlib import sha256
from typing import Any

from mokuji.core.base import names
from mokuji.core.base.errors import BadName

BESIDE = ".mokuji-folder"
FORMAT_FILE = f"{BESIDE}/format.json"
VOLUMES_FILE = f"{BESIDE}/volumes.jsonl"
PAGES_FILE = f"{BESIDE}/pages.jsonl"
FILES_FILE = f"{BESIDE}/files.jsonl"
SOURCES_FILE = f"{BESIDE}/sources.jsonl"
ALL = (FORMAT_FILE, VOLUMES_FILE, PAGES_FILE, FILES_FILE, SOURCES_FILE)
FORMAT = 1


@dataclass(frozen=True, slots=True)
class PageBase:
    """What a page was when it left: its file's path, its title, the SHA-256 of the file, whether it had a place in the
    contents, its number and its revision. ``whole``: the file is the text, and the title stands only here, which counts
    as long as the file has that hash, or the one ``kept`` that a folder command gave it; ``called`` is the title that
    such a command gave the page."""

    path: str
    title: str
    hash: str
    placed: bool
    page: int
    revision: int
    whole: bool = False
    kept: str = ""
    called: str = ""

    def says_title(self, data: bytes) -> bool:
        """Whether the title of a file that holds this stands here."""
        return self.whole and sha256(data).hexdigest() in {self.hash, self.kept}


@dataclass(frozen=True, slots=True)
class VolumeBase:
    """What a volume was: its folder, number and title, its contents as depth and title, the SHA-256 of its
    ``volume.yaml``."""

    top: str
    volume: int
    title: str
    contents: tuple[tuple[int, str], ...]
    settings: str = ""


@dataclass(frozen=True)
class Base:
    """All of it: the mark of the wiki, volumes, pages by path, the SHA-256 of files by path, and the hash of sources by
    name."""

    wiki: str = ""
    volumes: Sequence[VolumeBase] = ()
    pages: Mapping[str, PageBase] = field(default_factory=dict)
    files: Mapping[str, str] = field(default_factory=dict)
    sources: Mapping[str, str] = field(default_factory=dict)


def page_line(entry: PageBase) -> str:
    """An entry as it is written down."""
    told: dict[str, object] = {"path": entry.path, "title": entry.title, "hash": entry.hash}
    told |= {"page": entry.page, "revision": entry.revision}
    if not entry.placed:
        told["placed"] = False
    if entry.whole:
        told["whole"] = True
    if entry.kept:
        told["kept"] = entry.kept
    if entry.called:
        told["called"] = entry.called
    return _line(told)


def volume_line(entry: VolumeBase) -> str:
    """A volume as it is written down."""
    told = {"top": entry.top, "volume": entry.volume, "title": entry.title, "settings": entry.settings}
    return _line({**told, "contents": [list(row) for row in entry.contents]})


def hash_line(name: str, hash_: str) -> str:
    """A file by its path, or a source by its name, as it is written down."""
    return _line({"name": name, "hash": hash_})


def hash_of_source(fields: Mapping[str, Any]) -> str:
    """What tells whether a source says something else than before."""
    return sha256(json.dumps(fields, ensure_ascii=False, sort_keys=True).encode()).hexdigest()


def _line(told: object) -> str:
    return json.dumps(told, ensure_ascii=False) + "\n"


def read_base(given: Mapping[str, bytes]) -> Base:
    """What these files say, by path."""
    try:
        told = json.loads(given.get(FORMAT_FILE, b"{}"))
        wiki = told.get("wiki") if isinstance(told, dict) and told.get("format") == FORMAT else ""
    except (ValueError, RecursionError):
        wiki = ""
    volumes = [entry for each in _lines(given.get(VOLUMES_FILE)) if (entry := _volume(each)) is not None]
    return Base(
        wiki if isinstance(wiki, str) else "",
        tuple(volumes),
        read_pages(given.get(PAGES_FILE)),
        dict(_hashes(given.get(FILES_FILE))),
        dict(_hashes(given.get(SOURCES_FILE))),
    )


def read_pages(data: bytes | None) -> dict[str, PageBase]:
    """What pages were, by path."""
    return {entry.path: entry for each in _lines(data) if (entry := _page(each)) is not None}


@dataclass(frozen=True, slots=True)
class NowAt:
    """What a folder command made of a page's file: its path, what it holds, and the title of the page."""

    path: str
    text: str
    title: str


def in_step(data: bytes, became: Mapping[str, NowAt | None]) -> str:
    """The lines of pages once a command did this with files, by the paths that they had; None for one that went."""
    entries = read_pages(data)
    found = [_in_step(entry, became[path]) if path in became else entry for path, entry in entries.items()]
    return "".join(page_line(entry) for entry in sorted(found, key=lambda entry: entry.page))


def _in_step(entry: PageBase, now: NowAt | None) -> PageBase:
    if now is None:
        # It lies nowhere, so another file may take its path; what left is still to be told as gone.
        top = entry.path.partition("/")[0] if "/" in entry.path else ""
        return replace(entry, path=f"{top}/{BESIDE}/{entry.page}".lstrip("/"), kept="", called="")
    if not entry.whole:
        return replace(entry, path=now.path)
    hash_ = sha256(now.text.encode()).hexdigest()
    called = now.title if now.title != entry.title else ""
    return replace(entry, path=now.path, kept=hash_ if hash_ != entry.hash else "", called=called)


def _lines(data: bytes | None) -> Iterator[dict[str, Any]]:
    for line in (data or b"").decode("utf-8", "replace").split("\n"):
        try:
            told = json.loads(line) if line else None
        except (ValueError, RecursionError):
            continue
        if isinstance(told, dict):
            yield told


def _page(told: Mapping[str, Any]) -> PageBase | None:
    path, title, hash_ = (told.get(name) for name in ("path", "title", "hash"))
    page, revision, kept = told.get("page"), told.get("revision"), told.get("kept", "")
    texts = isinstance(path, str) and isinstance(hash_, str) and isinstance(kept, str)
    if not texts or not _is_title(title) or not _is_number(page, 63) or not _is_number(revision, 31):
        return None
    assert isinstance(page, int) and isinstance(revision, int)
    placed, whole = told.get("placed") is not False, told.get("whole") is True
    called = told.get("called", "")
    called = called if _is_title(called) else ""
    return PageBase(str(path), str(title), str(hash_), placed, page, revision, whole, kept, called)


def _volume(told: Mapping[str, Any]) -> VolumeBase | None:
    top, title, settings = told.get("top"), told.get("title"), told.get("settings", "")
    volume, contents = told.get("volume"), told.get("contents")
    if not isinstance(top, str) or not isinstance(title, str) or not isinstance(settings, str):
        return None
    if not _is_number(volume, 31) or not isinstance(contents, list):
        return None
    assert isinstance(volume, int)
    rows: list[tuple[int, str]] = []
    for each in contents:
        if not isinstance(each, list) or len(each) != 2 or type(each[0]) is not int or not _is_title(each[1]):
            return None
        rows.append((max(0, min(each[0], 10_000)), each[1]))
    return VolumeBase(top, volume, title, tuple(rows), settings)


def _hashes(data: bytes | None) -> Iterable[tuple[str, str]]:
    for told in _lines(data):
        name, hash_ = told.get("name"), told.get("hash")
        if isinstance(name, str) and isinstance(hash_, str):
            yield name, hash_


def _is_number(value: object, bits: int) -> bool:
    """Whether something is a number that the database may have given."""
    return type(value) is int and 0 <= value < 2**bits


def _is_title(title: object) -> bool:
    try:
        return isinstance(title, str) and names.check_title(title) == title
    except BadName:
        return False
