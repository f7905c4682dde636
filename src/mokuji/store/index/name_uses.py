"""Which names in use lead to a page, and how many pages that makes.

The database finds the names that could; the core's own resolution says which
do. A name is looked at twice, as link and as insert, since inserts look in
libraries too.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import Connection, select, text

from mokuji.core.base.spans import Span
from mokuji.core.language.page import PageHead
from mokuji.core.model.references import Resolution, Resolver, volumes_by_id
from mokuji.core.model.wiki import Place
from mokuji.core.syntax.reference import Kind, Reference
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import among, array
from mokuji.store.tables import alias


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


ALIAS_KEYS = select(alias.c.volume, alias.c.key).where(among(alias.c.page, "pages"))


def leading_to(wiki: StoredWiki, pages: Sequence[PageHead]) -> dict[int, list[NameUse]]:
    """The names in use that lead to each of these pages, by title or alias."""
    places: list[Place] = [(page.volume, page.key) for page in pages]
    rows = wiki.connection.execute(ALIAS_KEYS, {"pages": [page.id for page in pages]})
    places += [(volume, key) for volume, key in rows]
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
    nowhere = Span(0, 0)
    # An insert that looks in libraries looks where a link looks first: their places are those of both.
    uses = [
        (homes[home], Reference(Kind.INSERT, nowhere, name, nowhere, nowhere))
        for home, name in candidates.values()
    ]
    resolver = Resolver.of(wiki, uses)
    found: list[tuple[NameUse, Resolution]] = []
    for id_, (home, name) in candidates.items():
        at = homes[home]
        link = resolver.resolve(name, at)
        found.append((NameUse(id_, 0, home), link))
        found.append(
            (NameUse(id_, 1, home), resolver.resolve(name, at, insert=True) if at.libraries else link)
        )
    return found


COUNTED = 100
"""Up to so many uses of a name are counted: a number beside an entry is for the eye."""

# As text: counting stops at a number for each name by itself.
_USES = "unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[]))"
LED_BY_ONE_NAME = text(
    f"""SELECT w.target, (SELECT count(*) FROM (SELECT 1 FROM page_name pn
        WHERE pn.name = w.name AND pn.kind = w.kind AND pn.page <> w.target LIMIT :most) x) AS pages
    FROM {_USES} AS w(target, name, kind)"""  # noqa: S608
)
LED_BY_SEVERAL = text(
    f"""SELECT w.target, count(DISTINCT x.page) AS pages
    FROM {_USES} AS w(target, name, kind), LATERAL (SELECT pn.page FROM page_name pn
        WHERE pn.name = w.name AND pn.kind = w.kind AND pn.page <> w.target LIMIT :most) x
    GROUP BY w.target"""  # noqa: S608
)


def led_to_by(
    connection: Connection, leading: Mapping[int, Sequence[NameUse]], visible: Collection[int]
) -> Mapping[int, int]:
    """How many other pages (of these volumes) lead to each page by these names; those that none leads to are left
    out. Exact below ``COUNTED``; a larger number says that there are at least so many."""
    if not any(leading.values()):
        return {}
    flat = [(target, use) for target, uses in leading.items() for use in uses if use.home in visible]
    found: dict[int, int] = {}
    several: set[int] = set()
    for target, pages in connection.execute(LED_BY_ONE_NAME, _flat(flat)).all():
        if pages:
            if target in found:
                several.add(target)
            found[target] = pages
    if several:
        # A page may use two names of another: those have to be told apart, which costs more.
        values = _flat([(target, use) for target, use in flat if target in several])
        found.update((row.target, row.pages) for row in connection.execute(LED_BY_SEVERAL, values).all())
    return found


def _flat(uses: Sequence[tuple[int, NameUse]]) -> dict[str, str | int]:
    return {
        "targets": array(target for target, _ in uses),
        "names": array(use.name for _, use in uses),
        "kinds": array(use.kind for _, use in uses),
        "most": COUNTED,
    }
