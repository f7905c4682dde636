"""Contents as a plain-text nested list of ``[[Title]]`` lines: read, and written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.contents import Row
from mokuji.core.edits import Edit, apply
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
