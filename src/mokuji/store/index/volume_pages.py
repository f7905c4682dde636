"""The pages of a volume and their names, as reports ask for them: some at a time, all of them, or a sample."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

from sqlalchemy import Connection, any_, func, or_, select
from sqlalchemy.dialects.postgresql import distinct_on

from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.language.indexed_page import Flag
from mokuji.core.language.page import PageHead
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import fixed, texts, value
from mokuji.store.tables import alias, held, page, page_name, page_refs, revision, volume_size


class Holding(StrEnum):
    """What pages must hold to be asked for."""

    ANYTHING = "anything"
    SECTIONS = "sections"
    """A reference to a section."""
    LINKS = "links"
    """What may be a link to an address of this wiki: a path, or one that is like one of ``origins``."""
    FILES = "files"
    """The name of a file."""
    INSERTS = "inserts"


_in_volume = (page.c.volume == value("volume"),)
_flags = func.unnest(page_refs.c.flags).table_valued("flag", joins_implicitly=True).render_derived("f")
_newest = (revision.c.page == page.c.id, revision.c.number == page.c.revision)
_destinations = (
    revision.c.text.like(any_(texts("origins"))),
    *map(revision.c.text.like, ("%](/%", "%](</%")),
)
_held = {
    Holding.SECTIONS: select(fixed(1)).where(
        page_refs.c.page == page.c.id, _flags.c.flag.op("&")(fixed(Flag.SECTION)) != fixed(0)
    ),
    Holding.LINKS: select(fixed(1)).where(*_newest, or_(*_destinations)),
    Holding.FILES: select(fixed(1)).where(held.c.page == page.c.id, held.c.kind == fixed(AssetKind.FILE)),
    Holding.INSERTS: select(fixed(1)).where(page_name.c.page == page.c.id, page_name.c.kind == fixed(1)),
}
# OFFSET 0 keeps it a look-up for each page, by key, until there are enough.
_holding = {holding: [looked_for.offset(fixed(0)).exists()] for holding, looked_for in _held.items()}
PAGE_IDS = {
    holding: select(page.c.id)
    .where(*_in_volume, page.c.key >= value("start"), *_holding.get(holding, ()))
    .order_by(page.c.key)
    .limit(value("most"))
    for holding in Holding
}
NUMBER = select(volume_size.c.pages).where(volume_size.c.volume == value("volume"))
HEADS = select(*HEAD_COLUMNS).where(*_in_volume).order_by(page.c.key)
ALIAS_NAMES = (
    select(alias.c.page, alias.c.key, alias.c.name)
    .ext(distinct_on(alias.c.key))
    .join(page, page.c.id == alias.c.page)
    .where(alias.c.volume == value("volume"))
    .order_by(alias.c.key, page.c.key)
)
SAMPLE = select(page.c.id).where(*_in_volume).order_by(func.hashint8(page.c.id)).limit(value("most"))


def page_ids(
    connection: Connection,
    volume: int,
    start: str,
    most: int,
    holding: Holding = Holding.ANYTHING,
    values: Mapping[str, object] | None = None,
) -> list[int]:
    """The pages of a volume from a key on that hold something, by key."""
    rows = connection.execute(
        PAGE_IDS[holding], {"volume": volume, "start": start, "most": most, **(values or {})}
    )
    return list(rows.scalars())


def number_of_pages(connection: Connection, volume: int) -> int:
    """How many pages a volume has, as it was when upkeep last looked."""
    return connection.execute(NUMBER, {"volume": volume}).scalar() or 0


def heads(connection: Connection, volume: int) -> list[PageHead]:
    """All pages of a volume, by key."""
    return [PageHead(*row) for row in connection.execute(HEADS, {"volume": volume})]


def alias_names(connection: Connection, volume: int) -> list[tuple[int, str, str]]:
    """The aliases in a volume: page, key, and name as typed; of equal ones the page that comes first by key."""
    return [(id_, key, name) for id_, key, name in connection.execute(ALIAS_NAMES, {"volume": volume})]


def page_names(connection: Connection, volume: int) -> dict[str, int]:
    """The names of a volume's pages, key to page; a title counts before an alias."""
    found = {key: page for page, key, _ in alias_names(connection, volume)}
    return found | {head.key: head.id for head in heads(connection, volume)}


def sample(connection: Connection, volume: int, most: int) -> list[int]:
    """Some pages of a volume, spread over all of them, the same ones each time."""
    return list(connection.execute(SAMPLE, {"volume": volume, "most": most}).scalars())
