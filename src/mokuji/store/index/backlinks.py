"""Who leads to a page, each with its sentence; paged by key.

``visible`` are the volumes that the actor may read: what lies elsewhere is
neither shown nor counted. Each query has its index (tested with EXPLAIN).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from sqlalchemy import Connection, func, select, text

from mokuji.core.base.spans import Span
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.indexed_page import Flag
from mokuji.core.language.page import PageHead
from mokuji.store.index.name_uses import columns, leading_to
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import among, numbers, value
from mokuji.store.tables import page as pages
from mokuji.store.tables import page_name, page_refs

# As text: of each name only so many pages are read as are shown.
BACKLINK_PAGES = text(
    """SELECT DISTINCT x.page FROM unnest(CAST(:names AS bigint[]), CAST(:kinds AS smallint[])) AS n(name, kind),
    LATERAL (SELECT pn.page FROM page_name pn
        WHERE pn.name = n.name AND pn.kind = n.kind AND pn.page > :after AND pn.page <> :page
        ORDER BY pn.page LIMIT :most) x ORDER BY x.page LIMIT :most"""
)
_named = func.unnest(numbers("names"), numbers("kinds")).table_valued("name", "kind").render_derived("n")
BACKLINK_COUNT = select(
    func.count(page_name.c.page.distinct()), func.coalesce(func.sum(page_name.c.count), 0)
).where(
    page_name.c.name == _named.c.name, page_name.c.kind == _named.c.kind, page_name.c.page != value("page")
)
RANGES = select(
    *HEAD_COLUMNS, page_refs.c.starts, page_refs.c.ends, page_refs.c.names, page_refs.c.flags
).where(page_refs.c.page == pages.c.id, among(pages.c.id, "pages"))
# As text: of each text no more than what stands around a place is read.
WINDOWS = text(
    """SELECT w.page, w.nth, substr(r.text, greatest(w.start - :reach, 0) + 1,
        w.stop - greatest(w.start - :reach, 0) + :reach) AS words
    FROM unnest(CAST(:pages AS bigint[]), CAST(:nths AS int[]), CAST(:starts AS int[]), CAST(:stops AS int[]))
        AS w(page, nth, start, stop)
    JOIN page p ON p.id = w.page JOIN revision r ON r.page = p.id AND r.number = p.revision"""
)


class Cursor(NamedTuple):
    """A place in a list of backlinks: behind which page, and whether beyond the volume in hand."""

    elsewhere: bool
    page: int


START = Cursor(False, 0)


@dataclass(frozen=True, slots=True)
class Sentence:
    """One place that leads to a page: the reference's index on its page, and its sentence."""

    index: int
    excerpt: Excerpt


@dataclass(frozen=True, slots=True)
class Backlink:
    """A page that leads here, with how often, and the first of its sentences."""

    page: PageHead
    places: int
    sentences: tuple[Sentence, ...]


@dataclass(frozen=True, slots=True)
class Backlinks:
    """One page of the list, pages of the same volume first; ``more_after`` is where to go on, if there is more."""

    pages: int
    places: int
    entries: tuple[Backlink, ...]
    more_after: Cursor | None


def backlinks(
    wiki: StoredWiki,
    page: PageHead,
    visible: Collection[int],
    *,
    after: Cursor = START,
    most: int = 8,
    sentences: int = 3,
) -> Backlinks:
    """The pages that lead to one, from a place in the list on, each with its first sentences. ``wiki`` is the whole
    one."""
    connection = wiki.connection
    uses = leading_to(wiki, [page])[page.id]
    if not uses:
        return Backlinks(0, 0, (), None)
    values = {**columns(uses, visible), "page": page.id}
    number, places = connection.execute(BACKLINK_COUNT, values).one()
    found: list[Cursor] = []
    for elsewhere in (False, True):
        if elsewhere < after.elsewhere or len(found) > most:
            continue
        volumes = [each for each in visible if (each != page.volume) == elsewhere]
        start = after.page if elsewhere == after.elsewhere else 0
        more = {"page": page.id, "after": start, "most": most + 1 - len(found)}
        ids = connection.execute(BACKLINK_PAGES, {**columns(uses, volumes), **more}).scalars()
        found += [Cursor(elsewhere, id_) for id_ in ids]
    leads = frozenset((use.name, use.kind) for use in uses)
    entries = _with_sentences(connection, [each.page for each in found[:most]], leads, sentences)
    return Backlinks(number, places, entries, found[most - 1] if len(found) > most else None)


def _with_sentences(
    connection: Connection, ids: Sequence[int], leading: frozenset[tuple[int, int]], most: int
) -> tuple[Backlink, ...]:
    rows = {row[0]: row for row in connection.execute(RANGES, {"pages": ids})}
    places = {
        id_: [
            (n, s, e)
            for n, (s, e, name, flag) in enumerate(zip(*row[5:], strict=True))
            if (name, flag & Flag.INSERT) in leading
        ]
        for id_, row in rows.items()
    }
    wanted = [(id_, *place) for id_ in ids if id_ in rows for place in places[id_][:most]]
    values = dict(
        zip(("pages", "nths", "starts", "stops"), map(list, zip(*wanted, strict=True)), strict=False)
    )
    windows = (
        {
            (row.page, row.nth): row.words
            for row in connection.execute(WINDOWS, {**values, "reach": REACH}).all()
        }
        if wanted
        else {}
    )
    found: list[Backlink] = []
    for id_ in ids:
        if id_ not in rows:
            continue
        sentences = []
        for nth, start, end in places[id_][:most]:
            lead = min(start, REACH)
            window = windows.get((id_, nth), "")
            sentences.append(Sentence(nth, excerpt(window, Span(lead, lead + end - start))))
        found.append(Backlink(PageHead(*rows[id_][:5]), len(places[id_]), tuple(sentences)))
    return tuple(found)
