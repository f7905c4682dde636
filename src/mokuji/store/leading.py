"""Which names in use lead to a page, and how many pages that makes.

The database finds the names that could; the core's own resolution says which
do. A name is looked at twice, as link and as insert, since inserts look in
libraries too.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, text

from mokuji.core.names import Name
from mokuji.core.references import Resolution, Resolver, volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.text.reference import Kind, Reference
from mokuji.core.wiki import PageHead, Place
from mokuji.store.snapshot import StoredWiki, array


class NameUse(NamedTuple):
    """An interned name, as link (kind 0) or as insert (kind 1), and the volume of all pages that use it."""

    name: int
    kind: int
    home: int


def columns(uses: Iterable[NameUse], volumes: Collection[int]) -> dict[str, list[int]]:
    """The uses on pages of these volumes, as the arrays that queries take.

    A name belongs to the volume it is typed in, so no page need be asked where it stands.
    """
    ordered = sorted(use for use in uses if use.home in volumes)
    return {"names": [use.name for use in ordered], "kinds": [use.kind for use in ordered]}


ALIAS_KEYS = text("SELECT page, volume, key FROM alias WHERE page = ANY(:pages)")


def leading_to(wiki: StoredWiki, pages: Sequence[PageHead]) -> dict[int, list[NameUse]]:
    """The names in use that lead to each of these pages, by title or alias."""
    places: list[Place] = [(page.volume, page.key) for page in pages]
    rows = wiki.connection.execute(ALIAS_KEYS, {"pages": [page.id for page in pages]})
    places += [(row.volume, row.key) for row in rows]
    found: dict[int, list[NameUse]] = {page.id: [] for page in pages}
    for use, resolution in resolved(wiki, places):
        if resolution.page is not None and resolution.page.id in found:
            found[resolution.page.id].append(use)
    return found


def asking_for(wiki: StoredWiki, place: Place) -> list[NameUse]:
    """The names in use that mean a place at which there is no page."""
    return [
        use
        for use, resolution in resolved(wiki, [place])
        if not resolution.written and resolution.place == place
    ]


def resolved(wiki: StoredWiki, places: Collection[Place]) -> list[tuple[NameUse, Resolution]]:
    """The names in use that could mean one of these places, each with what it does mean."""
    candidates = wiki.meaning(places)
    homes = volumes_by_id(wiki)
    kinds = (Kind.LINK, Kind.INSERT)
    uses = [(homes[home], _bare(kind, name)) for home, name in candidates.values() for kind in kinds]
    resolver = Resolver.of(wiki, uses)
    return [
        (NameUse(id_, nth, home), resolver.resolve(name, homes[home], insert=kind is Kind.INSERT))
        for id_, (home, name) in candidates.items()
        for nth, kind in enumerate(kinds)
    ]


def _bare(kind: Kind, name: Name) -> Reference:
    nowhere = Span(0, 0)
    return Reference(kind, nowhere, name, nowhere, nowhere)


COUNTED = 100
"""Up to so many uses of a name are counted: a number beside an entry is for the eye."""

LED_TO_BY = text(
    """SELECT w.target, count(DISTINCT x.page) AS pages
    FROM unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[]))
        AS w(target, name, kind),
    LATERAL (SELECT pn.page FROM page_name pn
        WHERE pn.name = w.name AND pn.kind = w.kind AND pn.page <> w.target LIMIT :most) x
    GROUP BY w.target"""
)


def led_to_by(
    connection: Connection, pages: Sequence[PageHead], visible: Collection[int]
) -> Mapping[int, int]:
    """How many other pages (of these volumes) lead to each page; those that none leads to are left out.

    Exact below ``COUNTED``; a larger number says that there are at least so many.
    """
    if not pages:
        return {}
    leading = leading_to(StoredWiki(connection), pages)
    flat = [(target, use) for target, uses in leading.items() for use in uses if use.home in visible]
    values = {
        "targets": array(target for target, _ in flat),
        "names": array(use.name for _, use in flat),
        "kinds": array(use.kind for _, use in flat),
        "most": COUNTED,
    }
    return {row.target: row.pages for row in connection.execute(LED_TO_BY, values)}
