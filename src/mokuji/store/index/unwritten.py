"""Names that are referred to, or have a place in the contents, and no page; and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import text

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place
from mokuji.store.index.backlinks import BACKLINK_PAGES
from mokuji.store.index.name_uses import asking_for, columns
from mokuji.store.index.search import like
from mokuji.store.index.upkeep import WANTED
from mokuji.store.snapshot import StoredWiki


def led_from(wiki: StoredWiki, place: Place, most: int = 20) -> list[PageHead]:
    """The pages of a wiki, as a reader may see it, that refer to a name that has no page there."""
    asking = asking_for(wiki, place)
    if not asking:
        return []
    visible = [volume.id for volume in wiki.volumes.values()]
    values = {**columns(asking, visible), "page": 0, "after": 0, "most": most}
    ids = wiki.connection.execute(BACKLINK_PAGES, values).scalars().all()
    return sorted(wiki.heads(ids), key=lambda head: head.id)


def typed_title(wiki: StoredWiki, place: Place, led_from: Sequence[PageHead]) -> str:
    """An unwritten name as the first page that refers to it types it; empty if none does."""
    wiki.meaning([place])
    for head in led_from[:1]:
        page = wiki.pages([head.id])[head.id]
        for use in page.uses({place[1]}):
            reference = use.reference
            here = reference.name is not None and reference.name.key == place[1]
            return names.unescape((reference.name_span if here else reference.title_span).of(page.text))
    return ""


@dataclass(frozen=True, slots=True)
class Wanted:
    """A name without a page: its title, by how many pages it is asked for, whether it has a place in the contents."""

    key: str
    title: str
    pages: int
    placed: bool


# As text: names are ranked by which of four conditions they meet.
WANTED_LIKE = text(
    f"""SELECT w.key, sum(w.pages)::int AS pages, max(w.title) AS title FROM (
        SELECT key, pages, NULL AS title FROM {WANTED} a WHERE key LIKE :part
        UNION ALL SELECT c.key, 0, c.title FROM contents c WHERE c.volume = :volume AND c.key LIKE :part
            AND NOT EXISTS (SELECT 1 FROM page p WHERE p.volume = c.volume AND p.key = c.key COLLATE "C")) w
    WHERE w.key NOT LIKE '/%'
    GROUP BY w.key ORDER BY w.key = :key DESC, w.key LIKE :start DESC, w.key LIKE :word DESC, length(w.key), w.key
    LIMIT :most"""  # noqa: S608
)


def wanted_like(wiki: StoredWiki, volume: int, key: str, visible: Collection[int], most: int) -> list[Wanted]:
    """The names of a volume without a page that hold a part, as a reader of the ``visible`` volumes knows them."""
    values = {**like(key), "volume": volume, "visible": list(visible), "most": most}
    found: list[Wanted] = []
    for row in wiki.connection.execute(WANTED_LIKE, values).all():
        title = row.title or typed_title(wiki, (volume, row.key), led_from(wiki, (volume, row.key), 1))
        found.append(Wanted(row.key, title or row.key, row.pages, row.title is not None))
    return found
