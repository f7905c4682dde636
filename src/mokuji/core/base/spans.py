"""Half-open ranges of code points over a stored text: ``[start, end)``, from 0."""

from __future__ import annotations

import re
from bisect import bisect_right
from dataclasses import dataclass
from itertools import accumulate
from typing import NamedTuple

_GOES_ON = bytes(range(0x80, 0xC0))
"""Bytes that begin no code point (RFC 3629, section 3)."""
_BLOCK = 512
_LINE_END = re.compile(r"\r\n|\n|\r")


class Span(NamedTuple):
    """From ``start`` up to, not including, ``end``; in code points of the stored text."""

    start: int
    end: int

    def of(self, text: str) -> str:
        """What stands there."""
        return text[self.start : self.end]

    def covers(self, other: Span) -> bool:
        """Whether another range lies in this one."""
        return self.start <= other.start and other.end <= self.end

    def holds(self, at: int) -> bool:
        """Whether a place, or what begins there, lies in this range."""
        return self.start <= at < self.end

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
        if "\r" in text:
            self._starts = [0, *(found.end() for found in _LINE_END.finditer(text))]
        else:
            self._starts = list(accumulate((len(line) + 1 for line in text.split("\n")[:-1]), initial=0))
        self._length = len(text)

    def position(self, offset: int) -> Position:
        """Line and column of an offset."""
        line = bisect_right(self._starts, offset)
        return Position(line, offset - self._starts[line - 1] + 1)

    def line_span(self, line: int) -> Span:
        """The range of a line (from 1), with its line end."""
        end = self._starts[line] if line < len(self._starts) else self._length
        return Span(self._starts[line - 1], end)


class CodePoints:
    """Turns byte offsets into UTF-8 into code-point offsets; made once for a text, each question looks at one block."""

    def __init__(self, data: bytes) -> None:
        self._data = data
        self._before: list[int] = []
        """Number of code points before each block; empty if every byte is one."""
        if not data.isascii():
            count = 0
            for start in range(0, len(data) + 1, _BLOCK):
                self._before.append(count)
                count += _begun(data[start : start + _BLOCK])

    def at(self, offset: int) -> int:
        """Number of code points before a byte, which must be the first of one, or the end."""
        if not self._before:
            return offset
        block = offset // _BLOCK
        return self._before[block] + _begun(self._data[block * _BLOCK : offset])


def _begun(data: bytes) -> int:
    """How many code points begin in some bytes."""
    return len(data.translate(None, _GOES_ON))
