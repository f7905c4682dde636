"""A wiki as a folder of plain files (markup.md, “Plain folders”).

One ``.md`` file a page; a folder at the top is a volume, described by
``volume.yaml``; ``contents.md`` is its order. Reading takes paths and bytes
and gives values; who opens the files is not this module's matter.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

import yaml

from mokuji.core import names
from mokuji.core.errors import BadName, BadText
from mokuji.core.text import front_matter
from mokuji.core.text.scan import check
from mokuji.formats.contents import read_contents

_TITLE_LINE = re.compile(r"^title[ \t]*:[^\r\n]*(?:\r\n|\n|\r)", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class FolderPage:
    """A page file; ``text`` is without the ``title:`` that only folders have."""

    path: str
    title: str
    text: str


@dataclass(frozen=True, slots=True)
class FolderVolume:
    """A volume; ``contents`` are depth (from 0) and title, in order."""

    title: str
    summary: str
    closed: bool
    front: str | None
    libraries: tuple[str, ...]
    pages: tuple[FolderPage, ...]
    contents: tuple[tuple[int, str], ...]


@dataclass(frozen=True, slots=True)
class FolderWiki:
    """What a folder holds. ``problems`` are sentences that begin with the path they are about."""

    volumes: tuple[FolderVolume, ...]
    problems: tuple[str, ...]


@dataclass(slots=True)
class _Reading:
    problems: list[str] = field(default_factory=list)

    def text(self, path: str, data: bytes) -> str | None:
        try:
            text = data.decode("utf-8")
            check(text)
        except UnicodeDecodeError as fault:
            self.problems.append(f"{path}: byte {fault.start + 1} is not UTF-8. Save the file as UTF-8.")
        except BadText as fault:
            self.problems.append(f"{path}: {fault.message}")
        else:
            return text
        return None


def read(files: Iterable[tuple[str, bytes]], name: str = "Wiki") -> FolderWiki:
    """The wiki in these files (paths relative to the folder, with ``/``).

    With page files at the top the whole is one volume called ``name`` unless
    its ``volume.yaml`` says otherwise.
    """
    reading = _Reading()
    kept = {path: data for path, data in sorted(files) if not _passed_over(path)}
    if any("/" not in path and path.endswith(".md") for path in kept):
        groups = {"": kept}
    else:
        groups = {}
        for path, data in kept.items():
            top, slash, _ = path.partition("/")
            if slash:
                groups.setdefault(top, {})[path] = data
    volumes = [_volume(reading, top or name, top, group) for top, group in groups.items()]
    return FolderWiki(tuple(volumes), tuple(reading.problems))


def _passed_over(path: str) -> bool:
    parts = PurePosixPath(path).parts
    return any(part.startswith(".") or part == ".." for part in parts) or "files" in parts[:-1]


def _volume(reading: _Reading, name: str, top: str, files: Mapping[str, bytes]) -> FolderVolume:
    lead = f"{top}/" if top else ""
    settings = _settings(reading, f"{lead}volume.yaml", files.get(f"{lead}volume.yaml"))
    pages: dict[str, FolderPage] = {}
    for path, data in files.items():
        if not path.endswith(".md") or path == f"{lead}contents.md":
            continue
        page = _page(reading, path, data)
        if page is None:
            continue
        other = pages.setdefault(names.key(page.title), page)
        if other is not page:
            reading.problems.append(
                f"{path}: its name “{page.title}” is that of {other.path} (capitals, spaces, hyphens and "
                "underscores make no difference). It was left out; give it another title."
            )
    ordered = _contents(reading, f"{lead}contents.md", files.get(f"{lead}contents.md"))
    placed = {names.key(title) for _, title in ordered}
    rest = sorted((page.title for key, page in pages.items() if key not in placed), key=names.key)
    title = settings.get("title", name)
    return FolderVolume(
        title if isinstance(title, str) else name,
        str(settings.get("summary", "")),
        settings.get("closed") == "true",
        settings.get("front") if isinstance(settings.get("front"), str) else None,
        tuple(settings.get("libraries", ())) if isinstance(settings.get("libraries"), list) else (),
        tuple(pages.values()),
        (*ordered, *((0, each) for each in rest)),
    )


def _settings(reading: _Reading, path: str, data: bytes | None) -> Mapping[str, Any]:
    text = reading.text(path, data) if data is not None else None
    if text is None:
        return {}
    found = front_matter.read(f"---\n{text}\n---\n")
    reading.problems += [f"{path}: {problem.message}" for problem in found.problems]
    return found.fields


def _page(reading: _Reading, path: str, data: bytes) -> FolderPage | None:
    text = reading.text(path, data)
    if text is None:
        return None
    front = front_matter.read(text)
    title = front.words("title") or PurePosixPath(path).stem
    try:
        title = names.check_title(title)
    except BadName as fault:
        reading.problems.append(f"{path}: {fault.message}")
        return None
    return FolderPage(path, title, _without_title(text, front))


def _without_title(text: str, front: front_matter.FrontMatter) -> str:
    if not front.words("title"):
        return text
    head = _TITLE_LINE.sub("", front.span.of(text), count=1)
    rest = text[front.span.end :]
    # A front matter that held nothing but the title goes with it.
    return rest if re.fullmatch(r"\ufeff?---\s*---\s*", head) else head + rest


def _contents(reading: _Reading, path: str, data: bytes | None) -> list[tuple[int, str]]:
    text = reading.text(path, data) if data is not None else None
    if text is None:
        return []
    found, problems = read_contents(text)
    reading.problems += [f"{path}: {problem}" for problem in problems]
    return found


def load_yaml(text: str) -> Any:
    """Plain YAML data (dates, numbers, lists), read safely."""
    return yaml.load(text, yaml.CSafeLoader)


def order_of(volume: FolderVolume) -> Sequence[FolderPage]:
    """The pages of a volume in the order of its contents."""
    place = {names.key(title): n for n, (_, title) in enumerate(volume.contents)}
    return sorted(volume.pages, key=lambda page: place.get(names.key(page.title), len(place)))
