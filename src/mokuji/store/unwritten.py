"""Names that are referred to and have no page, and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import Connection, text

from mokuji.core import names
from mokuji.core.wiki import PageHead, Place, Volume
from mokuji.store.backlinks import BACKLINK_PAGES
from mokuji.store.snapshot import StoredWiki


def led_from(
    connection: Connection, place: Place, visible: Collection[int], most: int = 20
) -> list[PageHead]:
    """The pages that refer to a name, whether or not there is a page of it."""
    meaning = list(StoredWiki(connection).meaning(place))
    if not meaning:
        return []
    values = {"names": meaning, "page": 0, "volumes": list(visible), "after": 0, "most": most}
    ids = connection.execute(BACKLINK_PAGES, values).scalars().all()
    rows = connection.execute(
        text("SELECT id, volume, key, title, revision FROM page WHERE id = ANY(:ids) ORDER BY id"),
        {"ids": list(ids)},
    )
    return [PageHead(*row) for row in rows]


def typed_title(connection: Connection, place: Place, led_from: Sequence[PageHead]) -> str:
    """An unwritten name as the first page that refers to it types it; empty if none does."""
    wiki = StoredWiki(connection)
    wiki.meaning(place)
    for head in led_from[:1]:
        page = wiki.pages([head.id])[head.id]
        for use in page.uses({place[1]}):
            reference = use.reference
            here = reference.name is not None and reference.name.key == place[1]
            return names.unescape((reference.name_span if here else reference.title_span).of(page.text))
    return ""


UNWRITTEN = text(
    """SELECT count(DISTINCT n.key) FROM name n WHERE n.home = :volume AND NOT n.absolute
    AND (n.vkey IS NULL OR NOT n.vkey = ANY(:volume_keys))
    AND EXISTS (SELECT 1 FROM page_name pn WHERE pn.name = n.id)
    AND NOT EXISTS (SELECT 1 FROM page p WHERE p.volume = n.home AND p.key = n.key)
    AND NOT EXISTS (SELECT 1 FROM alias a WHERE a.volume = n.home AND a.key = n.key)"""
)


def unwritten_count(connection: Connection, volume: Volume, volumes: Mapping[str, Volume]) -> int:
    """How many names the pages of a volume refer to in it that have no page."""
    values = {"volume": volume.id, "volume_keys": list(volumes)}
    return int(connection.execute(UNWRITTEN, values).scalar_one())
