"""The rows of upkeep: how many pages lead to each, which are orphans, which names are asked for, which pages have no
place. Written by what keeps them in step and by what counts anew."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence

from sqlalchemy import ARRAY, Connection, Integer, cast, func, insert, select

from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place, Volume
from mokuji.store.statements import among, array, numbers, texts
from mokuji.store.tables import asked, led, orphan, page, unplaced, volume_size

# A list of lists is no array: each comes as the words of one.
_orphans = (
    func.unnest(numbers("pages"), numbers("volumes"), texts("keys"), texts("homes"))
    .table_valued("page", "volume", "key", "homes")
    .render_derived("w")
)
PUT_ORPHANS = insert(orphan).from_select(
    ["page", "volume", "key", "homes"],
    select(_orphans.c.page, _orphans.c.volume, _orphans.c.key, cast(_orphans.c.homes, ARRAY(Integer))),
)
_names = (
    func.unnest(numbers("volumes"), texts("keys"), numbers("homes"), numbers("pages"))
    .table_valued("volume", "key", "home", "pages")
    .render_derived("w")
)
PUT_ASKED = insert(asked).from_select(["volume", "key", "home", "pages"], select(_names))
PUT_UNPLACED = insert(unplaced)
PUT_SIZES = insert(volume_size).from_select(
    ["volume", "pages"],
    select(page.c.volume, func.count()).where(among(page.c.volume, "volumes")).group_by(page.c.volume),
)
_led = (
    func.unnest(numbers("pages"), numbers("homes"), numbers("counts"))
    .table_valued("page", "home", "pages")
    .render_derived("w")
)
PUT_LED = insert(led).from_select(["page", "home", "pages"], select(_led))

Led = Mapping[int, Mapping[int, int]]
"""How many other pages lead to each page (by id), by the volume in which they stand."""


def put_sizes(connection: Connection, volumes: Collection[int]) -> None:
    """Puts in how many pages some volumes have."""
    if volumes:
        connection.execute(PUT_SIZES, {"volumes": volumes})


def put_led(connection: Connection, counts: Led) -> None:
    """Puts in how many pages lead to some."""
    rows = [(id_, home, number) for id_, homes in counts.items() for home, number in homes.items()]
    if rows:
        connection.execute(
            PUT_LED,
            {
                "pages": [id_ for id_, _, _ in rows],
                "homes": [home for _, home, _ in rows],
                "counts": [number for _, _, number in rows],
            },
        )


def put_orphans(
    connection: Connection,
    volumes: Mapping[str, Volume],
    heads: Iterable[PageHead],
    led_from: Mapping[int, Collection[int]],
) -> None:
    """Puts in those pages that neither their own volume nor an open one leads to; ``led_from`` are the volumes whose
    pages do, by page."""
    open_ = {each.id for each in volumes.values() if not each.closed}
    rows = [
        (head, sorted(led_from[head.id]))
        for head in heads
        if not any(home == head.volume or home in open_ for home in led_from[head.id])
    ]
    if rows:
        connection.execute(
            PUT_ORPHANS,
            {
                "pages": [head.id for head, _ in rows],
                "volumes": [head.volume for head, _ in rows],
                "keys": [head.key for head, _ in rows],
                "homes": [array(homes) for _, homes in rows],
            },
        )


def put_asked(connection: Connection, rows: Sequence[tuple[Place, int, int]]) -> None:
    """Puts in names that pages ask for: the place, the volume of these pages, and how many they are."""
    if rows:
        connection.execute(
            PUT_ASKED,
            {
                "volumes": [place[0] for place, _, _ in rows],
                "keys": [place[1] for place, _, _ in rows],
                "homes": [home for _, home, _ in rows],
                "pages": [pages for _, _, pages in rows],
            },
        )


def put_unplaced(connection: Connection, rows: Sequence[tuple[PageHead, bool]]) -> None:
    """Puts in pages without a place, and whether they are reached."""
    if rows:
        connection.execute(
            PUT_UNPLACED,
            [{"page": h.id, "volume": h.volume, "key": h.key, "reached": reached} for h, reached in rows],
        )
