"""Who leads to a page, each with its sentence; paged by key.

``visible`` are the volumes that the actor may read: what lies elsewhere is
neither shown nor counted. Each query has its index (tested with EXPLAIN).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import Row, text

from mokuji.core.base.spans import Span
from mokuji.core.language.excerpt import REACH, Excerpt, excerpt
from mokuji.core.language.page import PageHead
from mokuji.store.index.name_uses import leading_to
from mokuji.store.snapshot import StoredWiki

# As text: of each name only so many pages are read as are shown.
LED_FROM = text(
    """SELECT DISTINCT n.nth, x.page
    FROM unnest(CAST(:nths AS int[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[])) AS n(nth, name, kind),
    LATERAL (SELECT pn.page FROM page_name pn WHERE pn.name = n.name AND pn.kind = n.kind
        ORDER BY pn.page LIMIT :most) x ORDER BY n.nth, x.page"""
)
# As text, for the same reason; how many there are in all is asked along with it, and each page's own arrays are joined
# for what is said there: of its text no more than what stands around a place is read.
BACKLINKS = text(
    """WITH counted AS (
        SELECT count(DISTINCT pn.page) AS pages, coalesce(sum(pn.count), 0) AS places
        FROM unnest(CAST(:names AS bigint[]), CAST(:kinds AS smallint[])) AS n(name, kind)
        JOIN page_name pn ON pn.name = n.name AND pn.kind = n.kind AND pn.page <> :page),
    found AS (
        SELECT DISTINCT n.elsewhere, x.page
        FROM unnest(CAST(:names AS bigint[]), CAST(:kinds AS smallint[]), CAST(:elsewhere AS int[]),
            CAST(:afters AS bigint[])) AS n(name, kind, elsewhere, after),
        LATERAL (SELECT pn.page FROM page_name pn
            WHERE pn.name = n.name AND pn.kind = n.kind AND pn.page > n.after AND pn.page <> :page
            ORDER BY pn.page LIMIT :most) x
        ORDER BY n.elsewhere, x.page LIMIT :most)
    SELECT c.pages, c.places, f.elsewhere, f.page, s.*
    FROM counted c LEFT JOIN found f ON true LEFT JOIN LATERAL (
        SELECT p.id, p.volume, p.key, p.title, p.revision, u.here, u.nth, u.start, u.stop,
            substr(r.text, greatest(u.start - :reach, 0) + 1, u.stop - greatest(u.start - :reach, 0) + :reach) AS words
        FROM page p JOIN page_refs x ON x.page = p.id JOIN revision r ON r.page = p.id AND r.number = p.revision,
        LATERAL (SELECT u.nth, u.start, u.stop, count(*) OVER () AS here
            FROM unnest(x.starts, x.ends, x.names, x.flags) WITH ORDINALITY AS u(start, stop, name, flag, nth)
            JOIN unnest(CAST(:names AS bigint[]), CAST(:kinds AS smallint[])) AS n(name, kind)
                ON n.name = u.name AND n.kind = u.flag & 1
            ORDER BY u.nth LIMIT :sentences) u
        WHERE p.id = f.page) s ON true
    ORDER BY f.elsewhere, f.page, s.nth"""
)
LAST = 2**62
"""Behind every page."""


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
    aliases: Collection[str] | None = None,
    after: Cursor = START,
    most: int = 8,
    sentences: int = 3,
) -> Backlinks:
    """The pages that lead to one, from a place in the list on, each with its first sentences. ``wiki`` is the whole
    one; ``aliases`` are the keys of the page's other names, where these are known."""
    every = leading_to(wiki, [page], aliases={page.id: aliases} if aliases is not None else None)[page.id]
    uses = sorted(use for use in every if use.home in visible)
    if not uses:
        return Backlinks(0, 0, (), None)
    elsewhere = [use.home != page.volume for use in uses]
    rows = wiki.connection.execute(
        BACKLINKS,
        {
            "names": [use.name for use in uses],
            "kinds": [use.kind for use in uses],
            "page": page.id,
            "elsewhere": list(map(int, elsewhere)),
            "afters": [
                after.page if each == after.elsewhere else (0 if each > after.elsewhere else LAST)
                for each in elsewhere
            ],
            "most": most + 1,
            "sentences": sentences,
            "reach": REACH,
        },
    ).all()
    found = list(dict.fromkeys(Cursor(bool(row.elsewhere), row.page) for row in rows if row.page is not None))
    entries = _with_sentences(rows, [each.page for each in found[:most]])
    return Backlinks(rows[0].pages, rows[0].places, entries, found[most - 1] if len(found) > most else None)


def _with_sentences(rows: Sequence[Row[Any]], ids: Sequence[int]) -> tuple[Backlink, ...]:
    heads: dict[int, tuple[PageHead, int]] = {}
    sentences: dict[int, list[Sentence]] = {}
    for row in rows:
        if row.id is None:
            continue
        heads[row.id] = PageHead(row.id, row.volume, row.key, row.title, row.revision), row.here
        lead = min(row.start, REACH)
        said = excerpt(row.words, Span(lead, lead + row.stop - row.start))
        sentences.setdefault(row.id, []).append(Sentence(row.nth - 1, said))
    return tuple(Backlink(*heads[id_], tuple(sentences[id_])) for id_ in ids if id_ in heads)
