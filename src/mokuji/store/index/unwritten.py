"""Names that are referred to, or have a place in the contents, and no page; and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import BigInteger, cast, func, null, select, union_all

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place
from mokuji.store.index.backlinks import LED_FROM
from mokuji.store.index.name_uses import asking_for, columns
from mokuji.store.index.search import like
from mokuji.store.index.to_mend import WANTED
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import fixed, value
from mokuji.store.tables import contents, page


def led_from(wiki: StoredWiki, place: Place, most: int = 20) -> list[PageHead]:
    """The pages of a wiki, as a reader may see it, that refer to a name that has no page there."""
    asking = asking_for(wiki, place)
    if not asking:
        return []
    visible = [volume.id for volume in wiki.volumes.values()]
    values = {**columns(asking, visible), "most": most}
    ids = wiki.connection.execute(LED_FROM, values).scalars().all()
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


_asked = select(WANTED.c.key, WANTED.c.pages, null().label("title")).where(WANTED.c.key.like(value("part")))
_written = select(fixed(1)).where(page.c.volume == contents.c.volume, page.c.key == contents.c.key)
_placed = select(contents.c.key, fixed(0), contents.c.title).where(
    contents.c.volume == value("volume"), contents.c.key.like(value("part")), ~_written.exists()
)
_either = union_all(_asked, _placed).subquery("w")
_key = _either.c.key
WANTED_LIKE = (
    select(_key, cast(func.sum(_either.c.pages), BigInteger), func.max(_either.c.title))
    .where(_key.not_like("/%"))
    .group_by(_key)
    .order_by(
        (_key == value("key")).desc(),
        _key.like(value("start")).desc(),
        _key.like(value("word")).desc(),
        func.length(_key),
        _key,
    )
    .limit(value("most"))
)


def wanted_like(wiki: StoredWiki, volume: int, key: str, visible: Collection[int], most: int) -> list[Wanted]:
    """The names of a volume without a page that hold a part, as a reader of the ``visible`` volumes knows them."""
    values = {**like(key), "volume": volume, "visible": visible, "most": most}
    found: list[Wanted] = []
    for wanted, pages, title in wiki.connection.execute(WANTED_LIKE, values).all():
        typed = title or typed_title(wiki, (volume, wanted), led_from(wiki, (volume, wanted), 1))
        found.append(Wanted(wanted, typed or wanted, pages, title is not None))
    return found
