"""What stands behind the marks of a fence: language, caption, and words that say what is shown.

    ```dot Power paths | The collar feeds the regulator, the regulator the cells.

CommonMark 0.31.2 (section 4.5) leaves the info string open but for its first
word, the language. The rest is the caption here, and behind a bar the words.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import tag_name
from mokuji.core.syntax.placeholders import Lifted
from mokuji.core.syntax.slots import unmasked

_OPENS = re.compile(r"^[ \t>*+\-\d.)]*(?:`{3,}|~{3,})[ \t]*dot\b", re.MULTILINE)
DIAGRAM = "dot"
"""The language of fences that are drawn."""


@dataclass(frozen=True, slots=True)
class Info:
    """The language of a fence, its caption, and words that say what it shows; empty where there are none."""

    language: str
    caption: str = ""
    description: str = ""


@dataclass(frozen=True, slots=True)
class Fence:
    """A fence of a page: what it is, the place of its opening line, what is in it, and the place of each line of
    that."""

    info: Info
    opening: Span
    source: str
    lines: tuple[Span, ...]


def info(text: str) -> Info:
    """An info string. Words in braces are other programs' and are left out."""
    language, _, rest = text.strip().partition(" ")
    rest = rest.strip()
    if rest.startswith("{"):
        rest = ""
    caption, bar, description = rest.partition("|")
    return Info(language, caption.strip(), description.strip() if bar else "")


def diagrams(body: Body) -> Iterator[Fence]:
    """The fences of a page that are drawn. Those that hold a slot are left out: what they show is not known yet."""
    if DIAGRAM not in body.text or not _OPENS.search(body.text):
        return
    found: tuple[Info, int, list[str], list[tuple[int, int]]] | None = None
    for kind, value, start, end in body.events:
        if kind == "Start" and tag_name(value) == "CodeBlock" and isinstance(value["CodeBlock"], dict):
            told = info(value["CodeBlock"]["Fenced"])
            found = (told, start, [], []) if told.language == DIAGRAM else None
        elif found is not None and kind == "Text":
            found[2].append(value)
            found[3].append((start, end))
        elif found is not None and kind == "End" and tag_name(value) == "CodeBlock":
            source = "".join(found[2])
            if unmasked(source) == source:
                yield _fence(body, found[0], source, found[1], _rows(body.lifted, found[3]))
            found = None


def _rows(lifted: Lifted, ranges: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """The lines of what is in a fence, as bytes of the body; in a list or quotation each begins behind its margin."""
    rows: list[tuple[int, int]] = []
    for start, end in ranges:
        at = start
        for line in lifted.data[start:end].split(b"\n"):
            if at < end:
                rows.append((lifted.origin(at), lifted.origin(at + len(line))))
            at += len(line) + 1
    return rows


def _fence(body: Body, told: Info, source: str, start: int, rows: list[tuple[int, int]]) -> Fence:
    start = body.lifted.origin(start)
    stop = body.data.find(b"\n", start)
    opening = Span(body.typed(start), body.typed(len(body.data) if stop < 0 else stop))
    lines = tuple(Span(body.typed(low), body.typed(high)) for low, high in rows)
    return Fence(told, opening, source, lines)
