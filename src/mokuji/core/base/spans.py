"""Half-open ranges of code points over a stored text: ``[start, end)``, from 0."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

_LINE_END = re.compile(r"\r\n|\n|\r")


class Span(NamedTuple):
    """From ``start`` up to, not including, ``end``; in code points of the stored text."""

    start: int
    end: int

    def of(self, text: str) -> str:
        """What stands there."""
        return text[self.start : self.end]

    def moved(self, by: int) -> Span:
        """The same range ``by`` code points further on."""
        return Span(self.start + by, self.end + by)


@dataclass(frozen=True, slots=True)
class Position:
    """A place for people: line and column count from 1, columns in code points."""

    line: int
    column: int


class Lines:
    """Turns offsets into lines and columns; made once for a text, each question is a bisection.

    A line ends at LF, CR or CR LF, as CommonMark 0.31.2 (section 2.1) has it.
    """

    def __init__(self, text: str) -> None:
        self._starts = [0, *(found.end() for found in _LINE_END.finditer(text))]
        self._length = len(text)

    def position(self, offset: int) -> Position:
        """Line and column of an offset."""
        line = bisect_right(self._starts, offset)
        return Position(line, offset - self._starts[line - 1] + 1)

    def line_span(self, line: int) -> Span:
        """The range of a line (from 1), with its line end."""
        end = self._starts[line] if line < len(self._starts) else self._length
        return Span(self._starts[line - 1], end)


def code_points(data: bytes, offsets: Iterable[int]) -> dict[int, int]:
    """Byte offsets into UTF-8 as code-point offsets, all in one pass over the data."""
    found: dict[int, int] = {}
    at = count = 0
    for offset in sorted(set(offsets)):
        count += len(data[at:offset].decode("utf-8"))
        at = offset
        found[offset] = count
    return found
