"""The rows of upkeep: how many pages lead to each, which are orphans, which names are asked for, which pages have no
place. Written by what keeps them in step and by what counts anew: of some pages or places what is given, and no
more."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import ARRAY, Connection, Integer, cast, delete, func, insert, select

from mokuji.core.model.wiki import Place
from mokuji.store.statements import among, array, fixed, numbers, texts
from mokuji.store.tables import asked, led, orphan, page, unplaced, volume_size

CLEAR_SIZES = delete(volume_size).where(among(volume_size.c.volume, "volumes"))
CLEAR_LED = delete(led).where(among(led.c.page, "pages"))
CLEAR_ORPHANS = delete(orphan).where(among(orphan.c.page, "pages"))
CLEAR_UNPLACED = delete(unplaced).where(among(unplaced.c.page, "pages"))
_places = func.unnest(numbers("volumes"), texts("keys")).table_valued("volume", "key").render_derived("w")
CLEAR_ASKED = delete(asked).where(asked.c.volume == _places.c.volume, asked.c.key == _places.c.key)
# A list of lists is no array: each comes as the words of one.
_orphans = func.unnest(numbers("pages"), texts("homes")).table_valued("page", "homes").render_derived("w")
PUT_ORPHANS = insert(orphan).from_select(
    ["page", "volume", "key", "homes"],
    select(page.c.id, page.c.volume, page.c.key, cast(_orphans.c.homes, ARRAY(Integer))).where(
        page.c.id == _orphans.c.page
    ),
)
_names = (
    func.unnest(numbers("volumes"), texts("keys"), numbers("homes"), numbers("pages"))
    .table_valued("volume", "key", "home", "pages")
    .render_derived("w")
)
PUT_ASKED = insert(asked).from_select(["volume", "key", "home", "pages"], select(_names))
_unplaced = (
    func.unnest(numbers("pages"), numbers("reached")).table_valued("page", "reached").render_derived("w")
)
PUT_UNPLACED = insert(unplaced).from_select(
    ["page", "volume", "key", "reached"],
    select(page.c.id, page.c.volume, page.c.key, _unplaced.c.reached == fixed(1)).where(
        page.c.id == _unplaced.c.page
    ),
)
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


def keep_sizes(connection: Connection, volumes: Collection[int]) -> None:
    """Keeps how many pages some volumes have."""
    if volumes:
        connection.execute(CLEAR_SIZES, {"volumes": volumes})
        connection.execute(PUT_SIZES, {"volumes": volumes})


def keep_led(connection: Connection, pages: Collection[int], rows: Sequence[Sequence[int]]) -> None:
    """Keeps which of some pages are led to from which volumes, and by how many pages: id, volume, number."""
    if pages:
        connection.execute(CLEAR_LED, {"pages": pages})
    if rows:
        led_to, homes, counts = ([row[n] for row in rows] for n in range(3))
        connection.execute(PUT_LED, {"pages": led_to, "homes": homes, "counts": counts})


def keep_orphans(
    connection: Connection, pages: Collection[int], orphans: Mapping[int, Collection[int]]
) -> None:
    """Keeps which of some pages are orphans (by id), each with the closed volumes whose pages lead to it."""
    if pages:
        connection.execute(CLEAR_ORPHANS, {"pages": pages})
    if orphans:
        homes = [array(sorted(each)) for each in orphans.values()]
        connection.execute(PUT_ORPHANS, {"pages": orphans.keys(), "homes": homes})


def keep_asked(
    connection: Connection, places: Collection[Place], rows: Collection[tuple[int, str, int, int]]
) -> None:
    """Keeps which of some places pages ask for: volume and key, the volume of these pages, and how many they are."""
    if places:
        volumes, keys = ([place[0] for place in places], [place[1] for place in places])
        connection.execute(CLEAR_ASKED, {"volumes": volumes, "keys": keys})
    if rows:
        values = {
            "volumes": [volume for volume, _, _, _ in rows],
            "keys": [key for _, key, _, _ in rows],
            "homes": [home for _, _, home, _ in rows],
            "pages": [pages for _, _, _, pages in rows],
        }
        connection.execute(PUT_ASKED, values)


def keep_unplaced(connection: Connection, pages: Collection[int], reached: Mapping[int, bool]) -> None:
    """Keeps which of some pages (by id) have no place, and whether they are reached."""
    if pages:
        connection.execute(CLEAR_UNPLACED, {"pages": pages})
    if reached:
        flags = [int(each) for each in reached.values()]
        connection.execute(PUT_UNPLACED, {"pages": reached.keys(), "reached": flags})
