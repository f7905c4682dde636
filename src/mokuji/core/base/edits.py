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
    ordered = tuple(sorted(edits))
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
