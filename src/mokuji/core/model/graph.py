"""Who leads to whom: the pages of a wiki as the nodes of a directed graph, links and inserts as its edges.

Names are resolved once each, however many pages use them; edges are packed
arrays (a wiki of 100,000 pages and a million references fits in a few
megabytes, and is walked in fractions of a second).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from mokuji.core.base.names import Name
from mokuji.core.language.page import PageHead
from mokuji.core.model.references import Resolver
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.syntax.reference import Kind

Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class NameUse:
    """A name typed in a volume (by id), as link or as insert, and the ids of the pages that use it so."""

    home: int
    name: Name
    insert: bool
    pages: Sequence[int]


@dataclass(frozen=True)
class Graph:
    """Pages and edges by index: ``ids`` (rising) and ``homes`` (of their volumes) are parallel arrays of the pages,
    ``sources`` and ``targets`` of the edges: each once, none from a page to itself.

    ``places`` are the unwritten places that are asked for, each once; ``askers`` and ``asked`` are parallel arrays
    of indexes: which page asks for which place, each pair once.
    """

    ids: Ints
    homes: Ints
    sources: Ints
    targets: Ints
    places: Sequence[Place]
    askers: Ints
    asked: Ints

    def led_to(self) -> Ints:
        """How many other pages lead to each page, by index."""
        return np.bincount(self.targets, minlength=len(self.ids))

    def led_to_by_home(self) -> tuple[Ints, Ints, Ints]:
        """Which pages (by index) are led to from which volumes (by id), and by how many pages of each."""
        return _counted(self.targets, self.homes[self.sources])

    def asked_by_home(self) -> tuple[Ints, Ints, Ints]:
        """Which places (by index) are asked for from which volumes (by id), and by how many pages of each."""
        return _counted(self.asked, self.homes[self.askers])

    def reached(self, roots: Ints, through: Bools | None = None) -> Bools:
        """Which pages (by index) are reached from roots along edges; ``through`` says which may be gone through."""
        found = np.zeros(len(self.ids), dtype=bool)
        front = roots
        found[front] = True
        starts, targets = self._outgoing
        while front.size:
            if through is not None:
                front = front[through[front]]
            lengths = starts[front + 1] - starts[front]
            total = int(lengths.sum())
            if not total:
                break
            # The edges of all pages of the front, side by side.
            at = np.repeat(starts[front] - np.concatenate(([0], np.cumsum(lengths)[:-1])), lengths)
            led = targets[at + np.arange(total)]
            led = led[~found[led]]
            if led.size * 16 < len(found):
                front = np.unique(led)
            else:
                # Marking beats sorting, but looks at all pages: too much for each step of a long chain.
                marked = np.zeros(len(found), dtype=bool)
                marked[led] = True
                front = np.flatnonzero(marked)
            found[front] = True
        return found

    @cached_property
    def _outgoing(self) -> tuple[Ints, Ints]:
        """Where the edges of each page begin, and where they lead, in the order of the pages."""
        order = np.argsort(self.sources, kind="stable")
        counts = np.bincount(self.sources, minlength=len(self.ids))
        return np.concatenate(([0], np.cumsum(counts))), self.targets[order]


def _counted(what: Ints, homes: Ints) -> tuple[Ints, Ints, Ints]:
    """The different pairs of two arrays, and how often each is there."""
    base = int(homes.max(initial=0)) + 1
    pairs, numbers = np.unique(what * base + homes, return_counts=True)
    what, homes = np.divmod(pairs, base)
    return what, homes, numbers


def _different(numbers: Ints) -> Ints:
    """Each number once, rising. NumPy's own way looks numbers up in a table, which takes ten times as long for so many
    as sorting them."""
    ordered = np.sort(numbers)
    return ordered[np.flatnonzero(np.diff(ordered, prepend=ordered[:1] - 1))]


def of_arrays(
    ids: Ints, homes: Ints, meanings: Ints, users: Ints, used: Ints, places: Sequence[Place]
) -> Graph:
    """The graph of some pages (``ids`` rise; ``homes`` are their volumes).

    ``meanings`` say what each name leads to: the id of a page, or ``-1 - n`` for the place with index n. ``users`` (ids
    of pages) and ``used`` (indexes of names) are parallel; pairs may come again, and users that are none of the pages
    are left out.
    """
    sources = np.minimum(np.searchsorted(ids, users), max(0, len(ids) - 1))
    there = ids[sources] == users if len(ids) else np.zeros(len(users), dtype=bool)
    sources, used = sources[there], used[there]
    to = np.where(meanings >= 0, np.searchsorted(ids, meanings), -1 - meanings)[used]
    written = (meanings >= 0)[used]
    edges, wanted = (
        _different(sources[some] * max(1, number) + to[some])
        for some, number in ((written, len(ids)), (~written, len(places)))
    )
    sources, targets = np.divmod(edges, max(1, len(ids)))
    others = sources != targets
    askers, asked = np.divmod(wanted, max(1, len(places)))
    return Graph(ids, homes, sources[others], targets[others], places, askers, asked)


def build(
    volumes: Mapping[str, Volume],
    heads: Iterable[PageHead],
    aliases: Iterable[tuple[int, str]],
    uses: Sequence[NameUse],
) -> Graph:
    """The graph of pages (``aliases`` are ids of pages with the keys of their aliases)."""
    by_id = {head.id: head for head in sorted(heads, key=lambda head: head.id)}
    holders: dict[Place, list[PageHead]] = {}
    for id_, key in aliases:
        holders.setdefault((by_id[id_].volume, key), []).append(by_id[id_])
    for held in holders.values():
        held.sort(key=lambda head: head.key)
    resolver = Resolver(volumes, {(head.volume, head.key): head for head in by_id.values()}, holders)
    meanings = Meanings(resolver, volumes)
    return of_arrays(
        ints(by_id),
        ints(head.volume for head in by_id.values()),
        ints(meanings.of(use.home, use.name, insert=use.insert) for use in uses),
        ints(id_ for use in uses for id_ in use.pages),
        np.repeat(np.arange(len(uses)), [len(use.pages) for use in uses]),
        meanings.places,
    )


def ints(numbers: Iterable[int]) -> Ints:
    """Numbers as an array."""
    return np.fromiter(numbers, dtype=np.int64)


class Meanings:
    """What names lead to as numbers, as ``of_arrays`` takes them; ``places`` are the unwritten ones so far."""

    def __init__(self, resolver: Resolver, volumes: Mapping[str, Volume]) -> None:
        self._resolver = resolver
        self._homes = {volume.id: volume for volume in volumes.values()}
        self._indexes: dict[Place, int] = {}

    def of(self, home: int, name: Name, *, insert: bool) -> int:
        """What a name typed in a volume (by id) leads to."""
        resolution = self._resolver.resolve(name, self._homes[home], insert=insert)
        if resolution.page is not None:
            return resolution.page.id
        return -1 - self._indexes.setdefault(resolution.place, len(self._indexes))

    @property
    def places(self) -> tuple[Place, ...]:
        """The unwritten places, by index."""
        return tuple(self._indexes)


def uses_in(pages: Iterable[tuple[PageHead, Iterable[tuple[Kind, Name]]]]) -> list[NameUse]:
    """The names that pages use, gathered: of each page its head and the kinds and names of its references."""
    gathered: dict[tuple[int, Name, bool], dict[int, None]] = {}
    for head, references in pages:
        for kind, name in references:
            if kind is not Kind.LISTING:
                gathered.setdefault((head.volume, name, kind is Kind.INSERT), {})[head.id] = None
    return [NameUse(home, name, insert, tuple(ids)) for (home, name, insert), ids in gathered.items()]
