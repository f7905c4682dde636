"""Edits of a text: replacements at exact ranges, applied all at once.

Edits never overlap; two may touch. Outside their ranges no character changes.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from mokuji.core.base.errors import Overlap
from mokuji.core.base.spans import Span


@dataclass(frozen=True, slots=True, order=True)
class Edit:
    """Put ``words`` where ``span`` is; an empty span inserts."""

    span: Span
    words: str


def arrange(edits: Iterable[Edit]) -> tuple[Edit, ...]:
    """Edits in the order of the text; Overlap if two of them claim one character."""
    # By pairs: of two that begin at once the one that ends first, then by words, as edits compare.
    ordered = tuple(sorted(edits, key=lambda edit: (edit.span, edit.words)))
    for one, other in pairwise(ordered):
        if other.span.start < one.span.end:
            raise Overlap(f"Edits overlap at {one.span} and {other.span}.")
    return ordered


def apply(text: str, edits: Sequence[Edit]) -> str:
    """The text with all edits made. Linear in the text and the edits."""
    pieces: list[str] = []
    at = 0
    for edit in arrange(edits):
        pieces.append(text[at : edit.span.start])
        pieces.append(edit.words)
        at = edit.span.end
    pieces.append(text[at:])
    return "".join(pieces)


class Shift:
    """Where an offset of the old text lies after the edits (for offsets outside replaced words)."""

    def __init__(self, edits: Sequence[Edit]) -> None:
        self._ends: list[int] = []
        self._by = [0]
        total = 0
        for edit in arrange(edits):
            total += len(edit.words) - (edit.span.end - edit.span.start)
            self._ends.append(edit.span.end)
            self._by.append(total)

    def __call__(self, offset: int) -> int:
        """The offset after the edits; an edit that ends at it counts as before it."""
        return offset + self._by[bisect_right(self._ends, offset)]

    def all(self, offsets: Iterable[int]) -> list[int]:
        """Many offsets after the edits."""
        ends, by = self._ends, self._by
        return [offset + by[bisect_right(ends, offset)] for offset in offsets]


Piece = tuple[Span | None, str]
"""A part of a text made by edits: the range that it was kept from, or (None) words that were put in."""


def _pieces(length: int, edits: Sequence[Edit]) -> list[Piece]:
    """What the edits make of a text of so many code points; its kept parts have no words here."""
    pieces: list[Piece] = []
    at = 0
    for edit in arrange(edits):
        pieces.append((Span(at, edit.span.start), ""))
        pieces.append((None, edit.words))
        at = edit.span.end
    return [*pieces, (Span(at, length), "")]


def _size(piece: Piece) -> int:
    kept, words = piece
    return len(words) if kept is None else kept.end - kept.start


def _cut(pieces: Sequence[Piece], ranges: Sequence[Span]) -> list[list[Piece]]:
    """The pieces that lie in each of some ranges of what they make, in order. Linear in both."""
    found: list[list[Piece]] = []
    number, start = 0, 0
    for low, high in ranges:
        inside: list[Piece] = []
        while number < len(pieces) and start < high:
            kept, words = piece = pieces[number]
            end = start + _size(piece)
            a, b = max(low, start) - start, min(high, end) - start
            if a < b:
                inside.append(
                    (None, words[a:b]) if kept is None else (Span(kept.start + a, kept.start + b), "")
                )
            if end > high:
                break
            number, start = number + 1, end
        found.append(inside)
    return found


def compose(length: int, first: Sequence[Edit], then: Sequence[Edit]) -> tuple[Edit, ...]:
    """The edits that do in one step what ``first`` does to a text of so many code points, and ``then`` to its result.

    What ``first`` kept and ``then`` keeps is kept. Linear in the edits.
    """
    made = _pieces(length, first)
    after = _pieces(sum(map(_size, made)), then)
    kept = iter(_cut(made, [span for span, _ in after if span is not None]))
    edits: list[Edit] = []
    at, words = 0, ""
    for span, put in after:
        for origin, said in [(None, put)] if span is None else next(kept):
            if origin is None:
                words += said
                continue
            if words or origin.start > at:
                edits.append(Edit(Span(at, origin.start), words))
            at, words = origin.end, ""
    if words or at < length:
        edits.append(Edit(Span(at, length), words))
    return tuple(edits)


class Back:
    """Where a range of the new text stood before the edits; None for what they put in."""

    def __init__(self, length: int, edits: Sequence[Edit]) -> None:
        self._pieces = [piece for piece in _pieces(length, edits) if _size(piece)]
        self._starts = [0]
        for piece in self._pieces:
            self._starts.append(self._starts[-1] + _size(piece))

    def __call__(self, span: Span) -> Span | None:
        """The range before, if all of it was kept together."""
        number = bisect_right(self._starts, span.start) - 1
        if number >= len(self._pieces) or span.end > self._starts[number + 1]:
            return None
        kept = self._pieces[number][0]
        by = span.start - self._starts[number]
        return None if kept is None else Span(kept.start + by, kept.start + by + span.end - span.start)
