"""The contents of a volume as a list, and what acts do to its places.

Contents are an ordered tree of names; here they are a list of rows, each with
its depth. An act says what becomes of places as *placings*; each can be made
on rows, and each has its inverse, so that an undo can put things back.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol, TypeVar

from mokuji.core.base import names

DEEPEST = 50
"""Maximum number of levels of contents."""


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


class Node(Protocol):
    """A place in a tree of contents, as it is found there: its name, and its title as it was typed."""

    @property
    def key(self) -> str: ...

    @property
    def title(self) -> str: ...


N = TypeVar("N", bound=Node)


class Tree(Protocol[N]):
    """The contents of one volume as placings are made in them: in memory, or in the database. A node tells of the
    moment at which it was found."""

    def find(self, key: str) -> N | None:
        """The place of a name."""
        ...

    def parent(self, node: N) -> N | None:
        """The place that one stands below; None at the top."""
        ...

    def before(self, node: N) -> N | None:
        """The sibling right before a place."""
        ...

    def below(self, node: N) -> Sequence[N]:
        """The places right below one, in order."""
        ...

    def holds(self, branch: N, node: N) -> bool:
        """Whether a place stands in a branch, or is its top."""
        ...

    def put(self, node: N | None, put: Put, under: N | None) -> None:
        """Moves a place with its branch below another (None: to the top), or adds one there: first, behind its sibling
        ``put.after``, or last if there is no such sibling."""
        ...

    def drop(self, node: N) -> None:
        """Takes away a place below which nothing stands."""
        ...

    def call(self, node: N, key: str, title: str) -> None:
        """Gives a place another name."""
        ...


def place_in(tree: Tree[N], placings: Iterable[Placing]) -> tuple[Placing, ...]:
    """Makes placings in a tree; gives what would take them back (last first).

    A placing that cannot be (its name has no place, say) changes nothing.
    """
    inverse: list[Placing] = []
    for placing in placings:
        if isinstance(placing, Put):
            back = _put(tree, placing)
        elif isinstance(placing, Take):
            back = _take(tree, placing)
        else:
            back = _rekey(tree, placing)
        inverse[:0] = back
    return tuple(inverse)


def _where(tree: Tree[N], volume: int, node: N) -> Put:
    """The placing that would put a name where it stands now."""
    parent, before = tree.parent(node), tree.before(node)
    return Put(volume, node.key, node.title, parent.key if parent else None, before.key if before else None)


def _put(tree: Tree[N], put: Put) -> list[Placing]:
    node = tree.find(put.key)
    under = tree.find(put.under) if put.under is not None else None
    back: list[Placing] = [Take(put.volume, put.key)]
    if node is not None:
        if put.new_only or (under is not None and tree.holds(node, under)):
            return []  # a branch cannot go below itself
        back = [_where(tree, put.volume, node)]
    tree.put(node, put, under)
    return back


def _take(tree: Tree[N], take: Take) -> list[Placing]:
    node = tree.find(take.key)
    if node is None:
        return []
    back: list[Placing] = [_where(tree, take.volume, node)]
    parent = tree.parent(node)
    after, last = node.key, None
    for each in tree.below(node):
        # Those below take the place, one behind the other.
        tree.put(each, Put(take.volume, each.key, each.title, None, after), parent)
        back.append(Put(take.volume, each.key, each.title, node.key, last))
        after = last = each.key
    tree.drop(node)
    return back


def _rekey(tree: Tree[N], rekey: Rekey) -> list[Placing]:
    node = tree.find(rekey.key)
    if node is None:
        return []
    back: list[Placing] = [Rekey(rekey.volume, rekey.new, node.key, node.title)]
    waiting = tree.find(rekey.new) if rekey.new != rekey.key else None
    if waiting is not None:
        back += _unite(tree, rekey.volume, node, waiting)
    tree.call(node, rekey.new, rekey.title)
    return back


def _unite(tree: Tree[N], volume: int, node: N, waiting: N) -> tuple[Placing, ...]:
    """A place waited for the new name: its branch goes to the page's own place, and it goes."""
    steps: list[Placing] = []
    if tree.holds(waiting, node):
        parent = tree.parent(waiting)
        steps.append(Put(volume, node.key, node.title, parent.key if parent else None, waiting.key))
    steps += [
        Put(volume, each.key, each.title, node.key, LAST)
        for each in tree.below(waiting)
        if each.key != node.key
    ]
    return place_in(tree, [*steps, Take(volume, waiting.key)])


# ---- as rows --------------------------------------------------------------------


@dataclass(eq=False, slots=True)
class _Place:
    key: str
    title: str
    parent: _Place | None
    below: list[_Place]


class _Rows:
    """A tree of contents in memory."""

    def __init__(self, rows: Sequence[Row]) -> None:
        self._top = _Place("", "", None, [])
        self._by_key: dict[str, _Place] = {}
        path = [self._top]
        for row in rows:
            del path[row.depth + 1 :]
            node = _Place(row.key, row.title, path[-1], [])
            path[-1].below.append(node)
            path.append(node)
            self._by_key.setdefault(row.key, node)

    def rows(self) -> tuple[Row, ...]:
        """All of it, in order."""
        found: list[Row] = []
        waiting = [(0, node) for node in reversed(self._top.below)]
        while waiting:
            depth, node = waiting.pop()
            found.append(Row(depth, node.title, node.key))
            waiting += [(depth + 1, each) for each in reversed(node.below)]
        return tuple(found)

    def find(self, key: str) -> _Place | None:
        return self._by_key.get(key)

    def parent(self, node: _Place) -> _Place | None:
        return None if node.parent is self._top else node.parent

    def before(self, node: _Place) -> _Place | None:
        assert node.parent is not None
        at = node.parent.below.index(node)
        return node.parent.below[at - 1] if at else None

    def below(self, node: _Place) -> Sequence[_Place]:
        return tuple(node.below)

    def holds(self, branch: _Place, node: _Place) -> bool:
        above: _Place | None = node
        while above is not None and above is not branch:
            above = above.parent
        return above is branch

    def put(self, node: _Place | None, put: Put, under: _Place | None) -> None:
        level = (under or self._top).below
        if node is None:
            node = self._by_key[put.key] = _Place(put.key, put.title, None, [])
        else:
            assert node.parent is not None
            node.parent.below.remove(node)
        node.parent = under or self._top
        sibling = self.find(put.after) if put.after is not None else None
        if put.after is None:
            level.insert(0, node)
        elif sibling is None or sibling is node or sibling.parent is not node.parent:
            level.append(node)
        else:
            level.insert(level.index(sibling) + 1, node)

    def drop(self, node: _Place) -> None:
        assert node.parent is not None
        node.parent.below.remove(node)
        del self._by_key[node.key]

    def call(self, node: _Place, key: str, title: str) -> None:
        del self._by_key[node.key]
        self._by_key[key] = node
        node.key, node.title = key, title


def place(rows: Sequence[Row], placings: Iterable[Placing]) -> tuple[tuple[Row, ...], tuple[Placing, ...]]:
    """The rows once placings of their volume are made, and what would take them back (last first)."""
    tree = _Rows(rows)
    inverse = place_in(tree, placings)
    return tree.rows(), inverse


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
        stay.update(keys[n] for n in longest_rising([order[key] for key in keys]))
    return stay


def longest_rising(numbers: Sequence[int]) -> list[int]:
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
