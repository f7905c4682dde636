"""The contents of a volume as a list, and what acts do to its places.

Contents are an ordered tree of names; here they are a list of rows, each with
its depth. An act says what becomes of places as *placings*; each can be made
on rows, and each has its inverse, so that an undo can put things back.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names

DEEPEST = 50
"""Most levels of contents."""


@dataclass(frozen=True, slots=True)
class Row:
    """A place in the contents; ``depth`` from 0. ``title`` is as it was typed there."""

    depth: int
    title: str
    key: str

    @classmethod
    def of(cls, depth: int, title: str) -> Row:
        """The row of a title."""
        return cls(depth, title, names.key(title))


@dataclass(frozen=True, slots=True)
class Put:
    """A name, with the branch it has, goes under ``under`` (None: the top), right behind its
    sibling ``after`` (None: first; LAST: behind all others)."""

    volume: int
    key: str
    title: str
    under: str | None = None
    after: str | None = None
    new_only: bool = False
    """Leaves a name where it is if it has a place already."""


LAST = "\0last"
"""As ``after`` of ``Put``: behind all its siblings. No key holds a NUL."""


@dataclass(frozen=True, slots=True)
class Take:
    """A name loses its place; what stood below it moves up into that place."""

    volume: int
    key: str


@dataclass(frozen=True, slots=True)
class Rekey:
    """A place keeps its position and its branch under another name."""

    volume: int
    key: str
    new: str
    title: str


Placing = Put | Take | Rekey


def place(rows: Sequence[Row], placings: Iterable[Placing]) -> tuple[tuple[Row, ...], tuple[Placing, ...]]:
    """The rows once placings of their volume are made, and what would take them back (last first).

    A placing that cannot be (its name has no place, say) changes nothing.
    """
    inverse: list[Placing] = []
    for placing in placings:
        rows, back = _one(tuple(rows), placing)
        inverse[:0] = back
    return tuple(rows), tuple(inverse)


def _one(rows: tuple[Row, ...], placing: Placing) -> tuple[tuple[Row, ...], list[Placing]]:
    at = index_of(rows, placing.key)
    if isinstance(placing, Put):
        return _put(rows, placing, at)
    if at is None:
        return rows, []
    if isinstance(placing, Rekey):
        return _rekey(rows, placing, at)
    end = branch_end(rows, at)
    branch = tuple(replace(row, depth=row.depth - 1) for row in rows[at + 1 : end])
    was = where(rows, at, placing.volume)
    below: list[Placing] = []
    after = None
    for n in range(at + 1, end):
        if rows[n].depth == rows[at].depth + 1:
            below.append(Put(placing.volume, rows[n].key, rows[n].title, rows[at].key, after))
            after = rows[n].key
    return rows[:at] + branch + rows[end:], [was, *below]


def _put(rows: tuple[Row, ...], put: Put, at: int | None) -> tuple[tuple[Row, ...], list[Placing]]:
    back: list[Placing]
    branch: tuple[Row, ...]
    if at is not None and put.new_only:
        return rows, []
    if at is None:
        branch, back = (Row(0, put.title, put.key),), [Take(put.volume, put.key)]
    else:
        end = branch_end(rows, at)
        branch, back = rows[at:end], [where(rows, at, put.volume)]
        if put.under is not None and any(row.key == put.under for row in branch):
            return rows, []  # a branch cannot go below itself
        rows = rows[:at] + rows[end:]
    under = index_of(rows, put.under) if put.under is not None else None
    if under is None:
        depth, start, stop = 0, 0, len(rows)
    else:
        depth, start, stop = rows[under].depth + 1, under + 1, branch_end(rows, under)
    spot = start
    after = index_of(rows, put.after) if put.after not in {None, LAST} else None
    if put.after == LAST or (put.after is not None and after is None):
        spot = stop
    elif after is not None and start <= after < stop and rows[after].depth == depth:
        spot = branch_end(rows, after)
    elif after is not None:
        spot = stop
    shift = depth - branch[0].depth
    moved = tuple(replace(row, depth=row.depth + shift) for row in branch)
    return rows[:spot] + moved + rows[spot:], back


def _rekey(rows: tuple[Row, ...], rekey: Rekey, at: int) -> tuple[tuple[Row, ...], list[Placing]]:
    other = index_of(rows, rekey.new)
    if other is not None and other != at:
        return _unite(rows, rekey, at, other)
    changed = replace(rows[at], key=rekey.new, title=rekey.title)
    back = Rekey(rekey.volume, rekey.new, rows[at].key, rows[at].title)
    return (*rows[:at], changed, *rows[at + 1 :]), [back]


def _unite(rows: tuple[Row, ...], rekey: Rekey, at: int, other: int) -> tuple[tuple[Row, ...], list[Placing]]:
    """A place waited for the new name: its branch goes to the page's own place, and it goes."""
    own, waiting = rows[at].key, rows[other].key
    volume = rekey.volume
    steps: list[Placing] = []
    inside = other < at < branch_end(rows, other)
    if inside:
        steps.append(Put(volume, own, rows[at].title, parent_key(rows, other), waiting))
    end = branch_end(rows, other)
    steps += [
        Put(volume, rows[n].key, rows[n].title, own, LAST)
        for n in range(other + 1, end)
        if rows[n].depth == rows[other].depth + 1 and rows[n].key != own
    ]
    steps.append(Take(volume, waiting))
    done, back = place(rows, steps)
    done, last = place(done, [rekey])
    return done, [*last, *back]


def index_of(rows: Sequence[Row], key: str | None) -> int | None:
    """Where a name stands."""
    return next((n for n, row in enumerate(rows) if row.key == key), None)


def branch_end(rows: Sequence[Row], at: int) -> int:
    """Behind the last row of the branch that begins at ``at``."""
    end = at + 1
    while end < len(rows) and rows[end].depth > rows[at].depth:
        end += 1
    return end


def parent_key(rows: Sequence[Row], at: int) -> str | None:
    """The key of the row that this one stands under."""
    return next((rows[n].key for n in range(at - 1, -1, -1) if rows[n].depth < rows[at].depth), None)


def where(rows: Sequence[Row], at: int, volume: int) -> Put:
    """The placing that would put a row where it stands now."""
    row = rows[at]
    before = None
    for n in range(at - 1, -1, -1):
        if rows[n].depth < row.depth:
            break
        if rows[n].depth == row.depth:
            before = rows[n].key
            break
    return Put(volume, row.key, row.title, parent_key(rows, at), before)


def rearrange(volume: int, rows: Sequence[Row], wished: Sequence[Row]) -> list[Placing]:
    """The placings that make ``wished`` of ``rows``, few and in order: names that are not wished lose their
    place, new ones get one, and only what changes its parent or its order moves."""
    wanted = {row.key for row in wished}
    placings: list[Placing] = [Take(volume, row.key) for row in reversed(rows) if row.key not in wanted]
    now, _ = place(rows, placings)
    parents = parents_of(wished)
    stay = _staying(now, wished, parents)
    after: dict[str | None, str | None] = {}
    titles = {row.key: row.title for row in now}
    for row in wished:
        parent = parents[row.key]
        if row.key not in stay:
            placings.append(Put(volume, row.key, row.title, parent, after.get(parent)))
        elif titles[row.key] != row.title:
            placings.append(Rekey(volume, row.key, row.key, row.title))
        after[parent] = row.key
    return placings


def parents_of(rows: Sequence[Row]) -> dict[str, str | None]:
    """The key that each row stands below, by its own; None at the top."""
    parents: dict[str, str | None] = {}
    path: list[Row] = []
    for row in rows:
        while path and path[-1].depth >= row.depth:
            path.pop()
        parents[row.key] = path[-1].key if path else None
        path.append(row)
    return parents


def _staying(now: Sequence[Row], wished: Sequence[Row], parents: Mapping[str, str | None]) -> set[str]:
    """The names that need not move: under the parent they have, and in an order that they are in."""
    order = {row.key: n for n, row in enumerate(now)}
    own = parents_of(now)
    siblings: dict[str | None, list[str]] = {}
    for row in wished:
        if row.key in order and own[row.key] == parents[row.key]:
            siblings.setdefault(parents[row.key], []).append(row.key)
    stay: set[str] = set()
    for keys in siblings.values():
        stay.update(keys[n] for n in _longest_rising([order[key] for key in keys]))
    return stay


def _longest_rising(numbers: Sequence[int]) -> list[int]:
    """The indexes of a longest rising run of numbers, not necessarily side by side (patience sorting)."""
    tails: list[int] = []
    ends: list[int] = []
    back: list[int] = []
    for n, number in enumerate(numbers):
        at = bisect_left(tails, number)
        tails[at : at + 1] = [number]
        ends[at : at + 1] = [n]
        back.append(ends[at - 1] if at else -1)
    found: list[int] = []
    n = ends[-1] if ends else -1
    while n >= 0:
        found.append(n)
        n = back[n]
    return found[::-1]
