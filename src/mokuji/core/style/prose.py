"""A page's text as its readers read it, passage by passage, each character with its place in the source.

Code, formulas, pictures, slots, marks and what is inserted count as one word
each (``HELD``), since no rule about words may look into them.
"""

from __future__ import annotations

import html
import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Literal

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.parser import tag_name
from mokuji.core.syntax.reference import Kind, plain
from mokuji.core.syntax.slots import parse

HELD = "\ufffc"
"""Stands for something that is no words (U+FFFC, object replacement character)."""
_INLINE = frozenset({"Emphasis", "Strong", "Strikethrough", "Link", "Image"})
_VERBATIM = frozenset({"CodeBlock", "HtmlBlock", "MetadataBlock"})
_SPELT_OUT = re.compile(r"\\[!-/:-@\[-`{-~]|&(?:#\d{1,7}|#[xX][0-9a-fA-F]{1,6}|\w+);")
_NO_WORDS = re.compile(
    r"(?:https?://|www\.)\S+|(?<![\w.+-])[\w.+-]{1,64}@[\w-]+(?:\.[\w-]+)+|(?<!\w)@\w+|(?<!\S)[\w.~-]*/[\w./~-]+"
)
"""Addresses, people and paths."""

Sort = Literal["heading", "text", "cell", "description"]


@dataclass(frozen=True, slots=True)
class Piece:
    """A run of a passage's words from ``at`` on, and what it is in the source; ``typed`` if it stands there letter for
    letter."""

    at: int
    length: int
    span: Span
    typed: bool


@dataclass(frozen=True, slots=True)
class Block:
    """What is read as one: a paragraph, an item, a cell, a heading, the description of a picture. ``step`` if it
    stands in a numbered list."""

    sort: Sort
    step: bool
    words: str
    pieces: tuple[Piece, ...]

    def _of(self, at: int) -> Piece:
        return self.pieces[max(0, bisect_right(self.pieces, at, key=lambda piece: piece.at) - 1)]

    def span(self, start: int, end: int) -> Span:
        """Where words of the passage stand in the source."""
        first, last = self._of(start), self._of(max(start, end - 1))
        low = first.span.start + (start - first.at if first.typed else 0)
        high = last.span.start + (end - last.at) if last.typed else last.span.end
        return Span(low, high)

    def typed(self, start: int, end: int) -> bool:
        """Whether these words stand in the source letter for letter, in one run."""
        first = self._of(start)
        return first.typed and end <= first.at + first.length


def passages(page: Page) -> list[Block]:
    """The passages of a page, in the order in which they end."""
    return _Reader(page, page.body()).read()


@dataclass(frozen=True, slots=True)
class _Raw:
    """A run of words, and its range in bytes of the lifted body (or in code points of the page)."""

    words: str
    start: int
    end: int
    typed: bool
    placed: bool = False


@dataclass
class _Open:
    sort: Sort
    step: bool
    runs: list[_Raw] = field(default_factory=list)


class _Reader:
    def __init__(self, page: Page, body: Body) -> None:
        self._page = page
        self._body = body
        self._references = [page.content.references[index] for index in body.outer]
        prefix = body.lifted.prefix
        self._stand_in = re.compile(rf"{prefix}(\d+)q") if prefix else None
        self._done: list[_Open] = []
        self._open = _Open("text", False)
        self._around: list[_Open] = []
        self._lists: list[bool] = []
        self._sort: Sort = "text"

    def read(self) -> list[Block]:
        verbatim = 0
        for kind, value, start, end in self._body.events:
            name = tag_name(value) if kind in {"Start", "End"} else ""
            if name in _VERBATIM:
                self._part()
                verbatim += 1 if kind == "Start" else -1
            elif verbatim:
                continue
            elif name == "Image":
                self._picture(kind == "Start", start, end)
            elif name and name not in _INLINE:
                self._block(name, kind == "Start", value)
            elif kind == "Text":
                self._text(value, start, end)
            elif kind in {"Code", "InlineMath", "DisplayMath"}:
                self._add(HELD, start, end)
            elif kind in {"SoftBreak", "HardBreak"}:
                self._add(" ", start, end)
        self._part()
        return self._placed()

    def _block(self, name: str, begins: bool, value: object) -> None:
        self._part()
        if name == "List":
            if begins:
                self._lists.append(isinstance(value, dict) and value["List"] is not None)
            elif self._lists:
                self._lists.pop()
        if name == "Heading":
            self._sort = "heading" if begins else "text"
        elif name == "TableCell":
            self._sort = "cell" if begins else "text"
        self._open = _Open(self._sort, any(self._lists))

    def _part(self) -> None:
        if self._open.runs:
            self._done.append(self._open)
        self._open = _Open(self._sort, any(self._lists))

    def _picture(self, begins: bool, start: int, end: int) -> None:
        if begins:
            self._add(HELD, start, end)
            self._around.append(self._open)
            self._open = _Open("description", False)
        elif self._around:
            if self._open.runs:
                self._done.append(self._open)
            self._open = self._around.pop()

    def _add(self, words: str, start: int, end: int, *, typed: bool = False) -> None:
        if words:
            self._open.runs.append(_Raw(words, start, end, typed))

    def _text(self, words: str, start: int, end: int) -> None:
        source = self._body.lifted.data[start:end].decode()
        if self._stand_in is None:
            self._run(source, words, start)
            return
        at = 0
        # Stand-ins are letters and digits: nothing in a text is spelt out as one.
        runs = self._stand_in.split(words)
        for n, match in enumerate(self._stand_in.finditer(source)):
            between = source[at : match.start()]
            self._run(between, runs[2 * n], start)
            self._reference(int(match[1]))
            start += len(between.encode()) + len(match[0])
            at = match.end()
        self._run(source[at:], runs[-1], start)

    def _run(self, source: str, words: str, start: int) -> None:
        if source == words:
            self._add(words, start, start + len(source.encode()), typed=True)
            return
        at = 0
        pieces: list[tuple[str, str]] = []
        for match in _SPELT_OUT.finditer(source):
            between = source[at : match.start()]
            sign = match[0][1:] if match[0][0] == "\\" else html.unescape(match[0])
            pieces += ((between, between), (sign, match[0]))
            at = match.end()
        pieces.append((source[at:], source[at:]))
        if "".join(read for read, _ in pieces) != words:
            pieces = [(words, source)]
        for read, typed in pieces:
            end = start + len(typed.encode())
            self._add(read, start, end, typed=read == typed)
            start = end

    def _reference(self, index: int) -> None:
        """A link as the words that are read; its label can be mended, a name is that of a page."""
        reference = self._references[index]
        span = reference.span
        label, text = reference.label(self._page.text), self._page.text
        start = text.find(label, reference.label_span.start, span.end) if reference.label_span else -1
        if label and start >= 0 and plain(label) == label:
            self._open.runs.append(_Raw(label, start, start + len(label), typed=True, placed=True))
        elif reference.kind is Kind.LINK:
            words = shown(reference, text, ())
            self._open.runs.append(_Raw(words or HELD, span.start, span.end, typed=False, placed=True))
        else:
            self._open.runs.append(_Raw(HELD, span.start, span.end, typed=False, placed=True))

    def _placed(self) -> list[Block]:
        holes = self._holes()
        blocks: list[Block] = []
        for each in self._done:
            words: list[str] = []
            pieces: list[Piece] = []
            at = 0
            for run in each.runs:
                span = Span(run.start, run.end) if run.placed else self._body.span(run.start, run.end)
                for text, where, typed in _without(run.words, span, run.typed, holes):
                    words.append(text)
                    pieces.append(Piece(at, len(text), where, typed))
                    at += len(text)
            blocks.append(Block(each.sort, each.step, "".join(words), tuple(pieces)))
        return blocks

    def _holes(self) -> list[Span]:
        """What is no words of the writer: marks, sources, people, and slots."""
        page = self._page
        content = page.content
        holes = [mark.span for mark in content.marks]
        holes += [cite.span for cite in content.cites]
        holes += [handle.span for handle in content.handles]
        slots = page.content.declared.slots
        if slots:
            holes += [use.span for use in parse(page.text, slots).uses()]
        apart: list[Span] = []
        for hole in sorted(holes):
            if apart and hole.start < apart[-1].end:
                apart[-1] = Span(apart[-1].start, max(hole.end, apart[-1].end))
            else:
                apart.append(hole)
        return apart


def _without(words: str, span: Span, typed: bool, holes: Sequence[Span]) -> Iterator[tuple[str, Span, bool]]:
    """A run with its holes, addresses and paths taken out."""
    if not typed:
        yield words, span, typed
        return
    cut = [
        (max(hole.start, span.start) - span.start, min(hole.end, span.end) - span.start)
        for hole in holes[max(0, bisect_right(holes, span) - 1) :]
        if hole.start < span.end and hole.end > span.start
    ]
    cut += [found.span() for found in _NO_WORDS.finditer(words)]
    at = 0
    for low, high in sorted(cut):
        if low < at:
            continue
        if low > at:
            yield words[at:low], Span(span.start + at, span.start + low), True
        yield HELD, Span(span.start + low, span.start + high), False
        at = high
    if at < len(words):
        yield words[at:], Span(span.start + at, span.end), True
