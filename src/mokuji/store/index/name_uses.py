"""Which names in use lead to a page.

The database finds the names that could; the core's own resolution says which
do. A name is looked at twice, as link and as insert, since inserts look in
libraries too.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from itertools import takewhile
from typing import NamedTuple

from sqlalchemy import select

from mokuji.core.language.page import PageHead
from mokuji.core.model.references import Resolution, Resolver, lookups, volumes_by_id
from mokuji.core.model.wiki import Place
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import among
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


def leading_to(
    wiki: StoredWiki, pages: Sequence[PageHead], *, aliases: Mapping[int, Collection[str]] | None = None
) -> dict[int, list[NameUse]]:
    """The names in use that lead to each of these pages, by title or alias; ``aliases`` are the keys of the latter by
    page, where they are known already."""
    places: list[Place] = [(page.volume, page.key) for page in pages]
    if aliases is None:
        rows = wiki.connection.execute(ALIAS_KEYS, {"pages": [page.id for page in pages]})
        places += [(volume, key) for volume, key in rows]
    else:
        places += [(page.volume, key) for page in pages for key in aliases[page.id]]
    found: dict[int, list[NameUse]] = {page.id: [] for page in pages}
    for use, resolution in resolved(wiki, places, {(page.volume, page.key): page for page in pages}):
        if resolution.page is not None and resolution.page.id in found:
            found[resolution.page.id].append(use)
    return found


def asking_for(wiki: StoredWiki, places: Collection[Place]) -> dict[Place, list[NameUse]]:
    """The names in use that mean each of these places, if there is no page at it."""
    found: dict[Place, list[NameUse]] = {place: [] for place in places}
    for use, resolution in resolved(wiki, places):
        if not resolution.written and resolution.place in found:
            found[resolution.place].append(use)
    return found


def resolved(
    wiki: StoredWiki, places: Collection[Place], titles: Mapping[Place, PageHead] | None = None
) -> list[tuple[NameUse, Resolution]]:
    """The names in use that could mean one of these places, each with what it does mean. ``titles`` are pages that are
    known to be there: what means one of these is not asked for."""
    candidates = wiki.meaning(places)
    homes = volumes_by_id(wiki)
    known = titles or {}
    asked: set[Place] = set()
    for home, name in candidates.values():
        # An insert that looks in libraries looks where a link looks first: their places are those of both.
        found_at = lookups(name, homes[home], wiki.volumes, insert=True)
        asked.update(takewhile(lambda place: place not in known, found_at))
    there, aliases = wiki.titles_and_aliases(asked)
    resolver = Resolver(wiki.volumes, {**there, **known}, aliases)
    found: list[tuple[NameUse, Resolution]] = []
    for id_, (home, name) in candidates.items():
        at = homes[home]
        link = resolver.resolve(name, at)
        found.append((NameUse(id_, 0, home), link))
        found.append(
            (NameUse(id_, 1, home), resolver.resolve(name, at, insert=True) if at.libraries else link)
        )
    return found
