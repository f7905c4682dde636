"""Marks: ``#sea-trial`` in a text files the passage that it stands in under the category “sea trial”.

A mark begins after white space, opening punctuation or the edge of a cell,
with a letter, and goes on with letters, digits, ``-`` and ``_``. It is not
looked for in literal text, in headings, links and pictures, nor after ``{``.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import tag_name

MOST = 5_000
"""Maximum number of marks of a page."""
LONGEST = names.LONGEST
"""Maximum number of code points of a mark."""
_MARK = re.compile(r"#([^\W\d_][\w-]*)")
_OPENS = frozenset("|*_~\"'")
_HOLDS = {"Item", "TableRow", "TableHead", "DefinitionListDefinition", "FootnoteDefinition"}
CLOSED = {"Heading", "CodeBlock", "HtmlBlock", "Link", "Image"}


@dataclass(frozen=True, slots=True)
class Mark:
    """A mark: its word without the ``#``, where it stands with it, and the passage that it files."""

    word: str
    span: Span
    passage: Span

    @property
    def key(self) -> str:
        """The key of its category."""
        return names.key(self.word)


def spelt(name: str) -> str | None:
    """A category's name as a mark spells it; None if no mark can."""
    word = "-".join(name.split())
    match = _MARK.fullmatch(f"#{word}")
    return word if match is not None and names.key(word) == names.key(name) and len(word) <= LONGEST else None


@dataclass(slots=True)
class _Found:
    start: int
    end: int
    low: int
    high: int


def marks(body: Body) -> tuple[Mark, ...]:
    """The marks of a page, in order. Linear."""
    text = body.text
    # Sections of references are out of it; what is left of most texts are signs of headings, before a space.
    if "#" not in text or _MARK.search(body.lifted.text) is None:
        return ()
    made: list[Mark] = []
    for spot in _collect(body):
        span = body.span(spot.start, spot.end)
        passage = body.span(spot.low, spot.high)
        made.append(Mark(span.of(text)[1:], span, Span(passage.start, _trimmed(text, passage))))
    return tuple(made)


def _trimmed(text: str, span: Span) -> int:
    return span.start + len(span.of(text).rstrip())


def _collect(body: Body) -> list[_Found]:
    data, prefix = body.lifted.data, body.lifted.prefix
    spots: list[_Found] = []
    holders: list[tuple[int, int]] = []
    paragraph = (0, 0)
    stack: list[str] = []
    closed = 0
    for kind, value, start, end in body.events:
        if kind == "Start":
            name = tag_name(value)
            stack.append(name)
            closed += name in CLOSED
            if name in _HOLDS:
                holders.append((start, end))
            elif name == "Paragraph":
                paragraph = (start, end)
        elif kind == "End":
            name = stack.pop()
            closed -= name in CLOSED
            if name in _HOLDS:
                holders.pop()
        elif kind == "Text" and not closed and b"#" in data[start:end]:
            low, high = holders[-1] if holders else paragraph
            for mark in _in_text(data, start, end, prefix):
                spots.append(_Found(*mark, low, high))
                if len(spots) >= MOST:
                    return spots
    return spots


def _in_text(data: bytes, start: int, end: int, prefix: str) -> list[tuple[int, int]]:
    words = data[start:end].decode()
    # What stands before decides; it may be the mark of emphasis, or an escape.
    before = data[:start][-4:].decode(errors="ignore")[-1:]
    places: list[tuple[int, int]] = []
    at = size = 0
    for mark in _MARK.finditer(words):
        lead = words[mark.start() - 1] if mark.start() else before
        # A reference right behind a mark ends it.
        word = mark[1].partition(prefix)[0] if prefix else mark[1]
        if not word or len(word) > LONGEST or not opens(lead):
            continue
        size += len(words[at : mark.start()].encode())
        at = mark.start()
        places.append((start + size, start + size + 1 + len(word.encode())))
    return places


def opens(character: str) -> bool:
    if not character or character.isspace() or character in _OPENS:
        return True
    return character != "{" and unicodedata.category(character) in {"Ps", "Pi"}
