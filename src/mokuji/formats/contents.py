"""Contents as a plain-text nested list of ``[[Title]]`` lines: read, and written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import BadName
from mokuji.core.base.spans import Lines, Span
from mokuji.core.edit.front_edit import line_end
from mokuji.core.language.scan import scan
from mokuji.core.model.contents import Row, parents_of
from mokuji.core.syntax.reference import Kind

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
    items: list[Item] = []
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
        items.append(Item(row, line, reference.name_span))
        if row.key not in seen:
            indents.append(indent)
        seen.add(row.key)
    return items


def _lines(text: str) -> list[str]:
    return re.split(r"\r\n|\n|\r", text)


def keep_in_step(text: str, rows: Sequence[Row], wished: Sequence[Row]) -> str:
    """The list as it was typed, after acts made ``wished`` of its ``rows``.

    While nobody moves, only names are exchanged, where they stand; otherwise whole lines go elsewhere, with all that
    is typed in them and before them.
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
    made = _moved(text, items, rows, wished)
    as_wished = [(row.depth, row.key) for row in wished]
    if [(item.row.depth, item.row.key) for item in _first_of_each(made)] == as_wished:
        return made
    # Lines that are indented in a way of their own do not go elsewhere as they are: plain ones do.
    return _moved(text, items, rows, wished, plain=True)


_ITEM_LINE = re.compile(r"([ \t]*)([-*+]|\d{1,9}[.)])([ \t]+)")


def _moved(
    text: str, items: Sequence[Item], rows: Sequence[Row], wished: Sequence[Row], *, plain: bool = False
) -> str:
    """The list in another order: every line goes with its item, and what stands before an item (words, blank lines)
    with it; what stood before one that goes stays before the next. With ``plain`` all lines are written anew."""
    lines, ending = Lines(text), line_end(text)
    same = _same(rows, wished)
    parents, parents_now = parents_of(rows), parents_of(wished)
    kept = set(same.values())
    typed: dict[str, str] = {}
    before: dict[str, str] = {}
    lead = ""
    at = 0
    for item in items:
        span = lines.line_span(item.line)
        lead += text[at : span.start]
        at = span.end
        if item.row.key in kept:
            title = next((row.title for row in wished if same.get(row.key) == item.row.key), item.row.title)
            line = span.of(text)
            if names.key(title) != item.row.key:
                line = apply(line, [Edit(item.name.moved(-span.start), names.escape(title))])
            typed[item.row.key] = line if line.endswith(("\n", "\r")) else line + ending
            before[item.row.key], lead = lead, ""
    depths = {row.key: row.depth for row in rows}
    made: list[str] = []
    inside: dict[str, int] = {}  # where the text of an item begins, and so those below it
    for row in wished:
        old = same.get(row.key)
        parent = parents_now[row.key]
        line = typed.get(old, "") if old is not None and not plain else ""
        stays = (
            old is not None
            and depths[old] == row.depth
            and parents[old] == (same.get(parent) if parent else None)
        )
        opening = _ITEM_LINE.match(line)
        if opening is None:
            line = f"{' ' * inside.get(parent or '', 0)}- [[{names.escape(row.title)}]]{ending}"
        elif not stays:
            line = " " * inside.get(parent or "", 0) + line[opening.end(1) :]
        opening = _ITEM_LINE.match(line)
        inside[row.key] = opening.end() if opening is not None else 0
        made.append(before.get(old, "") + line if old is not None else line)
    return "".join(made) + lead + text[at:]


def _same(rows: Sequence[Row], wished: Sequence[Row]) -> dict[str, str]:
    """Which of the old names each wished one is: itself, or the only one that went where only one came."""
    old, new = {row.key for row in rows}, {row.key for row in wished}
    found = {key: key for key in old & new}
    if len(old - new) == len(new - old) == 1:
        found[next(iter(new - old))] = next(iter(old - new))
    return found


def _first_of_each(text: str) -> list[Item]:
    first: dict[str, Item] = {}
    for item in _items(text):
        first.setdefault(item.row.key, item)
    return list(first.values())


def write_contents(rows: Iterable[Row]) -> str:
    """The list as text: two spaces a level."""
    return "".join(f"{'  ' * row.depth}- [[{names.escape(row.title)}]]\n" for row in rows)
