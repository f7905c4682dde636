"""What people ask to be told of: pages, branches, categories, questions, volumes; and the pages that they mute."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from mokuji.core.base import names
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.telling.watching import Watching
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.services.reading import questions
from mokuji.services.reading.categories import categories_in
from mokuji.store.database import reading, writing
from mokuji.store.telling import letters, watches
from mokuji.store.telling.watches import MOST, Watch

Kind = Literal["page", "branch", "category", "question", "volume"]
KINDS: dict[Kind, Watching] = {
    "page": Watching.PAGE,
    "branch": Watching.BRANCH,
    "category": Watching.CATEGORY,
    "question": Watching.QUESTION,
    "volume": Watching.VOLUME,
}
NAMES = {value: name for name, value in KINDS.items()}


@dataclass(frozen=True, slots=True)
class Wanted:
    """What somebody asks to be told of: a volume, and in it a page or a category by their names; or a kept question by
    its number."""

    kind: Kind
    volume: str = ""
    name: str = ""
    question: int = 0


@dataclass(frozen=True, slots=True)
class Watched:
    """Something that somebody is told of, as they may read it now. ``page`` is where it is now, ``name`` that of a
    category or a question, ``line`` what the question asks; ``volume`` is None for a question that asks all."""

    id: int
    kind: Kind
    volume: Volume | None
    page: PageHead | None = None
    name: str = ""
    line: str = ""
    question: int = 0


@dataclass(frozen=True, slots=True)
class AskedFor:
    """All that somebody is told of, the pages that they muted, and whether they are told of pages that they wrote.
    ``hidden`` is how much of it they may not read at the moment, or is not there."""

    watched: tuple[Watched, ...]
    muted: tuple[tuple[Volume, PageHead], ...]
    own: bool
    hidden: int
    volumes: tuple[Volume, ...]
    """Those that may be read."""


def needed(actor: Actor) -> int:
    """Who asks, as a person; Forbidden for nobody."""
    if actor.person is None:
        raise Forbidden("Sign in to be told of changes.", code="sign_in")
    return actor.person


def asked_for(app: AppContext, actor: Actor) -> AskedFor:
    """What somebody asked to be told of."""
    reader = needed(actor)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        muted = watches.muted_of(connection, reader)
        heads = {head.id: head for head in context.wiki.heads(muted)}
        by_id = {volume.id: volume for volume in context.volumes.values()}
        listed = of_reader(context)
        quiet = [
            (by_id[head.volume], head) for id_ in muted if (head := heads.get(id_)) and head.volume in by_id
        ]
        return AskedFor(
            tuple(listed.values()),
            tuple(quiet),
            letters.ways(connection, reader).own,
            watches.number_of(connection, reader) - len(listed),
            tuple(context.volumes.values()),
        )


def of_reader(context: ReadContext) -> dict[int, Watched]:
    """What the reader of a transaction asked to be told of, as far as they may read it, by its number."""
    found = watches.of_person(context.connection, needed(context.actor))
    about = {each.page for each in found if each.page is not None}
    heads = {head.id: head for head in context.wiki.heads(about)}
    by_id = {volume.id: volume for volume in context.volumes.values()}
    shown = [_watched(context, each, by_id, heads) for each in found]
    named = {
        each.volume.id: each.volume for each in shown if each and each.kind == "category" and each.volume
    }
    names_of = {
        (id_, names.key(category.name)): category.name
        for id_, volume in named.items()
        for category in categories_in(context, volume)
    }
    return {
        each.id: replace(each, name=names_of.get((each.volume.id, each.name), each.name))
        if each.kind == "category" and each.volume is not None
        else each
        for each in shown
        if each is not None
    }


def _watched(
    context: ReadContext, watch: Watch, volumes: Mapping[int, Volume], heads: Mapping[int, PageHead]
) -> Watched | None:
    kind = NAMES[watch.kind]
    if watch.page is not None:
        head = heads.get(watch.page)
        volume = volumes.get(head.volume) if head is not None else None
        return Watched(watch.id, kind, volume, head) if volume is not None else None
    if watch.question is not None:
        seen = questions.one_seen(context, watch.question)
        if seen is None:
            return None
        asks = volumes.get(seen.volume) if seen.volume is not None else None
        return Watched(watch.id, kind, asks, name=seen.name, line=seen.line, question=seen.id)
    volume = volumes.get(watch.volume or 0)
    if volume is None:
        return None
    return Watched(watch.id, kind, volume, name=watch.key or "")


def watch(app: AppContext, actor: Actor, wanted: Wanted) -> None:
    """Tells somebody of something from now on. Missing if it is not there, or closed to them."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        context = ReadContext(connection, actor)
        if watches.number_of(connection, reader) >= MOST:
            raise Refused(f"You are told of {MOST:,} things already. Take one away first.", code="too_many")
        watches.add(connection, reader, _found(context, wanted))


def unwatch(app: AppContext, actor: Actor, wanted: Wanted | int) -> None:
    """Tells somebody no longer of something, by what it is or by its number."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        if isinstance(wanted, int):
            watches.drop(connection, reader, wanted)
            return
        found = _found(ReadContext(connection, actor), wanted)
        for each in watches.of_person(connection, reader):
            if replace(each, id=0) == found:
                watches.drop(connection, reader, each.id)


def forget_hidden(app: AppContext, actor: Actor) -> None:
    """Tells somebody no longer of what is gone, or closed to them."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        seen = of_reader(ReadContext(connection, actor))
        gone = [each.id for each in watches.of_person(connection, reader) if each.id not in seen]
        watches.drop_some(connection, reader, gone)


def _found(context: ReadContext, wanted: Wanted) -> Watch:
    kind = KINDS[wanted.kind]
    if kind is Watching.QUESTION:
        if questions.one_seen(context, wanted.question) is None:
            raise Missing("There is no such question, or it is not shared with you.", code="question_missing")
        return Watch(0, kind, question=wanted.question)
    volume = context.volume(wanted.volume)
    if kind is Watching.VOLUME:
        return Watch(0, kind, volume=volume.id)
    if kind is Watching.CATEGORY:
        key = names.key(wanted.name)
        if key not in {names.key(each.name) for each in categories_in(context, volume)}:
            raise Missing(
                f"Nothing in “{volume.title}” is filed under “{wanted.name}”.", code="category_missing"
            )
        return Watch(0, kind, volume=volume.id, key=key)
    return Watch(0, kind, page=need_head(context.connection, volume, wanted.name).id)


@dataclass(frozen=True, slots=True)
class OfPage:
    """Whether somebody is told of a page by itself, with what stands below it, and whether they muted it."""

    volume: Volume
    head: PageHead
    page: bool = False
    branch: bool = False
    muted: bool = False
    whole: bool = False
    """Whether they are told of its whole volume."""


def of_page(app: AppContext, actor: Actor, volume_key: str, page_key: str) -> OfPage:
    """How somebody is told of a page."""
    reader = needed(actor)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        every = watches.of_person(connection, reader)
        kinds = {each.kind for each in every if each.page == head.id}
        whole = any(each.kind is Watching.VOLUME and each.volume == volume.id for each in every)
        muted = head.id in watches.muted_of(connection, reader)
        return OfPage(volume, head, Watching.PAGE in kinds, Watching.BRANCH in kinds, muted, whole)


def mute(app: AppContext, actor: Actor, volume_key: str, page_key: str, *, on: bool) -> None:
    """Lets somebody hear nothing of a page, or again; who is named there is told still."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        context = ReadContext(connection, actor)
        head = need_head(connection, context.volume(volume_key), page_key)
        watches.mute(connection, reader, head.id, on=on)


def tell_of_own(app: AppContext, actor: Actor, *, on: bool) -> None:
    """Tells somebody of pages that they wrote, or no longer."""
    reader = needed(actor)
    with writing(app.engine) as connection:
        letters.set_ways(connection, reader, replace(letters.ways(connection, reader), own=on))
