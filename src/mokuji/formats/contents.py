"""Contents as a plain-text nested list of ``[[Title]]`` lines: read, and written."""

from __future__ import annotations

import re
from collections.abc import Iterable

from mokuji.core import names
from mokuji.core.contents import Row
from mokuji.core.spans import Lines
from mokuji.core.text.reference import Kind
from mokuji.core.text.scan import scan

_ITEM = re.compile(r"([ \t]*)(?:[-*+]|\d{1,9}[.)])[ \t]+")


def read_contents(text: str, *, strict: bool = False) -> tuple[list[tuple[int, str]], list[str]]:
    """Depth and title of each ``[[Title]]`` item, and problems as sentences; the depth is that of the nested list.

    With ``strict`` a line that is no such item is a problem too; without it, it is passed over.
    """
    found: list[tuple[int, str]] = []
    problems: list[str] = []
    indents: list[int] = []
    seen: set[str] = set()
    lines = Lines(text)
    used: set[int] = set()
    for reference in scan(text).references:
        if reference.kind is not Kind.LINK or reference.name is None:
            continue
        line = lines.position(reference.span.start).line
        start = lines.line_span(line).start
        item = _ITEM.match(text, start)
        if item is None or item.end() != reference.span.start:
            continue
        used.add(line)
        indent = len(item[1].expandtabs(4))
        while indents and indents[-1] >= indent:
            indents.pop()
        title = names.unescape(reference.name_span.of(text))
        if names.key(title) in seen:
            problems.append(
                f"“{title}” has two places in the contents (the second is line {line}); the first one counts."
            )
            continue
        seen.add(names.key(title))
        found.append((len(indents), title))
        indents.append(indent)
    if strict:
        problems += [
            f"Line {n} is not “- [[Title]]”: “{line.strip()[:60]}”."
            for n, line in enumerate(re.split(r"\r\n|\n|\r", text), 1)
            if line.strip() and n not in used
        ]
    return found, problems


def write_contents(rows: Iterable[Row]) -> str:
    """The list as text: two spaces a level."""
    return "".join(f"{'  ' * row.depth}- [[{names.escape(row.title)}]]\n" for row in rows)
