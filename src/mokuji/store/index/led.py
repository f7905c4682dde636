"""How many other pages lead to a page: counted for pages that a write touched, and kept (``upkeep``)."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import text

from mokuji.core.language.page import PageHead
from mokuji.store.index.name_uses import leading_to
from mokuji.store.snapshot import StoredWiki

COUNTED = 100
"""Up to so many pages of a volume are counted: a number beside an entry is for the eye."""

# As text: of each name no more pages are read than are counted.
COUNT = text(
    """SELECT w.target, w.home, least(count(DISTINCT x.page), :most) AS pages
    FROM unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[]),
        CAST(:homes AS int[])) AS w(target, name, kind, home),
    LATERAL (SELECT pn.page FROM page_name pn
        WHERE pn.name = w.name AND pn.kind = w.kind AND pn.page <> w.target LIMIT :most) x
    GROUP BY w.target, w.home"""
)


def count(wiki: StoredWiki, heads: Sequence[PageHead]) -> dict[int, dict[int, int]]:
    """How many other pages lead to each of some pages, by the volume in which they stand (none for those that none
    leads to). Exact below ``COUNTED``, which says that there are at least so many."""
    counts: dict[int, dict[int, int]] = {head.id: {} for head in heads}
    uses = [(target, use) for target, each in leading_to(wiki, heads).items() for use in each]
    if uses:
        values = {
            "targets": [target for target, _ in uses],
            "names": [use.name for _, use in uses],
            "kinds": [use.kind for _, use in uses],
            "homes": [use.home for _, use in uses],
            "most": COUNTED,
        }
        for target, home, pages in wiki.connection.execute(COUNT, values):
            counts[target][home] = pages
    return counts
