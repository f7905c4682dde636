"""Which file of a folder is which page: by where it lies, by what it holds, by its title, by how much of it is alike.

A folder says of each page what it was when it left (``Left``). Whoever works on it with other tools renames files,
moves them, and exchanges their names; no tool says so, and it is found out from what lies there now.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from mokuji.core.base import names

ALIKE = 0.5
"""From this share of equal text on, a file is taken for a page whose file is gone; as version control does (common
practice)."""
COMMON = 50
"""A line that stands in more of the texts says nothing of which one is which."""


@dataclass(frozen=True, slots=True)
class Brought:
    """A page as a folder has it: its file's path, its title and text, and the SHA-256 of the file."""

    path: str
    title: str
    text: str
    hash: str


@dataclass(frozen=True, slots=True)
class Left:
    """A page as it left: its file's path, its title, the SHA-256 of its file, whether it had a place in the contents;
    its number and revision."""

    path: str
    title: str
    hash: str
    placed: bool
    page: int
    revision: int


@dataclass(frozen=True)
class Matched:
    """``pages`` says by path which page a file is; ``new`` are the other files, ``gone`` pages without a file."""

    pages: Mapping[str, Left] = field(default_factory=dict)
    new: tuple[Brought, ...] = ()
    gone: tuple[Left, ...] = ()


TextsOf = Callable[[Sequence[Left]], Mapping[int, str]]
"""Gives the texts with which pages left, by page."""


def match(brought: Sequence[Brought], left: Sequence[Left], texts_of: TextsOf) -> Matched:
    """Finds out which file is which page. ``texts_of`` is asked once at most, for pages whose file is gone."""
    files = {file.path: file for file in brought}
    entries = {entry.path: entry for entry in left}
    found: dict[str, Left] = dict(_exchanged(files, entries))
    taken = {entry.page for entry in found.values()}
    for path, entry in entries.items():
        if path in files and path not in found and entry.page not in taken:
            found[path] = entry
            taken.add(entry.page)
    waiting = [entry for entry in left if entry.page not in taken]
    loose = [file for file in brought if file.path not in found]
    for pairs in (_same_bytes, _same_title):
        for file, entry in pairs(loose, waiting):
            found[file.path] = entry
        taken = {entry.page for entry in found.values()}
        waiting = [entry for entry in waiting if entry.page not in taken]
        loose = [file for file in loose if file.path not in found]
    if waiting and loose:
        for file, entry in _alike(loose, waiting, texts_of(waiting)):
            found[file.path] = entry
        taken = {entry.page for entry in found.values()}
    return Matched(
        found,
        tuple(file for file in brought if file.path not in found),
        tuple(entry for entry in left if entry.page not in taken),
    )


def _exchanged(files: Mapping[str, Brought], entries: Mapping[str, Left]) -> Iterator[tuple[str, Left]]:
    """Files that lie where another one lay, while that one lies elsewhere, too."""
    now = Counter(file.hash for file in files.values())
    then = Counter(entry.hash for entry in entries.values())
    by_hash = {entry.hash: entry for entry in entries.values()}
    moved = {
        path: by_hash[file.hash]
        for path, file in files.items()
        if path in entries
        and file.hash != entries[path].hash
        and now[file.hash] == then[file.hash] == 1
        and by_hash[file.hash].path in files
    }
    # Each must lie where another of them lay: else one was copied over another.
    while True:
        vacated = {entry.path for entry in moved.values()}
        kept = {path: entry for path, entry in moved.items() if entry.path in moved and path in vacated}
        if len(kept) == len(moved):
            yield from kept.items()
            return
        moved = kept


def _same_bytes(loose: Sequence[Brought], waiting: Sequence[Left]) -> Iterator[tuple[Brought, Left]]:
    by_hash: dict[str, list[Left]] = {}
    for entry in reversed(waiting):
        by_hash.setdefault(entry.hash, []).append(entry)
    for file in loose:
        if by_hash.get(file.hash):
            yield file, by_hash[file.hash].pop()


def _same_title(loose: Sequence[Brought], waiting: Sequence[Left]) -> Iterator[tuple[Brought, Left]]:
    by_key = {names.key(entry.title): entry for entry in waiting}
    for file in loose:
        entry = by_key.pop(names.key(file.title), None)
        if entry is not None:
            yield file, entry


def _alike(
    loose: Sequence[Brought], waiting: Sequence[Left], texts: Mapping[int, str]
) -> Iterator[tuple[Brought, Left]]:
    """Pairs of which at least ``ALIKE`` of the longer text is the same lines, the most alike first."""
    lines = {entry.page: _lines(texts[entry.page]) for entry in waiting if entry.page in texts}
    holding: dict[str, list[int]] = {}
    for page, counted in lines.items():
        for line in counted:
            holding.setdefault(line, []).append(page)
    sizes = {page: _weight(counted) for page, counted in lines.items()}
    scored: list[tuple[float, str, int]] = []
    for file in loose:
        own = _lines(file.text)
        size = _weight(own)
        shared: Counter[int] = Counter()
        for line, count in own.items():
            pages = holding.get(line, ())
            if len(pages) <= COMMON:
                for page in pages:
                    shared[page] += len(line) * min(count, lines[page][line])
        for page, weight in shared.items():
            share = weight / max(size, sizes[page], 1)
            if share >= ALIKE:
                scored.append((-share, file.path, page))
    by_path = {file.path: file for file in loose}
    by_page = {entry.page: entry for entry in waiting}
    for _, path, page in sorted(scored):
        if path in by_path and page in by_page:
            yield by_path.pop(path), by_page.pop(page)


def _lines(text: str) -> Counter[str]:
    return Counter(line for each in text.splitlines() if (line := each.strip()))


def _weight(lines: Counter[str]) -> int:
    return sum(len(line) * count for line, count in lines.items())
