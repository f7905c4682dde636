"""Pages that readers do not come to: orphans, and what is out of reach."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from mokuji.core.model.graph import Graph, Ints


def orphans(graph: Graph) -> Ints:
    """The ids of the pages that no other page leads to, by link or insert; a place in the contents does not count."""
    alone: Ints = graph.ids[graph.led_to() == 0]
    return alone


def out_of_reach(graph: Graph, roots: Ints, closed: Collection[int] = ()) -> Ints:
    """The ids of the pages that are not reached from the ``roots`` of their volume (ids of what stands in its contents
    and of its front page), through links and inserts.

    The pages of other volumes that are ``closed`` are not gone through, since not every reader can.
    """
    rooted = np.isin(graph.ids, roots)
    away = np.zeros(len(graph.ids), dtype=bool)
    shut = np.isin(graph.homes, list(closed))
    for volume in np.unique(graph.homes[~rooted]):
        inside = graph.homes == volume
        reached = graph.reached(np.flatnonzero(inside & rooted), ~shut | inside if closed else None)
        away |= inside & ~reached
    return graph.ids[away]
