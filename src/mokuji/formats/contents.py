"""Contents as a plain-text nested list of ``[[Title]]`` lines: read, and written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.contents import Row
from mokuji.core.edits import Edit, apply
from mokuji.core.errors import BadName
from mokuji.core.spans import Lines, Span
from mokuji.core.text.front_edit import line_end
from mokuji.core.text.reference import Kind
from mokuji.core.text.scan import scan

_ITEM = re.compile(r"([ \t]*)(?:[-*+]|\d{1,9}[.)])[ \t]+")


@dataclass(frozen=True, slots=True)
class Item:
    """A line of the list: its row, its number from 1, and the range of the name in the text."""

    row: Row
    line: int
    name: Span


def read_contents(text: str, *, strict: bool = False) -> tuple[list[tuple[int, str]], list[str]]:
    """Depth and title of each ``[[Title]]`` item, and problems as sentences; the depth is that of the nested list.

    With ``strict`` a line that is no such item is a problem too; without it, it is passed over.
    """
    items = _items(text)
    problems: list[str] = []
    if strict:
        used = {item.line for item in items}
        problems += [
            f"Line {n} is not “- [[Title]]”: “{line.strip()[:60]}”."
            for n, line in enumerate(_lines(text), 1)
            if line.strip() and n not in used
        ]
    kept, seen = [], set()
    for item in items:
        if item.row.key in seen:
            problems.append(
                f"“{item.row.title}” has two places in the contents (the second is line {item.line}); the first "
                "one counts."
            )
            continue
        seen.add(item.row.key)
        kept.append((item.row.depth, item.row.title))
    return kept, problems


_MARKER = re.compile(r"(?:[-*+•–·▪◦]|\d{1,9}[.)](?=[ \t])|\(?[a-z][.)](?=[ \t]))[ \t]*", re.IGNORECASE)
_NUMBERED = re.compile(r"(\d{1,4}(?:\.\d{1,4})*)\.?[ \t]+(?=\S)")
_HASHES = re.compile(r"(#{1,6})[ \t]+")
_BRACKETS = re.compile(r"\[\[(.*)\]\]\Z")


def read_outline(text: str) -> tuple[list[Row], list[str]]:
    """An outline as people type or paste one: a name a line, indented by spaces or tabs, with list markers, chapter
    numbers (“2.1 Power”), heading marks or none; brackets around a name may stand. Rows, each name once, and problems
    as sentences."""
    rows: list[Row] = []
    problems: list[str] = []
    indents: list[int] = []
    seen: set[str] = set()
    for number, line in enumerate(_lines(text), 1):
        words = line.strip()
        if not words:
            continue
        depth, title = _outlined(line, words, indents)
        # No deeper than one below the line before.
        depth = min(depth, rows[-1].depth + 1 if rows else 0)
        try:
            title = names.check_title(title)
        except BadName as fault:
            problems.append(f"Line {number}, “{words[:60]}”: {fault.message}")
            continue
        row = Row.of(depth, title)
        if row.key in seen:
            problems.append(f"Line {number}: “{title}” stands in the outline twice. A name has one place.")
        seen.add(row.key)
        rows.append(row)
    return rows, problems


def _outlined(line: str, words: str, indents: list[int]) -> tuple[int, str]:
    """How deep a line stands, and its name. ``indents`` are those of the lines above it."""
    hashes = _HASHES.match(words)
    numbered = _NUMBERED.match(words)
    if hashes is not None:
        depth, title = len(hashes[1]) - 1, words[hashes.end() :].rstrip("# ")
    elif numbered is not None and "." in numbered[1]:
        depth, title = numbered[1].count("."), words[numbered.end() :]
    elif numbered is not None and line[0].isdigit():
        indents[:] = [0]
        depth, title = 0, words[numbered.end() :]
    else:
        indent = len(line.expandtabs(4)) - len(line.expandtabs(4).lstrip())
        while indents and indents[-1] >= indent:
            indents.pop()
        depth = len(indents)
        indents.append(indent)
        marker = _MARKER.match(words)
        title = words[marker.end() :] if marker is not None else words
    brackets = _BRACKETS.match(title.strip())
    return depth, names.unescape(brackets[1]) if brackets is not None else title.strip()


def _items(text: str) -> list[Item]:
    found: list[Item] = []
    indents: list[int] = []
    seen: set[str] = set()
    lines = Lines(text)
    for reference in scan(text).references:
        if reference.kind is not Kind.LINK or reference.name is None:
            continue
        line = lines.position(reference.span.start).line
        start = lines.line_span(line).start
        item = _ITEM.match(text, start)
        if item is None or item.end() != reference.span.start:
            continue
        indent = len(item[1].expandtabs(4))
        while indents and indents[-1] >= indent:
            indents.pop()
        row = Row.of(len(indents), names.unescape(reference.name_span.of(text)))
        found.append(Item(row, line, reference.name_span))
        if row.key not in seen:
            indents.append(indent)
        seen.add(row.key)
    return found


def _lines(text: str) -> list[str]:
    return re.split(r"\r\n|\n|\r", text)


def keep_in_step(text: str, rows: Sequence[Row], wished: Sequence[Row]) -> str:
    """The list as it was typed, after acts made ``wished`` of its ``rows``.

    While nobody moves, only names are exchanged, where they stand; otherwise items are written anew, and what
    stands between them (words, blank lines) stays before the item that it was before.
    """
    items = _first_of_each(text)
    old, new = [(r.depth, r.key) for r in rows], [(r.depth, r.key) for r in wished]
    changed = [n for n, (a, b) in enumerate(zip(old, new, strict=False)) if a != b]
    renamed = all(old[n][0] == new[n][0] and new[n] not in old for n in changed)
    if len(old) == len(new) == len(items) and renamed:
        return apply(
            text,
            [
                Edit(item.name, names.escape(after.title))
                for item, before, after in zip(items, rows, wished, strict=True)
                if before != after
            ],
        )
    lines = Lines(text)
    before: dict[str, str] = {}
    at = 0
    for item in items:
        span = lines.line_span(item.line)
        before[item.row.key] = text[at : span.start]
        at = span.end
    ending = line_end(text)
    made = "".join(
        f"{before.get(row.key, '')}{'  ' * row.depth}- [[{names.escape(row.title)}]]{ending}"
        for row in wished
    )
    return made + text[at:]


def _first_of_each(text: str) -> list[Item]:
    first: dict[str, Item] = {}
    for item in _items(text):
        first.setdefault(item.row.key, item)
    return list(first.values())


def write_contents(rows: Iterable[Row]) -> str:
    """The list as text: two spaces a level."""
    return "".join(f"{'  ' * row.depth}- [[{names.escape(row.title)}]]\n" for row in rows)
