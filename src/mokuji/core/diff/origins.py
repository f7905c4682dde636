"""Where each line of a text comes from: the revision that wrote it, followed back through what was only moved.

Revisions are looked at from the newest on, each against the one before it, and only as far as lines are left that are
not accounted for. A line that stands in both is as old as in the older one. Of what is left, runs of lines that went
elsewhere in the same step count as moved, if they hold ``ENOUGH`` letters and digits: shorter ones, such as an empty
line or a bracket, stand everywhere by chance. That is what git calls a moved line (``git blame -M``, 20 by default),
which the tests hold this to.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from rapidfuzz.distance import LCSseq

ENOUGH = 20
"""Number of letters and digits that lines must hold together to count as moved."""
MOST_PLACES = 20
"""Of a line that went from more places than these, the others are not looked at."""


@dataclass(frozen=True, slots=True)
class Origin:
    """The revision that wrote a line, and which one it was there, from 0."""

    revision: int
    line: int


class Account:
    """The lines of a newest text, and what is known so far of where each comes from.

    ``older`` takes the revision before the last one that it was given; ``open`` says how many lines are left to be
    found.
    """

    def __init__(self, revision: int, text: str) -> None:
        self.lines = lines_of(text)
        self._found: list[Origin | None] = [None] * len(self.lines)
        self._revision, self._text = revision, self.lines
        # Which lines of the newest text each line of the revision in hand became.
        self._became: dict[int, list[int]] = {n: [n] for n in range(len(self.lines))}

    @property
    def open(self) -> int:
        """How many lines may be older than the last revision that was looked at."""
        return sum(map(len, self._became.values()))

    def older(self, revision: int, text: str) -> None:
        """Looks at the revision before: what does not stand in it was written by the one in hand."""
        before = lines_of(text)
        kept: dict[int, list[int]] = {}
        for here, there in came_from(before, self._text):
            if here in self._became:
                kept.setdefault(there, []).extend(self._became.pop(here))
        self._settle()
        self._revision, self._text, self._became = revision, before, kept

    def _settle(self) -> None:
        for here, became in self._became.items():
            for line in became:
                self._found[line] = Origin(self._revision, here)

    def origins(self) -> list[Origin]:
        """Where each line comes from, as far as was looked: what is left was there in the last revision."""
        self._settle()
        return [each for each in self._found if each is not None]


def lines_of(text: str) -> list[str]:
    """The lines of a text as they are compared: without their ends, which browsers and programs write otherwise."""
    return [line.rstrip("\r") for line in text.removesuffix("\n").split("\n")] if text else []


def came_from(before: Sequence[str], after: Sequence[str]) -> Iterator[tuple[int, int]]:
    """Pairs of lines, after and before, of which the one is the other: in their places first, then those that moved."""
    head = 0
    while head < min(len(before), len(after)) and before[head] == after[head]:
        yield head, head
        head += 1
    tail = 0
    while tail < min(len(before), len(after)) - head and before[-1 - tail] == after[-1 - tail]:
        tail += 1
    gone: list[int] = []
    new: list[int] = []
    middle = before[head : len(before) - tail], after[head : len(after) - tail]
    for step in LCSseq.opcodes(*middle):
        there = range(head + step.src_start, head + step.src_end)
        here = range(head + step.dest_start, head + step.dest_end)
        if step.tag == "equal":
            yield from zip(here, there, strict=True)
        else:
            gone += there
            new += here
    yield from ((len(after) - tail + n, len(before) - tail + n) for n in range(tail))
    yield from _moved(before, after, gone, new)


def _moved(
    before: Sequence[str], after: Sequence[str], gone: Sequence[int], new: Sequence[int]
) -> Iterator[tuple[int, int]]:
    """Lines that went from one place to another, in the longest runs that there are, each run from one place."""
    places: dict[str, list[int]] = defaultdict(list)
    for there in gone:
        places[before[there]].append(there)
    left, at = set(gone), 0
    wanted = set(new)
    while at < len(new):
        here = new[at]
        starts = [there for there in places[after[here]][:MOST_PLACES] if there in left]
        runs = (_run(before, after, here, there, left, wanted) for there in starts)
        length, there = max(((length, -there) for length, there in runs), default=(0, 0))
        there = -there
        if length and _weight(after[here : here + length]) >= ENOUGH:
            for n in range(length):
                left.discard(there + n)
                yield here + n, there + n
            at += length
        else:
            at += 1


def _run(
    before: Sequence[str],
    after: Sequence[str],
    here: int,
    there: int,
    left: set[int],
    wanted: set[int],
) -> tuple[int, int]:
    """How many lines from here on went from there, and there."""
    length = 0
    while (
        here + length in wanted and there + length in left and after[here + length] == before[there + length]
    ):
        length += 1
    return length, there


def _weight(lines: Sequence[str]) -> int:
    return sum(letter.isalnum() for line in lines for letter in line)
