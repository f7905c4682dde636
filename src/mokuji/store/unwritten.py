"""Names that are referred to and have no page, and who refers to them."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import text

from mokuji.core import names
from mokuji.core.wiki import PageHead, Place
from mokuji.store.backlinks import BACKLINK_PAGES
from mokuji.store.leading import asking_for, columns
from mokuji.store.snapshot import StoredWiki


def led_from(wiki: StoredWiki, place: Place, most: int = 20) -> list[PageHead]:
    """The pages of a wiki, as a reader may see it, that refer to a name that has no page there."""
    asking = asking_for(wiki, place)
    if not asking:
        return []
    visible = [volume.id for volume in wiki.volumes.values()]
    values = {**columns(asking, visible), "page": 0, "after": 0, "most": most}
    ids = wiki.connection.execute(BACKLINK_PAGES, values).scalars().all()
    rows = wiki.connection.execute(
        text("SELECT id, volume, key, title, revision FROM page WHERE id = ANY(:ids) ORDER BY id"),
        {"ids": list(ids)},
    ).all()
    return [PageHead(*row) for row in rows]


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
