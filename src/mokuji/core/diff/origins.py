"""Where each line of a text comes from: the revision that wrote it, followed back through what was only moved.

Revisions are looked at from the newest on, each against the one before it, and only as far as lines are left that are
not accounted for. A line that stands in both is as old as in the older one. Of what is left, runs of lines that went
elsewhere in the same step count as moved, if they hold ``ENOUGH`` letters and digits: shorter ones, such as an empty
line or a bracket, stand everywhere by chance. That is what git calls a moved line (``git blame -M``, 20 by default),
which the tests hold this to. What is left then is looked for on the pages that the same act changed, as they were
before it: so lines are followed through what merges, splits and joins.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Protocol

from rapidfuzz.distance import LCSseq

ENOUGH = 20
"""Number of letters and digits that lines must hold together to count as moved."""
ENOUGH_ELSEWHERE = 40
"""The same for lines that came from another page: ``git blame -C``, 40 by default."""
MOST_PLACES = 20
"""Of a line that went from more places than these, the others are not looked at."""


@dataclass(frozen=True, slots=True)
class Origin:
    """The page and the revision that wrote a line, and which one it was there, from 0."""

    page: int
    revision: int
    line: int


class Past(Protocol):
    """What revisions there are, as they are asked for; texts with their numbers."""

    def before(self, page: int, revision: int) -> tuple[int, str] | None:
        """The revision of a page before one; None if there is none, or if it is not looked further."""
        ...

    def elsewhere(self, page: int, revision: int) -> Iterable[tuple[int, int, str]]:
        """Revisions of other pages that the act replaced which wrote this one: page, number and text of each."""
        ...


@dataclass(slots=True)
class _Trail:
    """Lines that are followed back through a page: which lines of the newest text each line of the revision in hand
    became."""

    page: int
    revision: int
    lines: list[str]
    became: dict[int, list[int]]


def follow(page: int, revision: int, text: str, past: Past) -> list[Origin]:
    """Where each line of a text comes from."""
    lines = lines_of(text)
    found: dict[int, Origin] = {}
    waiting = [_Trail(page, revision, lines, {n: [n] for n in range(len(lines))})]
    while waiting:
        trail = waiting.pop()
        while trail.became:
            older = past.before(trail.page, trail.revision)
            before = lines_of(older[1]) if older is not None else []
            kept = _taken(trail.became, came_from(before, trail.lines))
            if _weight([trail.lines[here] for here in trail.became]) >= ENOUGH_ELSEWHERE:
                waiting += _elsewhere(trail, past)
            for here, became in trail.became.items():
                found.update((line, Origin(trail.page, trail.revision, here)) for line in became)
            trail = _Trail(trail.page, older[0] if older is not None else 0, before, kept)
    return [found[n] for n in range(len(lines))]


def _taken(became: dict[int, list[int]], pairs: Iterable[tuple[int, int]]) -> dict[int, list[int]]:
    """Takes out what pairs of lines, here and there, say where it comes from, as what the lines there became."""
    kept: dict[int, list[int]] = {}
    for here, there in pairs:
        if here in became:
            kept.setdefault(there, []).extend(became.pop(here))
    return kept


def _elsewhere(trail: _Trail, past: Past) -> Iterator[_Trail]:
    """Lines of a trail that stood on other pages before."""
    for page, revision, text in past.elsewhere(trail.page, trail.revision):
        lines = lines_of(text)
        pairs = _moved(lines, trail.lines, range(len(lines)), sorted(trail.became), ENOUGH_ELSEWHERE)
        kept = _taken(trail.became, pairs)
        if kept:
            yield _Trail(page, revision, lines, kept)
        if not trail.became:
            return


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
    yield from _moved(before, after, gone, new, ENOUGH)


def _moved(
    before: Sequence[str], after: Sequence[str], gone: Sequence[int], new: Sequence[int], enough: int
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
        if length and _weight(after[here : here + length]) >= enough:
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
