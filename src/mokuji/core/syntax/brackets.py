"""Finds candidates for references: pairs of double brackets, in one pass over the bytes.

A candidate is not yet a reference: ``scan`` takes it out of the text and looks
whether the rest still means the same. The rules are those of docs/markup.md:
the innermost pair counts, a link stands on one line, the values of an insert
may hold references, nothing runs into literal text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from mokuji.core.syntax.literal import Coverage

MOST_LINES = 200
"""Maximum number of lines of an insert."""
DEEPEST = 8
"""Maximum number of inserts inside each other."""

# Each alternative begins with a character of its own, so that the matcher can leap to the next one of them.
_TOKENS = re.compile(rb"\\[!-/:-@\[-`{-~]|\[\[*|\]\]*|\||\r\n|\r|\n")
_LINE_HEAD = re.compile(rb"[ \t]*(?:(?:[-*+]|\d{1,9}[.)])[ \t]+)*")


@dataclass(slots=True)
class Candidate:
    """A pair of double brackets; byte range ``[start, end)`` of the body.

    ``inner`` are those inside the values of an insert.
    """

    start: int
    end: int
    inner: list[Candidate] = field(default_factory=list)


@dataclass(slots=True)
class _Open:
    """An opening ``[[`` whose end is being looked for."""

    start: int
    insert: bool
    many_lines: bool
    piped: bool = False
    singles: int = 0
    lines: int = 0
    inner: list[Candidate] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class BracketScan:
    """The outermost candidates in order, and where a ``[[`` was never closed."""

    candidates: tuple[Candidate, ...]
    unclosed: tuple[int, ...]


class _Matcher:
    def __init__(self, data: bytes, coverage: Coverage) -> None:
        self.data = data
        self.coverage = coverage
        self.stack: list[_Open] = []
        self.found: list[Candidate] = []
        self.unclosed: list[int] = []
        self.line_start = 0

    def run(self) -> BracketScan:
        literal, text = self.coverage.literal, self.coverage.text
        for token in _TOKENS.finditer(self.data):
            start, end = token.span()
            first = self.data[start]
            if first in b"\r\n":
                self.end_line(end)
            elif literal.holds(start, start + 1):
                continue
            elif self.stack:
                self.stop_at_literal(start)
            if first == 0x5B:  # [
                self.opening(start, end, text.holds(max(start, end - 2), end))
            elif first == 0x5D:  # ]
                self.closing(start, end)
            elif first == 0x7C and self.stack:  # |
                self.stack[-1].piped = True
        while self.stack:
            self.drop()
        self.found.sort(key=lambda candidate: candidate.start)
        return BracketScan(tuple(self.found), tuple(sorted(self.unclosed)))

    def stop_at_literal(self, start: int) -> None:
        """A target ends before any literal range; labels and values may hold whole ones."""
        if not self.stack[-1].piped and self.coverage.literal.starts_between(self.stack[-1].start, start):
            self.drop()

    def opening(self, start: int, end: int, covered: bool) -> None:
        if end - start == 1 or not covered:
            if self.stack and self.stack[-1].piped and not self.stack[-1].insert:
                self.stack[-1].singles += end - start
            return
        if self.stack and not (self.stack[-1].insert and self.stack[-1].piped):
            # The innermost pair is the reference: an outer one has lost its claim.
            self.stack.pop()
        insert = self.data[end : end + 1] == b"="
        if sum(frame.insert for frame in self.stack) >= DEEPEST:
            return
        head = _LINE_HEAD.match(self.data, self.line_start, end - 2)
        own_line = insert and head is not None and head.end() == end - 2
        self.stack.append(_Open(end - 2, insert, own_line))

    def closing(self, start: int, end: int) -> None:
        while start < end and self.stack:
            top = self.stack[-1]
            if top.piped and top.singles:
                paired = min(top.singles, end - start)
                top.singles -= paired
                start += paired
            elif end - start >= 2 and self.coverage.text.holds(start, start + 2):
                self.close(start + 2)
                start += 2
            else:
                return

    def close(self, end: int) -> None:
        top = self.stack.pop()
        self.keep([Candidate(top.start, end, top.inner)])

    def keep(self, candidates: list[Candidate]) -> None:
        """Hands candidates to the insert that is open, or counts them as outermost."""
        (self.stack[-1].inner if self.stack else self.found).extend(candidates)

    def drop(self) -> None:
        top = self.stack.pop()
        self.unclosed.append(top.start)
        self.keep(top.inner)

    def end_line(self, end: int) -> None:
        while self.stack and not self.stack[-1].many_lines:
            self.drop()
        for frame in self.stack:
            frame.lines += 1
        while self.stack and self.stack[0].lines >= MOST_LINES:
            self.drop()
        self.line_start = end


def find(data: bytes, coverage: Coverage) -> BracketScan:
    """All candidates of a body given as UTF-8. Linear: each token is looked at once."""
    return _Matcher(data, coverage).run()


def every(candidates: tuple[Candidate, ...] | list[Candidate]) -> Iterator[Candidate]:
    """Candidates with those inside them, each before its inner ones."""
    for candidate in candidates:
        yield candidate
        yield from every(candidate.inner)
