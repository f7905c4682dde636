"""A folder of pages as a wiki in memory, and what a plan makes of its files.

Pages keep their text as the file has it, with the ``title:`` of its front
matter, so that lines and columns are those of the file and an act changes
nothing else in it.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Collision, Refused
from mokuji.core.edit.front_edit import line_end
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import ChangeSet, Fate, PageChange
from mokuji.core.model.contents import Placing, Put, Row, place
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.syntax import front_matter
from mokuji.formats.contents import keep_in_step, write_contents
from mokuji.formats.folder import FolderProblem, FolderVolume, FolderWiki

LONGEST_NAME = 120
"""Maximum number of code points of a file's name before ``.md``; file systems take 255 bytes."""
_NO_NAME = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|]+')
_TITLE = re.compile(r"^(title[ \t]*:[ \t]*)([^\r\n]*)", re.MULTILINE)
_FRONT = re.compile(r"^(front[ \t]*:[ \t]*)([^\r\n]*)", re.MULTILINE)
_PLAIN = re.compile(r"[^\W_][\w ./()+’–]*")
_OPENING = re.compile(r"\ufeff?---[ \t]*(?:\r\n|\n|\r)")


@dataclass(frozen=True)
class FolderIndex:
    """The wiki of a folder: volumes by id, and the path of each page.

    ``spare`` are the ids of files whose name is that of another; no reference leads to them. ``beside`` are those whose
    title stands beside the files.
    """

    wiki: MemoryWiki
    volumes: Mapping[int, FolderVolume]
    paths: Mapping[int, str]
    spare: frozenset[int]
    problems: tuple[FolderProblem, ...]
    beside: frozenset[int] = frozenset()

    def rows(self, volume: int, *, listed: bool = True) -> list[Row]:
        """The contents of a volume: what ``contents.md`` names, or all."""
        found = self.volumes[volume]
        return [Row.of(depth, title) for depth, title in found.contents[: found.listed if listed else None]]


def index(source: FolderWiki) -> FolderIndex:
    """The wiki that a folder holds. Of volumes with one name only the first is found by it."""
    problems = list(source.problems)
    volumes: list[Volume] = []
    pages: list[Page] = []
    paths: dict[int, str] = {}
    spare: set[int] = set()
    beside: set[int] = set()
    named: dict[str, str] = {}
    for id_, volume in enumerate(source.volumes, 1):
        key = names.key(volume.title)
        first = named.setdefault(key, volume.top or ".")
        if first != (volume.top or "."):
            problems.append(
                FolderProblem(
                    volume.at("volume.yaml"),
                    "volume_taken",
                    f"The volume's name “{volume.title}” is that of {first}. Give it another title.",
                )
            )
            key = f"{key}\0{volume.top}"
        volumes.append(Volume(id_, key, volume.title, language=volume.language))
        for page in sorted((*volume.pages, *volume.spare), key=lambda each: each.path):
            number = len(paths) + 1
            paths[number] = page.path
            if page.beside:
                beside.add(number)
            page_key = names.key(page.title)
            if page in volume.spare:
                # Found by no name, so that it takes nothing from the page that has it.
                spare.add(number)
                page_key = f"{page_key}\0{page.path}"
            pages.append(Page(PageHead(number, id_, page_key, page.title), page.whole))
    by_key = {volume.key: volume.id for volume in volumes}
    volumes = [
        replace(volume, libraries=tuple(_libraries(source.volumes[volume.id - 1], by_key)))
        for volume in volumes
    ]
    wiki = MemoryWiki(volumes, pages)
    by_number = dict(enumerate(source.volumes, 1))
    return FolderIndex(wiki, by_number, paths, frozenset(spare), tuple(problems), frozenset(beside))


def _libraries(volume: FolderVolume, by_key: Mapping[str, int]) -> Iterable[int]:
    return (by_key[names.key(library)] for library in volume.libraries if names.key(library) in by_key)


def changed_files(
    folder: FolderIndex, changes: ChangeSet, *, place_all: bool = False
) -> dict[str, str | None]:
    """The files that a plan changes, with their new text; None for those that go.

    A page's file is called after its title as long as it was so before. Contents are only kept where there
    are some, unless ``place_all`` says that the act is about them. Collision if a file of that name is there.
    """
    files: dict[str, str | None] = {}
    gone = {removed_page.head.id for removed_page in changes.removed}
    for removed_page in changes.removed:
        files[folder.paths[removed_page.head.id]] = None
    taken = {path.casefold() for id_, path in folder.paths.items() if id_ not in gone}
    for change in changes.changes:
        if change.fate is Fate.MADE:
            path = _new_path(folder, change, taken)
            taken.add(path.casefold())
            files[path] = titled(change.after, change.title, path, renamed=True)
            continue
        old = folder.paths[change.head.id]
        path = path_after(folder, change, old)
        if path.casefold() != old.casefold():
            _check_free(path, taken)
        text = change.after
        if change.head.id not in folder.beside:
            text = titled(text, change.title, path, renamed=change.title != change.head.title)
        if path != old:
            files[old] = None
            taken = (taken - {old.casefold()}) | {path.casefold()}
        if path != old or text != change.before:
            files[path] = text
    for volume in folder.volumes:
        files |= _contents(folder, volume, changes.contents, place_all=place_all)
        files |= _settings(folder, volume, changes)
    return files


def _new_path(folder: FolderIndex, change: PageChange, taken: set[str]) -> str:
    """Where the file of a new page goes: to the top of its volume."""
    path = folder.volumes[change.volume_after].at(f"{file_name(change.title)}.md")
    if path.casefold() in taken or PurePosixPath(path).name == "contents.md":
        raise Collision(f"The file {path} is there already. Choose another title.", code="file_taken")
    return path


def path_after(folder: FolderIndex, change: PageChange, old: str) -> str:
    """Where the file of a page lies once it is called otherwise, or stands in another volume."""
    after = change.head_after
    at = PurePosixPath(old)
    stem = at.stem
    if after.title != change.head.title and names.key(stem) == names.key(file_name(change.head.title)):
        stem = file_name(after.title)
    top = folder.volumes[after.volume].top
    parent = at.parent.as_posix() if after.volume == change.head.volume else top
    return (f"{parent}/" if parent not in {"", "."} else "") + f"{stem}.md"


def _check_free(path: str, taken: set[str]) -> None:
    if path.casefold() in taken or PurePosixPath(path).name == "contents.md":
        raise Collision(f"The file {path} is there already. Move it out of the way first.", code="file_taken")


def file_name(title: str) -> str:
    """A readable name (without ``.md``) for the file of a page; not every title can be read back from it."""
    name = _NO_NAME.sub("-", title).strip(" .")[:LONGEST_NAME].strip(" .")
    return name or "page"


def titled(text: str, title: str, path: str, *, renamed: bool) -> str:
    """The text with what it takes for its page to have this title under this path."""
    front = front_matter.read(text)
    if front.words("title"):
        if not renamed:
            return text
        head = _TITLE.sub(lambda found: found[1] + _scalar(title), front.span.of(text), count=1)
        made = head + text[front.span.end :]
    elif _title_of(path) == title:
        return text
    elif front.span.end:
        opening = _OPENING.match(text)
        at = opening.end() if opening else 0
        made = f"{text[:at]}title: {_scalar(title)}{line_end(text)}{text[at:]}"
    else:
        end = line_end(text)
        made = f"---{end}title: {_scalar(title)}{end}---{end}{text}"
    if front_matter.read(made).words("title") != title:
        raise Refused(
            f"The title in {path} cannot be changed by itself: its front matter is written in a way that is not "
            "understood. Put it right by hand first, then try again.",
            code="front_matter",
        )
    return made


def _title_of(path: str) -> str:
    try:
        return names.check_title(PurePosixPath(path).stem)
    except BadName:
        return ""


def _scalar(words: str) -> str:
    """Words as a value in YAML: plain where that is safe, else in double quotes (YAML 1.2 takes JSON's strings)."""
    return (
        words if _PLAIN.fullmatch(words) and words == words.strip() else json.dumps(words, ensure_ascii=False)
    )


def _contents(
    folder: FolderIndex, volume: int, placings: Sequence[Placing], *, place_all: bool
) -> dict[str, str | None]:
    found = folder.volumes[volume]
    here = [placing for placing in placings if placing.volume == volume]
    if not here or (found.contents_text is None and not place_all):
        return {}
    rows = folder.rows(volume, listed=not place_all)
    listed = {row.key for row in rows}
    # What has no place in the list and only keeps it under another name gets none.
    now, _ = place(rows, [each for each in here if isinstance(each, Put) or each.key in listed])
    if list(now) == rows and found.contents_text is not None:
        return {}
    if found.contents_text is None or place_all:
        text = found.contents_text or ""
        made = keep_in_step(text, folder.rows(volume), now) if text else write_contents(now)
    else:
        made = keep_in_step(found.contents_text, rows, now)
    return {} if made == found.contents_text else {found.at("contents.md"): made}


def _settings(folder: FolderIndex, volume: int, changes: ChangeSet) -> dict[str, str | None]:
    """A volume goes on opening on the page that it opens on."""
    found = folder.volumes[volume]
    if found.front is None or found.settings_text is None:
        return {}
    key = names.key(found.front)
    title = next(
        (
            c.title
            for c in changes.changes
            if c.head.volume == volume == c.volume_after and c.head.key == key != c.head_after.key
        ),
        None,
    )
    merged = next((r for r in changes.removed if (r.head.volume, r.head.key) == (volume, key)), None)
    if merged is not None and merged.successor is not None:
        into = folder.wiki.pages_by_id[merged.successor].head
        title = into.title if into.volume == volume else None
    if title is None:
        return {}
    return {
        found.at("volume.yaml"): _FRONT.sub(lambda at: at[1] + _scalar(title), found.settings_text, count=1)
    }
