"""What upkeep knows, counted from scratch with the graph of the whole wiki."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from sqlalchemy import Connection, delete, func, select

from mokuji.core.language.page import PageHead
from mokuji.core.model import graph
from mokuji.core.model.graph import Graph, NameUse
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports import reach
from mokuji.store.index.led import COUNTED
from mokuji.store.index.upkeep_rows import put_asked, put_led, put_orphans, put_sizes, put_unplaced
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.snapshot import load_volumes, name_of
from mokuji.store.statements import fixed
from mokuji.store.tables import (
    alias,
    asked,
    contents,
    led,
    name,
    orphan,
    page,
    page_name,
    unplaced,
    volume,
    volume_size,
)

FRONTS = select(volume.c.id, volume.c.front).where(volume.c.front.is_not(None), volume.c.deleted_by.is_(None))
PLACES = select(contents.c.volume, contents.c.key)
HEADS = select(*HEAD_COLUMNS)
ALIASES = select(alias.c.page, alias.c.key)
_uses = (
    select(page_name.c.name, page_name.c.kind, func.array_agg(page_name.c.page).label("pages"))
    .group_by(page_name.c.name, page_name.c.kind)
    .subquery()
)
EDGES = select(
    name.c.home, name.c.key, name.c.vkey, name.c.tkey, name.c.absolute, _uses.c.kind, _uses.c.pages
).join(_uses, _uses.c.name == name.c.id)
_placed = select(fixed(1)).where(contents.c.volume == page.c.volume, contents.c.key == page.c.key).exists()
WITHOUT_PLACE = HEADS.where(~_placed)
_CLEAR = {table.name: delete(table) for table in (led, orphan, asked, unplaced, volume_size)}


def fronts(connection: Connection) -> dict[int, str]:
    """The key of the front page of each volume that names one."""
    return {id_: front for id_, front in connection.execute(FRONTS) if front is not None}


def out_of_reach(connection: Connection, linked: Graph, volumes: Mapping[str, Volume]) -> set[int]:
    """The pages that are not come to from the front page or the contents of their volume."""
    placed = {(home, key) for home, key in connection.execute(PLACES)}
    closed = [each.id for each in volumes.values() if each.closed]
    return {head.id for head in reach.out_of_reach(linked, placed, fronts(connection), closed)}


def load_graph(connection: Connection) -> Graph:
    """The graph of the whole wiki."""
    volumes = load_volumes(connection)
    there = {each.id for each in volumes.values()}
    heads = [PageHead(*row) for row in connection.execute(HEADS) if row.volume in there]
    known = {head.id for head in heads}
    aliases = [(id_, key) for id_, key in connection.execute(ALIASES) if id_ in known]
    uses = [
        NameUse(home, name_of(key, vkey, tkey, absolute), kind == 1, pages)
        for home, key, vkey, tkey, absolute, kind, pages in connection.execute(EDGES)
        if home in there
    ]
    return graph.build(volumes, heads, aliases, uses)


def recount(connection: Connection) -> None:
    """Counts everything anew. Seconds for 100,000 pages."""
    volumes = load_volumes(connection)
    linked = load_graph(connection)
    for clear in _CLEAR.values():
        connection.execute(clear)
    home_of = np.array([head.volume for head in linked.heads], dtype=np.int64)
    counts: dict[int, dict[int, int]] = {head.id: {} for head in linked.heads}
    if linked.sources.size:
        pairs, numbers = np.unique(
            np.stack([linked.targets, home_of[linked.sources]]), axis=1, return_counts=True
        )
        for (target, home), number in zip(pairs.T.tolist(), numbers.tolist(), strict=True):
            counts[linked.heads[target].id][home] = min(number, COUNTED)
    put_sizes(connection, [each.id for each in volumes.values()])
    put_led(connection, counts)
    put_orphans(connection, volumes, linked.heads, counts)
    homes = {head.id: head.volume for head in linked.heads}
    rows: list[tuple[Place, int, int]] = []
    for place, pages in linked.asked.items():
        askers: dict[int, int] = {}
        for asker in pages:
            askers[homes[asker]] = askers.get(homes[asker], 0) + 1
        rows += [(place, home, number) for home, number in askers.items()]
    put_asked(connection, rows)
    away = out_of_reach(connection, linked, volumes)
    without = [PageHead(*row) for row in connection.execute(WITHOUT_PLACE)]
    put_unplaced(connection, [(head, head.id not in away) for head in without])
