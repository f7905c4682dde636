"""Where a page is put in: every insert that leads to it, as it is typed."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import func, select, text

from mokuji.core.language.page import PageHead
from mokuji.store.index.name_uses import NameUse, leading_to
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import among, array, fixed, value
from mokuji.store.tables import page_name

MOST = 20_000
"""Maximum number of uses that are looked at."""

_INSERTED = (among(page_name.c.name, "names"), page_name.c.kind == fixed(1))
USING = select(page_name.c.page).where(*_INSERTED).distinct().order_by(page_name.c.page).limit(value("most"))
COUNT = select(func.coalesce(func.sum(page_name.c.count), 0), func.count(page_name.c.page.distinct())).where(
    *_INSERTED
)
# As text: a join with each page's own arrays, side by side and counted.
TYPED = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision, u.nth, substr(r.text, u.start + 1, u.stop - u.start) AS typed,
        u.start
    FROM page p JOIN page_refs x ON x.page = p.id
    JOIN revision r ON r.page = p.id AND r.number = p.revision,
    LATERAL unnest(x.starts, x.ends, x.names, x.flags) WITH ORDINALITY AS u(start, stop, name, flag, nth)
    WHERE p.id = ANY(CAST(:pages AS bigint[])) AND u.name = ANY(CAST(:names AS bigint[])) AND u.flag & 1 = 1
    ORDER BY p.volume, p.key, u.nth LIMIT :most"""
)


@dataclass(frozen=True, slots=True)
class StoredUse:
    """An insert of a page: where it is typed, its index among the references there, and its own characters."""

    page: PageHead
    index: int
    start: int
    typed: str


def _names(wiki: StoredWiki, page: PageHead, visible: Collection[int]) -> list[int]:
    leading: Sequence[NameUse] = leading_to(wiki, [page])[page.id]
    return [use.name for use in leading if use.kind == 1 and use.home in visible]


def count(wiki: StoredWiki, page: PageHead, visible: Collection[int]) -> tuple[int, int]:
    """In how many places, on how many pages of these volumes, a page is put in."""
    places, pages = wiki.connection.execute(COUNT, {"names": _names(wiki, page, visible)}).one()
    return places, pages


def uses(wiki: StoredWiki, page: PageHead, visible: Collection[int], most: int = MOST) -> Sequence[StoredUse]:
    """The inserts on pages of these volumes that lead to a page, in the order of volume, key and place. ``wiki`` is
    the whole one; with ``most`` those of some pages only."""
    names = _names(wiki, page, visible)
    if not names:
        return []
    pages = wiki.connection.execute(USING, {"names": names, "most": most}).scalars().all()
    rows = wiki.connection.execute(TYPED, {"pages": array(pages), "names": array(names), "most": most}).all()
    return [StoredUse(PageHead(*row[:5]), row.nth - 1, row.start, row.typed) for row in rows]
