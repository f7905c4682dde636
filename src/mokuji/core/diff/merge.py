"""Three-way merge: two texts that came from one, brought together.

Lines first, as is common practice; where both changed the same lines, words,
with a bracket reference as one word. What still clashes is a conflict, and
nothing is chosen. The result says which of its passages are those of the
first text, so that their references can follow.
"""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.base.spans import Span

LARGEST_TABLE = 4_000_000
"""Maximum number of pairs of lines that are compared; beyond, the middle of two texts is one change."""
_WORD = re.compile(r"\[\[[^\[\]\r\n]*\]\]|\w+|\s|[^\w\s]")
Hunk = tuple[int, int, int, int]
"""A change: the range in the base, and the range in the other text, in tokens."""


@dataclass(frozen=True, slots=True)
class Mine:
    """A passage of the first text, unchanged."""

    span: Span


@dataclass(frozen=True, slots=True)
class Theirs:
    """Words of the second text."""

    words: str


@dataclass(frozen=True, slots=True)
class Conflict:
    """A passage that both changed: as it was, in the first text, and in the second."""

    base: str
    mine: Span
    theirs: str


Part = Mine | Theirs | Conflict


def merge3(base: str, mine: str, theirs: str, *, whole_lines: bool = False) -> list[Part]:
    """The parts of the merged text, in order; a Conflict where both changed the same words differently, or with
    ``whole_lines`` the same lines."""
    lines = [text.splitlines(keepends=True) for text in (base, mine, theirs)]
    return _joined(_merge(lines[0], lines[1], lines[2], 0, finer=not whole_lines))


def merged(mine: str, parts: Sequence[Part]) -> str | None:
    """The text that clean parts make; None if there is a conflict."""
    words: list[str] = []
    for part in parts:
        if isinstance(part, Conflict):
            return None
        words.append(part.span.of(mine) if isinstance(part, Mine) else part.words)
    return "".join(words)


def _merge(
    base: Sequence[str], mine: Sequence[str], theirs: Sequence[str], offset: int, *, finer: bool
) -> Iterator[Part]:
    """Tokens brought together; ``offset`` is where ``mine`` begins in the first text."""
    starts = [offset]
    for token in mine:
        starts.append(starts[-1] + len(token))
    at = mine_at = 0
    for low, high, a, b in _regions(_hunks(base, mine), _hunks(base, theirs)):
        same = low - at
        yield Mine(Span(starts[mine_at], starts[mine_at + same]))
        mine_words, their_words = mine[a[0] : a[1]], theirs[b[0] : b[1]]
        span = Span(starts[a[0]], starts[a[1]])
        yield from _region(base[low:high], mine_words, their_words, span, finer=finer)
        at, mine_at = high, a[1]
    yield Mine(Span(starts[mine_at], starts[-1]))


def _region(
    base: Sequence[str], mine: Sequence[str], theirs: Sequence[str], span: Span, *, finer: bool
) -> Iterator[Part]:
    if list(mine) == list(theirs) or list(theirs) == list(base):
        yield Mine(span)
    elif list(mine) == list(base):
        yield Theirs("".join(theirs))
    elif finer:
        whole = ["".join(part) for part in (base, mine, theirs)]
        tokens = [_WORD.findall(part) for part in whole]
        parts = list(_merge(tokens[0], tokens[1], tokens[2], span.start, finer=False))
        if any(isinstance(part, Conflict) for part in parts):
            yield Conflict(whole[0], span, whole[2])
        else:
            yield from parts
    else:
        yield Conflict("".join(base), span, "".join(theirs))


def _hunks(base: Sequence[str], other: Sequence[str]) -> list[Hunk]:
    head = 0
    while head < min(len(base), len(other)) and base[head] == other[head]:
        head += 1
    tail = 0
    while tail < min(len(base), len(other)) - head and base[-1 - tail] == other[-1 - tail]:
        tail += 1
    old, new = base[head : len(base) - tail], other[head : len(other) - tail]
    if len(old) * len(new) > LARGEST_TABLE:
        return [(head, head + len(old), head, head + len(new))]
    codes = difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
    return [(head + i1, head + i2, head + j1, head + j2) for tag, i1, i2, j1, j2 in codes if tag != "equal"]


def _regions(
    a: Sequence[Hunk], b: Sequence[Hunk]
) -> Iterator[tuple[int, int, tuple[int, int], tuple[int, int]]]:
    """Ranges of the base that either changed, joined where they touch, with the ranges in both texts."""
    ordered = sorted([(*hunk, 0) for hunk in a] + [(*hunk, 1) for hunk in b])
    shift = [0, 0]
    n = 0
    while n < len(ordered):
        low, high = ordered[n][0], ordered[n][1]
        last = n + 1
        while last < len(ordered) and ordered[last][0] <= high:
            high = max(high, ordered[last][1])
            last += 1
        ranges: list[tuple[int, int]] = []
        for side in (0, 1):
            start = low + shift[side]
            shift[side] += sum((h[3] - h[2]) - (h[1] - h[0]) for h in ordered[n:last] if h[4] == side)
            ranges.append((start, high + shift[side]))
        yield low, high, ranges[0], ranges[1]
        n = last


def _joined(parts: Iterator[Part]) -> list[Part]:
    """Empty parts left out, and neighbours of one kind made one."""
    found: list[Part] = []
    for part in parts:
        if isinstance(part, Mine):
            if part.span.start == part.span.end:
                continue
            last = found[-1] if found else None
            if isinstance(last, Mine) and last.span.end == part.span.start:
                found[-1] = Mine(Span(last.span.start, part.span.end))
                continue
        elif isinstance(part, Theirs) and not part.words:
            continue
        found.append(part)
    return found
