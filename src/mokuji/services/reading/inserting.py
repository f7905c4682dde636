"""What the inserts of a page need: the pages that they lead to, and these again, with all their references.

One round of questions for each depth of inserts. Everything is asked of the
volumes that the reader may see: a closed page and one that is not written look
the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from mokuji.core.assembly.inserts import DEEPEST
from mokuji.core.language.page import Page
from mokuji.core.model.wiki import Volume, Wiki
from mokuji.core.syntax.reference import Kind
from mokuji.services.reading.linking import Link, links_of

if TYPE_CHECKING:
    from mokuji.services.app_context import AppContext

MOST_PAGES = 500
"""Maximum number of different pages that the inserts of one page take in."""
MOST_AT_ONCE = 5_000
"""The same of several pages that are read at once."""


@dataclass(frozen=True)
class Inserted:
    """The pages that are needed to show one, by id, and the links of each, in the order of its references."""

    pages: Mapping[int, Page]
    links: Mapping[int, list[Link]]
    volumes: Mapping[int, Volume]


def inserted(
    wiki: Wiki, home: Volume, page: Page, app: AppContext | None = None, *, own: Wiki | None = None
) -> Inserted:
    """Everything that the inserts of a page lead to. ``wiki`` is what the reader may see; the page may be one that is
    not saved yet. ``app`` keeps what is read from a database. ``own`` is where the names on the page itself are looked
    up, if that is elsewhere."""
    return inserted_by_all(wiki, {page.head.id: home}, [page], app, own=own)


def inserted_by_all(
    wiki: Wiki,
    homes: Mapping[int, Volume],
    roots: Sequence[Page],
    app: AppContext | None = None,
    *,
    own: Wiki | None = None,
) -> Inserted:
    """The same for several pages at once, in as many rounds; ``homes`` are their volumes by the ids of the pages."""
    by_id = {volume.id: volume for volume in wiki.volumes.values()}
    pages: dict[int, Page] = {page.head.id: page for page in roots}
    links: dict[int, list[Link]] = {}
    homes = dict(homes)
    frontier = list(roots)
    most = min(MOST_PAGES * len(roots), MOST_AT_ONCE)
    for _ in range(DEEPEST + 1):
        found = links_of(wiki if links or own is None else own, frontier, homes)
        links |= found
        wanted = sorted(
            {
                link.page
                for each in frontier
                for link in found[each.head.id]
                if link.kind is Kind.INSERT and link.page and link.page not in pages
            }
        )[: most - len(pages)]
        if not wanted:
            break
        loaded = wiki.pages(wanted) if app is None else _load(app, wiki, wanted)
        frontier = [loaded[id_] for id_ in wanted if id_ in loaded]
        for each in frontier:
            pages[each.head.id] = each
            homes[each.head.id] = by_id[each.head.volume]
    return Inserted(pages, links, by_id)


def _load(app: AppContext, wiki: Wiki, ids: list[int]) -> Mapping[int, Page]:
    """Pages by id, those that were read lately not read again."""
    from mokuji.store.snapshot import StoredWiki  # folders have no database

    if not isinstance(wiki, StoredWiki):
        return wiki.pages(ids)
    heads = wiki.heads(ids)
    ready = {head.id: found.page for head in heads if (found := app.compiled.get(head.revised)) is not None}
    missing = [head.id for head in heads if head.id not in ready]
    if missing:
        keys = frozenset(wiki.volumes)
        for id_, page in wiki.pages(missing).items():
            ready[id_] = app.ready(page, keys).page
    return ready
