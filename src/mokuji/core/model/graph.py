"""Who leads to whom: the pages of a wiki as the nodes of a directed graph, links and inserts as its edges.

Names are resolved once each, however many pages use them; edges are packed
arrays (a wiki of 100,000 pages and a million references fits in a few
megabytes, and is walked in fractions of a second).
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from mokuji.core.base.names import Name
from mokuji.core.language.page import PageHead
from mokuji.core.model.references import Resolver
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.syntax.reference import Kind

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class NameUse:
    """A name typed in a volume (by id), as link or as insert, and the ids of the pages that use it so."""

    home: int
    name: Name
    insert: bool
    pages: Sequence[int]


@dataclass(frozen=True)
class Graph:
    """``sources`` and ``targets`` are parallel arrays of indexes into ``heads``: each pair once, none to itself.

    ``asked`` gives for each unwritten place the ids of the pages that ask for it, each once, in order.
    """

    heads: tuple[PageHead, ...]
    sources: Ints
    targets: Ints
    asked: Mapping[Place, tuple[int, ...]]

    def led_to(self) -> Ints:
        """How many other pages lead to each page, by index."""
        return np.bincount(self.targets, minlength=len(self.heads))

    def reached(self, roots: Collection[int], through: NDArray[np.bool_] | None = None) -> NDArray[np.bool_]:
        """Which pages (by index) are reached from roots along edges; ``through`` says which may be gone through."""
        found = np.zeros(len(self.heads), dtype=bool)
        front = np.fromiter(roots, dtype=np.int64, count=len(roots))
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

    @property
    def _outgoing(self) -> tuple[Ints, Ints]:
        """Where the edges of each page begin, and where they lead, in the order of the pages."""
        order = np.argsort(self.sources, kind="stable")
        counts = np.bincount(self.sources, minlength=len(self.heads))
        return np.concatenate(([0], np.cumsum(counts))), self.targets[order]


def build(
    volumes: Mapping[str, Volume],
    heads: Iterable[PageHead],
    aliases: Iterable[tuple[int, str]],
    uses: Iterable[NameUse],
) -> Graph:
    """The graph of pages (``aliases`` are ids of pages with the keys of their aliases)."""
    ordered = tuple(sorted(heads, key=lambda head: (head.volume, head.key)))
    by_id = {head.id: n for n, head in enumerate(ordered)}
    holders: dict[Place, list[PageHead]] = {}
    for id_, key in aliases:
        head = ordered[by_id[id_]]
        holders.setdefault((head.volume, key), []).append(head)
    for held in holders.values():
        held.sort(key=lambda head: head.key)
    resolver = Resolver(volumes, {(head.volume, head.key): head for head in ordered}, holders)
    homes = {volume.id: volume for volume in volumes.values()}
    pairs: list[Ints] = []
    asked: dict[Place, set[int]] = {}
    for use in uses:
        resolution = resolver.resolve(use.name, homes[use.home], insert=use.insert)
        if resolution.page is None:
            asked.setdefault(resolution.place, set()).update(use.pages)
        else:
            sources = np.fromiter((by_id[id_] for id_ in use.pages), dtype=np.int64, count=len(use.pages))
            pairs.append(sources * len(ordered) + by_id[resolution.page.id])
    packed = np.unique(np.concatenate(pairs)) if pairs else np.zeros(0, dtype=np.int64)
    sources, targets = np.divmod(packed, max(1, len(ordered)))
    others = sources != targets
    return Graph(
        ordered,
        sources[others],
        targets[others],
        {place: tuple(sorted(ids)) for place, ids in sorted(asked.items())},
    )


def uses_in(pages: Iterable[tuple[PageHead, Iterable[tuple[Kind, Name]]]]) -> list[NameUse]:
    """The names that pages use, gathered: of each page its head and the kinds and names of its references."""
    gathered: dict[tuple[int, Name, bool], dict[int, None]] = {}
    for head, references in pages:
        for kind, name in references:
            if kind is not Kind.LISTING:
                gathered.setdefault((head.volume, name, kind is Kind.INSERT), {})[head.id] = None
    return [NameUse(home, name, insert, tuple(ids)) for (home, name, insert), ids in gathered.items()]
