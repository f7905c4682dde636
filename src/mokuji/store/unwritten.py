"""Names that are referred to and have no page, and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sqlalchemy import Connection, text

from mokuji.core import names
from mokuji.core.wiki import PageHead, Place
from mokuji.store.backlinks import BACKLINK_PAGES
from mokuji.store.leading import asking_for, columns
from mokuji.store.snapshot import StoredWiki


def led_from(
    connection: Connection, place: Place, visible: Collection[int], most: int = 20
) -> list[PageHead]:
    """The pages that refer to a name that has no page."""
    asking = asking_for(StoredWiki(connection), place)
    if not asking:
        return []
    values = {**columns(asking, visible), "page": 0, "after": 0, "most": most}
    ids = connection.execute(BACKLINK_PAGES, values).scalars().all()
    rows = connection.execute(
        text("SELECT id, volume, key, title, revision FROM page WHERE id = ANY(:ids) ORDER BY id"),
        {"ids": list(ids)},
    )
    return [PageHead(*row) for row in rows]


def typed_title(connection: Connection, place: Place, led_from: Sequence[PageHead]) -> str:
    """An unwritten name as the first page that refers to it types it; empty if none does."""
    wiki = StoredWiki(connection)
    wiki.meaning([place])
    for head in led_from[:1]:
        page = wiki.pages([head.id])[head.id]
        for use in page.uses({place[1]}):
            reference = use.reference
            here = reference.name is not None and reference.name.key == place[1]
            return names.unescape((reference.name_span if here else reference.title_span).of(page.text))
    return ""
