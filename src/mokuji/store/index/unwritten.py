"""Names that are referred to, or have a place in the contents, and no page; and who refers to them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import BigInteger, cast, func, null, select, union_all

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place
from mokuji.store.index.backlinks import LED_FROM
from mokuji.store.index.name_uses import asking_for
from mokuji.store.index.search import like
from mokuji.store.index.to_mend import WANTED
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import fixed, value
from mokuji.store.tables import contents, page


def led_from(wiki: StoredWiki, place: Place, most: int = 20) -> list[PageHead]:
    """The pages of a wiki, as a reader may see it, that refer to a name that has no page there."""
    return led_from_each(wiki, [place], most)[place]


def led_from_each(wiki: StoredWiki, places: Collection[Place], most: int = 20) -> dict[Place, list[PageHead]]:
    """The same of several names, at most so many pages for each, by their ids."""
    visible = {volume.id for volume in wiki.volumes.values()}
    asking = asking_for(wiki, places)
    ordered = list(asking)
    uses = sorted(
        (nth, use) for nth, place in enumerate(ordered) for use in asking[place] if use.home in visible
    )
    found: dict[Place, list[int]] = {place: [] for place in ordered}
    values = {
        "nths": [nth for nth, _ in uses],
        "names": [use.name for _, use in uses],
        "kinds": [use.kind for _, use in uses],
        "most": most,
    }
    for nth, id_ in wiki.connection.execute(LED_FROM, values) if uses else ():
        if len(found[ordered[nth]]) < most:
            found[ordered[nth]].append(id_)
    ids = {id_ for each in found.values() for id_ in each}
    heads = {head.id: head for head in wiki.heads(ids)} if ids else {}
    return {place: [heads[id_] for id_ in each if id_ in heads] for place, each in found.items()}


def typed_title(wiki: StoredWiki, place: Place, led_from: Sequence[PageHead]) -> str:
    """An unwritten name as the first page that refers to it types it; empty if none does."""
    return typed_titles(wiki, {place: led_from})[place]


def typed_titles(wiki: StoredWiki, led_from: Mapping[Place, Sequence[PageHead]]) -> dict[Place, str]:
    """The same of several names, with the pages that refer to each."""
    first = {place: heads[0].id for place, heads in led_from.items() if heads}
    if first:
        wiki.meaning(first)
    pages = wiki.pages(set(first.values())) if first else {}
    found = dict.fromkeys(led_from, "")
    for place, id_ in first.items():
        page = pages[id_]
        for use in page.uses({place[1]}):
            reference = use.reference
            here = reference.name is not None and reference.name.key == place[1]
            typed = reference.name_span if here else reference.title_span
            found[place] = names.unescape(typed.of(page.text))
            break
    return found


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
    rows = wiki.connection.execute(WANTED_LIKE, values).all()
    untitled = [(volume, wanted) for wanted, _, title in rows if not title]
    typed = typed_titles(wiki, led_from_each(wiki, untitled, 1)) if untitled else {}
    return [
        Wanted(wanted, title or typed[volume, wanted] or wanted, pages, title is not None)
        for wanted, pages, title in rows
    ]
