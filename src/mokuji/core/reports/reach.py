"""Pages that readers do not come to: orphans, and what is out of reach."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np

from mokuji.core.language.page import PageHead
from mokuji.core.model.graph import Graph
from mokuji.core.model.wiki import Place


def orphans(graph: Graph, volume: int | None = None) -> list[PageHead]:
    """The pages that no other page leads to, by link or insert; their place in the contents does not count."""
    led_to = graph.led_to()
    return [
        head
        for head, number in zip(graph.heads, led_to, strict=True)
        if not number and volume in {None, head.volume}
    ]


def out_of_reach(
    graph: Graph, placed: Collection[Place], fronts: Mapping[int, str], closed: Collection[int] = ()
) -> list[PageHead]:
    """The pages of each volume that are not reached from its front page or its contents, through links and inserts.

    ``placed`` are volume and key of what stands in contents, ``fronts`` the keys of front pages. The pages of
    other volumes that are ``closed`` are not gone through, since not every reader can.
    """
    heads: list[PageHead] = []
    volumes = np.array([head.volume for head in graph.heads], dtype=np.int64)
    for volume in sorted({head.volume for head in graph.heads}):
        roots = [
            n
            for n, head in enumerate(graph.heads)
            if head.volume == volume and ((volume, head.key) in placed or fronts.get(volume) == head.key)
        ]
        inside = volumes == volume
        if len(roots) == int(inside.sum()):
            continue
        shut = [each for each in closed if each != volume]
        reached = graph.reached(roots, ~np.isin(volumes, shut) if shut else None)
        heads += [graph.heads[n] for n in np.flatnonzero(inside & ~reached)]
    return heads
