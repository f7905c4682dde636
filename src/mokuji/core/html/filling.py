"""A text with slots filled for given values, so that each value stands well where it goes.

Where a slot stands is read from the text with words in the place of its slots:
in a table cell and in a heading lines are joined (and ``|`` escaped in cells),
in code the marks around it are lengthened if the value holds as many, anywhere
else the lines of a value keep what stands before the slot on its line: white
space, marks of quotations, the width of list marks.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import Enum
from functools import partial

from mokuji.core.syntax.parser import Event, events_with_ranges, tag_name
from mokuji.core.syntax.slots import Escaped, Piece, Slot, Use, every, expand, given, parse

_LEAD = re.compile(rb"(?:[ \t]|>|(?:[-*+]|\d{1,9}[.)])(?=[ \t]))*")
_MARK = re.compile(r"[^\s>]")
_BAR = re.compile(r"\\.|\|", re.DOTALL)
_FENCE = re.compile(rb"[ \t>]*(?:(?:[-*+]|\d{1,9}[.)])[ \t]+)*(`{3,}|~{3,})")
_CLOSING = re.compile(rb"^[ \t>]*(`{3,}|~{3,})[ \t\r\n]*\Z", re.MULTILINE)


class Where(Enum):
    """What a slot stands in."""

    FLOW = "flow"
    LINE = "line"
    CELL = "cell"
    CODE = "code"


@dataclass(frozen=True, slots=True)
class _Code:
    """Code that holds slots: its character, the length of its marks, and their byte ranges in the marked text."""

    mark: str
    length: int
    ranges: tuple[tuple[int, int], ...]


@dataclass(frozen=True)
class Filled:
    """A text with its slots replaced; ``faults`` are names of slots with what is wrong about their values."""

    text: str
    faults: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Form:
    """A text with slots, read once: its pieces, where each slot stands, and the code around some of them.

    ``order`` are the pieces and marks of code in the order of the text: the index of a piece, or of a code with
    its mark as typed.
    """

    slots: Mapping[str, Slot]
    pieces: tuple[Piece, ...]
    places: tuple[tuple[Where, str, int], ...]
    codes: tuple[_Code, ...]
    order: tuple[int | str | tuple[int, str], ...]

    def length(self, values: Mapping[str, str]) -> int:
        """At most so many code points come of these values."""
        seen = given(self.slots, values)
        words = sum(len(each) for each in self.order if isinstance(each, str))
        uses = [use for piece in self.pieces if isinstance(piece, Use) for use in every(piece)]
        return words + sum(len(seen.get(use.name, "")) + use.span.end - use.span.start for use in uses)

    def fill(self, values: Mapping[str, str]) -> Filled:
        """The text for these values; defaults count where none is given."""
        seen = given(self.slots, values)
        faults: list[tuple[str, str]] = []
        made: dict[int, str] = {}
        longest = [code.length for code in self.codes]
        for n, piece in enumerate(self.pieces):
            if isinstance(piece, str):
                continue
            where, lead, code = self.places[n]
            result = expand(piece, seen, partial(_placed, where=where, lead=lead))
            made[n] = result.text
            faults += result.faults
            if code >= 0:
                longest[code] = max(longest[code], _room(result.text, self.codes[code]))
        words: list[str] = []
        for each in self.order:
            if isinstance(each, str):
                words.append(each)
            elif isinstance(each, int):
                words.append(made[each])
            else:
                number, typed = each
                more = longest[number] - self.codes[number].length
                words.append(typed + self.codes[number].mark * more)
        return Filled("".join(words), tuple(dict.fromkeys(faults)))


def _room(value: str, code: _Code) -> int:
    """How long the marks of code must be around a value."""
    runs = [len(run) for run in re.findall(re.escape(code.mark) + "+", value)]
    return max(runs, default=0) + 1 if runs and max(runs) >= code.length else code.length


def _placed(value: str, where: Where, lead: str) -> str:
    if where is Where.CELL:
        joined = " ".join(value.split("\n"))
        return _BAR.sub(lambda found: "\\|" if found[0] == "|" else found[0], joined)
    if where is Where.LINE:
        return " ".join(line.strip() for line in value.split("\n"))
    return value.replace("\n", "\n" + lead) if lead else value


def form(text: str, slots: Mapping[str, Slot], prefix: str) -> Form:
    """Reads a text with slots; ``prefix`` begins words that do not occur in it."""
    pieces = parse(text, slots.keys()).pieces if "${" in text else (text,)
    if not any(isinstance(piece, Use) for piece in pieces):
        words = tuple(
            "$" if isinstance(each, Escaped) else each for each in pieces if not isinstance(each, Use)
        )
        return Form(slots, words, ((Where.FLOW, "", -1),) * len(words), (), words)
    return _form(slots, pieces, prefix)


def _form(slots: Mapping[str, Slot], pieces: Sequence[Piece], prefix: str) -> Form:
    marked: list[bytes] = []
    starts: list[int] = []
    length = 0
    for n, piece in enumerate(pieces):
        word = piece.encode() if isinstance(piece, str) else f"{prefix}s{n}q".encode()
        starts.append(length)
        marked.append(word)
        length += len(word)
    data = b"".join(marked)
    looked = _Looker(data, starts, pieces)
    looked.look(events_with_ranges(data.decode()))
    lines = _leads(data, starts)
    places = tuple(
        (looked.where.get(n, Where.FLOW), lines[n], looked.inside.get(n, -1)) for n in range(len(pieces))
    )
    return Form(slots, tuple(pieces), places, tuple(looked.codes), _order(pieces, starts, data, looked.codes))


def _leads(data: bytes, starts: Sequence[int]) -> list[str]:
    """What stands before further lines of each value: list marks of its line as spaces, marks of quotations as such.
    Of a line with many slots the beginning is looked for once."""
    found: list[str] = []
    line = seen = 0
    for start in starts:
        line = max(line, data.rfind(b"\n", seen, start) + 1, data.rfind(b"\r", seen, start) + 1)
        seen = start
        lead = _LEAD.match(data, line, start)
        found.append(_MARK.sub(" ", lead[0].decode()) if lead is not None else "")
    return found


def _order(
    pieces: Sequence[Piece], starts: Sequence[int], data: bytes, codes: Sequence[_Code]
) -> tuple[int | str | tuple[int, str], ...]:
    marks = sorted((end, n) for n, code in enumerate(codes) for _, end in code.ranges)
    order: list[int | str | tuple[int, str]] = []
    for n, piece in enumerate(pieces):
        if not isinstance(piece, str):
            order.append(n)
            continue
        at, stop = starts[n], starts[n] + len(piece.encode())
        while marks and marks[0][0] <= stop:
            end, code = marks.pop(0)
            order.append((code, data[at:end].decode()))
            at = end
        order.append(data[at:stop].decode())
    return tuple(order)


class _Looker:
    """Finds what each slot stands in, from the events of the marked text."""

    def __init__(self, data: bytes, starts: Sequence[int], pieces: Sequence[Piece]) -> None:
        self._data = data
        self._slots = [n for n, piece in enumerate(pieces) if not isinstance(piece, str)]
        self._starts = [starts[n] for n in self._slots]
        self.where: dict[int, Where] = {}
        self.inside: dict[int, int] = {}
        self.codes: list[_Code] = []

    def look(self, events: Sequence[Event]) -> None:
        for kind, value, start, end in events:
            name = tag_name(value) if kind == "Start" else ""
            if name in {"TableCell", "TableRow", "TableHead"}:
                self._mark(start, end, Where.CELL)
            elif name == "Heading":
                self._mark(start, end, Where.LINE)
            elif name == "CodeBlock" and isinstance(value["CodeBlock"], dict):
                self._fence(start, end)
            elif kind == "Code":
                self._span(start, end)

    def _mark(self, start: int, end: int, where: Where) -> list[int]:
        low, high = bisect_right(self._starts, start - 1), bisect_right(self._starts, end - 1)
        found = self._slots[low:high]
        for n in found:
            self.where.setdefault(n, where)
        return found

    def _code(self, found: Sequence[int], mark: bytes, ranges: Sequence[tuple[int, int]]) -> None:
        for n in found:
            self.inside[n] = len(self.codes)
        self.codes.append(_Code(mark[:1].decode(), len(mark), tuple(ranges)))

    def _fence(self, start: int, end: int) -> None:
        found = self._mark(start, end, Where.CODE)
        line = max(self._data.rfind(b"\n", 0, start), self._data.rfind(b"\r", 0, start)) + 1
        opening = _FENCE.match(self._data, line)
        if not found or opening is None:
            return
        ranges = [opening.span(1)]
        closing = _CLOSING.search(self._data, opening.end(), end)
        # A shorter run, or one of the other character, closes nothing: the block runs to the end.
        if closing is not None and closing[1].startswith(opening[1]):
            ranges.append(closing.span(1))
        self._code(found, opening[1], ranges)

    def _span(self, start: int, end: int) -> None:
        low, high = bisect_right(self._starts, start - 1), bisect_right(self._starts, end - 1)
        run = re.compile(rb"`+").match(self._data, start)
        if low == high or run is None:
            return
        found = self._slots[low:high]
        for n in found:
            self.where[n] = Where.CELL if self.where.get(n) is Where.CELL else Where.LINE
        self._code(found, run[0], [run.span(), (end - len(run[0]), end)])
