"""Texts made of texts: where a page's text comes from once an act is done.

A rename leaves every text where it is; a merge, a split or the undoing of one
moves passages between pages. A page's text afterwards is a list of parts, each
*carried* from a text of before, or *words* that were nowhere. What is carried
keeps its references, and those follow; words are left as they are.

What holds: edits are given in the offsets of the text they are made in, and no
character is carried twice.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

from mokuji.core.base.edits import Edit, Shift, apply, arrange
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import as_edits
from mokuji.core.language.scan import PageText, read_text


@dataclass(frozen=True, slots=True)
class Carried:
    """A passage of a text of before: ``source`` is the id of its page."""

    source: int
    span: Span


@dataclass(frozen=True, slots=True)
class Words:
    """Text that stood nowhere."""

    words: str


Part = Carried | Words
Composition = Sequence[Part]


@dataclass(frozen=True, slots=True)
class Piece:
    """A part in its place: the text it gives, from ``start`` on, and the edits made in it."""

    part: Part
    start: int
    text: str
    edits: tuple[Edit, ...]

    @property
    def end(self) -> int:
        """Behind its last character."""
        return self.start + len(self.text)

    def place(self, offset: int) -> int:
        """Where an offset of the source lies in the text composed."""
        assert isinstance(self.part, Carried)
        return self.start + Shift(self.edits)(offset) - self.part.span.start


class Composed:
    """A text put together; knows where each character of its sources went."""

    def __init__(
        self,
        parts: Composition,
        text_of: Callable[[int], str],
        edits_of: Callable[[int], Iterable[Edit]],
    ) -> None:
        pieces: list[Piece] = []
        made: set[tuple[int, Span]] = set()
        at = 0
        for part in parts:
            if isinstance(part, Words):
                piece = Piece(part, at, part.words, ())
            else:
                span = part.span
                edits = arrange(
                    edit
                    for edit in edits_of(part.source)
                    if _within(edit.span, span) and (part.source, edit.span) not in made
                )
                made.update((part.source, edit.span) for edit in edits)
                inner = [Edit(edit.span.moved(-span.start), edit.words) for edit in edits]
                piece = Piece(part, at, apply(span.of(text_of(part.source)), inner), edits)
            pieces.append(piece)
            at += len(piece.text)
        self.pieces = tuple(pieces)
        self.text = "".join(piece.text for piece in pieces)

    @cached_property
    def content(self) -> PageText:
        """What stands in the text."""
        return read_text(self.text)

    @cached_property
    def _headings(self) -> dict[int, int]:
        return {heading.span.start: index for index, heading in enumerate(self.content.headings)}

    def piece_of(self, source: int, offset: int) -> Piece | None:
        """The piece that holds this character of a source."""
        empty: Piece | None = None
        for piece in self.pieces:
            part = piece.part
            if isinstance(part, Carried) and part.source == source:
                start, end = part.span
                if start <= offset < end:
                    return piece
                if start == offset == end:
                    empty = empty or piece
        return empty

    def heading_at(self, source: int, offset: int) -> int | None:
        """The index of the heading that began at this character of a source."""
        piece = self.piece_of(source, offset)
        return None if piece is None else self._headings.get(piece.place(offset))

    def piece_at(self, offset: int) -> Piece:
        """The piece in which a character of the composed text stands."""
        starts = [piece.start for piece in self.pieces]
        return self.pieces[max(0, bisect_right(starts, offset) - 1)]

    def as_edits(self, own: int, before: str) -> tuple[Edit, ...]:
        """What makes this text of a page's text before, ``own`` being its id as source."""
        edits: list[Edit] = []
        words: list[str] = []
        at = 0

        def close(end: int) -> None:
            edits.extend(
                Edit(edit.span.moved(at), edit.words) for edit in as_edits(before[at:end], "".join(words))
            )
            words.clear()

        for piece in self.pieces:
            part = piece.part
            if isinstance(part, Carried) and part.source == own and part.span.start >= at:
                close(part.span.start)
                edits.extend(piece.edits)
                at = part.span.end
            else:
                words.append(piece.text)
        close(len(before))
        return arrange(_at_one_place(edits))


def gap_behind(text: str, end: str) -> str:
    """What makes an empty line behind a text, in line ends ``end``; nothing behind one that is empty."""
    stripped = text.rstrip(" \t")
    tail = stripped[len(stripped.rstrip("\r\n")) :]
    return end * max(0, 2 - len(re.findall(r"\r\n|\n|\r", tail))) if stripped != tail else ""


def text_of(parts: Composition, source: str) -> str:
    """The text that parts of one source make, before any edit."""
    return "".join(part.words if isinstance(part, Words) else part.span.of(source) for part in parts)


def _at_one_place(edits: Iterable[Edit]) -> list[Edit]:
    """Edits that insert at one and the same place made one, in the order given."""
    found: list[Edit] = []
    for edit in edits:
        last = found[-1] if found else None
        if last is not None and last.span == edit.span and edit.span.start == edit.span.end:
            found[-1] = Edit(edit.span, last.words + edit.words)
        else:
            found.append(edit)
    return found


def _within(inner: Span, outer: Span) -> bool:
    """Whether an edit belongs to a part; one that only inserts at an edge belongs to what stands before it."""
    if inner.start == inner.end:
        return outer.start < inner.start <= outer.end or inner.start == outer.start == 0
    return outer.covers(inner)
