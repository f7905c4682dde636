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

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, BadText
from mokuji.core.base.spans import Span
from mokuji.core.language.scan import check_page
from mokuji.core.style.flaws import Mend
from mokuji.core.style.style import Style, read_style
from mokuji.core.syntax import front_matter
from mokuji.formats.contents import read_contents
from mokuji.formats.folder_base import PAGES_FILE, PageBase, read_pages

NO_STYLE = Style()
_TITLE_LINE = re.compile(r"^title[ \t]*:[^\r\n]*(?:\r\n|\n|\r)", re.MULTILINE)


@dataclass(frozen=True, slots=True)
class FolderProblem:
    """What is wrong with a file; lines and columns count from 1, columns in code points.

    ``kind`` is problem, advice or style; ``span`` is its range in the text of a page, and ``mends`` what puts it right
    there.
    """

    path: str
    code: str
    message: str
    line: int = 1
    column: int = 1
    kind: str = "problem"
    span: Span | None = None
    mends: tuple[Mend, ...] = ()

    def __str__(self) -> str:
        return f"{self.path}: {self.message}"


@dataclass(frozen=True, slots=True)
class FolderPage:
    """A page file; ``text`` is without the ``title:`` that only folders have, ``whole`` as the file has it. ``beside``:
    its title stands beside the files."""

    path: str
    title: str
    text: str
    whole: str = ""
    beside: bool = False


@dataclass(frozen=True, slots=True)
class FolderVolume:
    """A volume; ``contents`` are depth (from 0) and title, in order: first what ``contents.md`` names (so many
    rows as ``listed`` says), then all others by title.

    ``top`` is its folder (empty: the given one). ``spare`` are files whose names are those of ``pages``.
    ``contents_text`` and ``settings_text`` are ``contents.md`` and ``volume.yaml`` as they are, if they are.
    """

    title: str
    summary: str
    closed: bool
    front: str | None
    libraries: tuple[str, ...]
    pages: tuple[FolderPage, ...]
    contents: tuple[tuple[int, str], ...]
    listed: int = 0
    top: str = ""
    spare: tuple[FolderPage, ...] = ()
    contents_text: str | None = None
    settings_text: str | None = None
    style: Style = NO_STYLE
    language: str = ""

    def at(self, name: str) -> str:
        """The path of a file at the volume's top."""
        return f"{self.top}/{name}" if self.top else name


@dataclass(frozen=True, slots=True)
class FolderWiki:
    """What a folder holds, and what of it could not be understood."""

    volumes: tuple[FolderVolume, ...]
    problems: tuple[FolderProblem, ...]


@dataclass(slots=True)
class _Reading:
    problems: list[FolderProblem] = field(default_factory=list)
    base: Mapping[str, PageBase] = field(default_factory=dict)

    def say(self, path: str, code: str, message: str) -> None:
        self.problems.append(FolderProblem(path, code, message))

    def text(self, path: str, data: bytes) -> str | None:
        try:
            text = data.decode("utf-8")
            check_page(text)
        except UnicodeDecodeError as fault:
            self.say(path, "not_utf8", f"Byte {fault.start + 1} is not UTF-8. Save the file as UTF-8.")
        except BadText as fault:
            self.say(path, fault.code, fault.message)
        else:
            return text
        return None


def read(files: Iterable[tuple[str, bytes]], name: str = "Wiki") -> FolderWiki:
    """The wiki in these files (paths relative to the folder, with ``/``).

    With page files at the top the whole is one volume called ``name`` unless
    its ``volume.yaml`` says otherwise.
    """
    given = dict(sorted(files))
    reading = _Reading()
    reading.base = read_pages(given.get(PAGES_FILE))
    kept = {path: data for path, data in given.items() if not _passed_over(path)}
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
    parts = path.split("/")
    return any(part.startswith(".") or part == ".." for part in parts) or "files" in parts[:-1]


def _volume(reading: _Reading, name: str, top: str, files: Mapping[str, bytes]) -> FolderVolume:
    lead = f"{top}/" if top else ""
    settings_text = _text(reading, files, f"{lead}volume.yaml")
    settings = _settings(reading, f"{lead}volume.yaml", settings_text)
    spare: list[FolderPage] = []
    pages: dict[str, FolderPage] = {}
    for path, data in files.items():
        if not path.endswith(".md") or path == f"{lead}contents.md":
            continue
        page = _page(reading, path, data)
        if page is None:
            continue
        other = pages.setdefault(names.key(page.title), page)
        if other is not page:
            spare.append(page)
            reading.say(
                path,
                "name_taken",
                f"Its name “{page.title}” is that of {other.path} (capitals, spaces, hyphens and "
                f"underscores make no difference). References lead to {other.path}; give this one another title.",
            )
    contents = _text(reading, files, f"{lead}contents.md")
    ordered = _contents(reading, f"{lead}contents.md", contents)
    placed = {names.key(title) for _, title in ordered}
    # What had no place when it left has none because of that.
    placed |= {key for key, page in pages.items() if (at := reading.base.get(page.path)) and not at.placed}
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
        len(ordered),
        top,
        tuple(spare),
        contents,
        settings_text,
        _style(reading, f"{lead}volume.yaml", settings),
        _language(reading, f"{lead}volume.yaml", settings),
    )


def _text(reading: _Reading, files: Mapping[str, bytes], path: str) -> str | None:
    data = files.get(path)
    return None if data is None else reading.text(path, data)


def _settings(reading: _Reading, path: str, text: str | None) -> Mapping[str, Any]:
    if text is None:
        return {}
    matter = front_matter.read(f"---\n{text}\n---\n")
    for problem in matter.problems:
        reading.say(path, problem.code, problem.message)
    return matter.fields


def _language(reading: _Reading, path: str, settings: Mapping[str, Any]) -> str:
    try:
        return names.check_language(str(settings.get("language", "")))
    except BadName as fault:
        reading.say(path, fault.code, fault.message)
        return ""


def _style(reading: _Reading, path: str, settings: Mapping[str, Any]) -> Style:
    style, problems = read_style(settings.get("style"))
    for problem in problems:
        reading.say(path, "style", problem)
    return style


def _page(reading: _Reading, path: str, data: bytes) -> FolderPage | None:
    text = reading.text(path, data)
    if text is None:
        return None
    entry = reading.base.get(path)
    if entry is not None and entry.says_title(data):
        return FolderPage(path, entry.called or entry.title, text, text, beside=True)
    front = front_matter.read(text)
    title = front.words("title") or PurePosixPath(path).stem
    try:
        title = names.check_title(title)
    except BadName as fault:
        reading.say(path, fault.code, fault.message)
        return None
    return FolderPage(path, title, without_title(text, front), text)


def read_page(path: str, data: bytes) -> tuple[str, str] | None:
    """Title and text of a page file by itself; None if it cannot be read."""
    page = _page(_Reading(), path, data)
    return (page.title, page.text) if page is not None else None


def without_title(text: str, front: front_matter.FrontMatter) -> str:
    """A text without the ``title:`` that only files have."""
    if not front.words("title"):
        return text
    head = _TITLE_LINE.sub("", front.span.of(text), count=1)
    rest = text[front.span.end :]
    # A front matter that held nothing but the title goes with it.
    return rest if re.fullmatch(r"\ufeff?---\s*---\s*", head) else head + rest


def _contents(reading: _Reading, path: str, text: str | None) -> list[tuple[int, str]]:
    if text is None:
        return []
    found, problems = read_contents(text)
    for problem in problems:
        reading.say(path, "contents", problem)
    return found


def load_yaml(text: str) -> Any:
    """Plain YAML data (dates, numbers, lists), read safely."""
    return yaml.load(text, yaml.CSafeLoader)


def order_of(volume: FolderVolume) -> Sequence[FolderPage]:
    """The pages of a volume in the order of its contents."""
    place = {names.key(title): n for n, (_, title) in enumerate(volume.contents)}
    return sorted(volume.pages, key=lambda page: place.get(names.key(page.title), len(place)))
