"""Feeds: the newest changes of a page, a branch, a category, a volume, or of what answers a question, for whoever asks.

A feed of one's own is asked for by an address that nobody can guess, so that programs can look at it; it tells what its
person may read at that moment.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.telling.watching import State, Why
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.looking_back.history import LoggedAct, known_volumes
from mokuji.services.people import in_person
from mokuji.services.reading import questions, searching
from mokuji.services.reading.categories import ids_under
from mokuji.services.signing import signed, unsigned
from mokuji.services.telling import inbox
from mokuji.services.telling.inbox import Entry
from mokuji.services.telling.watching import Wanted
from mokuji.store import people
from mokuji.store.database import reading
from mokuji.store.log import filtered, history
from mokuji.store.log.filtered import LOOKED, Filter
from mokuji.store.places import placing
from mokuji.store.telling import entries, letters
from mokuji.store.telling.entries import Told

MOST = 50
"""Number of changes of a feed."""


@dataclass(frozen=True, slots=True)
class Feed:
    """The newest changes of something; ``volume`` is None for a question that asks all, ``name`` is the page's title,
    the category's or the question's name."""

    wanted: Wanted
    volume: Volume | None
    name: str
    entries: tuple[Entry, ...]


def feed(app: AppContext, actor: Actor, wanted: Wanted) -> Feed:
    """The newest changes, as the actor may read them; Missing if what they are asked of is not there, or closed."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume, name, pages = _pages(context, wanted)
        known = known_volumes(connection, actor)
        within = [volume.id] if volume is not None else list(context.reads)
        if pages is not None and not pages:
            return Feed(wanted, volume, name, ())
        look = Filter(
            within if pages is None else list(known), pages=sorted(pages) if pages is not None else None
        )
        acts, _ = filtered.found(connection, look, before=2**62, most=MOST, looked=LOOKED)
        wrote = _wrote(context, acts, volume, pages)
        rows: list[Told] = []
        for act in acts:
            own = wrote.get(act.id, [])
            if not own and act.page is not None and (pages is None or act.page in pages):
                own = [act.page]
            if own or pages is None:
                home = act.volume if not own else None
                rows.append(Told(act.id, act.id, None, act.at, own, home, Why.VOLUME, None, State.UNREAD))
        return Feed(wanted, volume, name, tuple(inbox.told(context, rows)))


def _wrote(
    context: ReadContext, acts: Sequence[LoggedAct], volume: Volume | None, pages: Collection[int] | None
) -> dict[int, list[int]]:
    """The pages that each of some acts wrote, of those that are asked for, or of the volume."""
    found: dict[int, list[int]] = {}
    if pages is not None:
        numbers = filtered.numbers_of(context.connection, [act.id for act in acts], sorted(pages))
        for act, page in sorted(numbers):
            found.setdefault(act, []).append(page)
        return found
    within = [volume.id] if volume is not None else list(context.reads)
    for each in acts:
        touched = history.touched(context.connection, each.id, within, entries.PAGES)
        found[each.id] = [one.page for one in touched]
    return found


def _pages(context: ReadContext, wanted: Wanted) -> tuple[Volume | None, str, set[int] | None]:
    """The volume that is asked, what is asked of it, and the pages; None: all."""
    connection = context.connection
    if wanted.kind == "question":
        kept = questions.one_seen(context, wanted.question)
        if kept is None:
            raise Missing("There is no such question, or it is not shared with you.", code="question_missing")
        by_id = {volume.id: volume for volume in context.volumes.values()}
        asked = by_id.get(kept.volume) if kept.volume is not None else None
        return asked, kept.name, set(searching.answering(context, asked, kept.line))
    volume = context.volume(wanted.volume)
    if wanted.kind == "volume":
        return volume, "", None
    if wanted.kind == "category":
        found = ids_under(context, volume, names.key(wanted.name))
        if not found:
            raise Missing(
                f"Nothing in “{volume.title}” is filed under “{wanted.name}”.", code="category_missing"
            )
        return volume, wanted.name, found
    head = need_head(connection, volume, wanted.name)
    if wanted.kind == "page":
        return volume, head.title, {head.id}
    rows = placing.branch(connection, volume.id, head.key)
    places = [(volume.id, row.key) for row in rows]
    return volume, head.title, {head.id, *(each.id for each in context.wiki.titles(places).values())}


def own_word(app: AppContext, actor: Actor) -> str:
    """What stands in the addresses of somebody's own feeds."""
    reader = in_person(actor)
    with reading(app.engine) as connection:
        serial = letters.ways(connection, reader).serial
    return signed(app, "feed", f"{reader}-{serial}")


def whose(app: AppContext, word: str) -> Actor:
    """Whose feeds an address is of; Missing if it is nobody's, or was renewed."""
    said = unsigned(app, "feed", word)
    if said is not None:
        reader, _, serial = said.partition("-")
        with reading(app.engine) as connection:
            here = people.is_here(connection, int(reader))
            if here and letters.ways(connection, int(reader)).serial == int(serial):
                return people.actor_by_id(connection, int(reader))
    raise Missing("There is no such feed. Its address may have been renewed.", code="feed_missing")
