"""Names that are referred to and have no page, and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import Connection, text

from mokuji.core import names
from mokuji.core.wiki import PageHead, Place, Volume
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


# Typed in the volume itself, without a volume before it or with one that is none;
# or anywhere with this volume before it, where no page has the whole as its name.
# OFFSET 0 keeps a condition a look-up of its own: joined, it would read all uses of all names.
UNWRITTEN = text(
    """SELECT count(*) FROM (
        SELECT n.key FROM name n WHERE n.home = :volume AND NOT n.absolute
            AND (n.vkey IS NULL OR NOT n.vkey = ANY(:volume_keys))
            AND NOT EXISTS (SELECT 1 FROM page p WHERE p.volume = n.home AND p.key = n.key)
            AND NOT EXISTS (SELECT 1 FROM alias a WHERE a.volume = n.home AND a.key = n.key)
            AND EXISTS (SELECT 1 FROM page_name pn WHERE pn.name = n.id
                AND NOT EXISTS (SELECT 1 FROM page p
                    WHERE pn.kind = 1 AND p.volume = ANY(:libraries) AND p.key = n.key OFFSET 0)
                AND NOT EXISTS (SELECT 1 FROM alias a
                    WHERE pn.kind = 1 AND a.volume = ANY(:libraries) AND a.key = n.key OFFSET 0) OFFSET 0)
        UNION SELECT n.tkey FROM name n WHERE n.vkey = :volume_key COLLATE "C" AND n.vkey IS NOT NULL
            AND NOT EXISTS (SELECT 1 FROM page p WHERE p.volume = :volume AND p.key = n.tkey)
            AND NOT EXISTS (SELECT 1 FROM alias a WHERE a.volume = :volume AND a.key = n.tkey)
            AND NOT EXISTS (SELECT 1 FROM page p WHERE NOT n.absolute AND p.volume = n.home AND p.key = n.key)
            AND NOT EXISTS (SELECT 1 FROM alias a WHERE NOT n.absolute AND a.volume = n.home AND a.key = n.key)
            AND EXISTS (SELECT 1 FROM page_name pn JOIN page u ON u.id = pn.page
                WHERE pn.name = n.id AND u.volume = ANY(:visible) OFFSET 0)) names"""
)


def unwritten_count(
    connection: Connection, volume: Volume, volumes: Mapping[str, Volume], visible: Collection[int]
) -> int:
    """How many names of a volume are referred to (by pages of the visible volumes) and have no page.

    ``volumes`` are all there are: a slash behind the name of a closed one is a volume, too.
    """
    values = {
        "volume": volume.id,
        "volume_key": volume.key,
        "volume_keys": list(volumes),
        "libraries": list(volume.libraries),
        "visible": list(visible),
    }
    return int(connection.execute(UNWRITTEN, values).scalar_one())
