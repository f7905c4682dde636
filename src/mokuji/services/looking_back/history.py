"""History: the revisions of a page, one by one or two compared, and the acts on a wiki."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from mokuji.core.base.errors import Missing
from mokuji.core.diff.diff import LineRun, compare
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import OF_PEOPLE, Actor, may, needed_for
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, need_head, owned, visible
from mokuji.services.looking_back.as_read import AsRead, as_read
from mokuji.services.looking_back.revisions import need_revision, told
from mokuji.services.notes import Reader
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import trash
from mokuji.store.database import Connection, reading
from mokuji.store.log import history
from mokuji.store.log.history import LoggedAct as LoggedAct
from mokuji.store.log.history import Revision as Revision
from mokuji.store.log.history import Touched

PAGE = 40
FOR_GOOD = frozenset({"secret"})
"""Acts that nothing takes back."""
LISTED = 500
"""Maximum number of pages of one act that are listed."""


@dataclass(frozen=True, slots=True)
class HistoryView:
    """The revisions of a page, newest first."""

    place: VolumeView
    head: PageHead
    revisions: tuple[Revision, ...]
    more_before: int | None


@dataclass(frozen=True, slots=True)
class CompareView:
    """Two revisions of a page, and what differs."""

    place: VolumeView
    head: PageHead
    older: Revision
    newer: Revision
    passages: tuple[LineRun, ...]


@dataclass(frozen=True, slots=True)
class RevisionView:
    """One revision with its text as typed, and as it is read if that was asked for."""

    place: VolumeView
    head: PageHead
    revision: Revision
    text: str
    as_read: AsRead | None = None


@dataclass(frozen=True, slots=True)
class ActView:
    """A change set, with the pages it wrote that the actor may read; ``volume`` is the one in whose log it stands, None
    if that is closed to them."""

    act: LoggedAct
    volume: Volume | None
    volumes: Mapping[int, Volume]
    pages: tuple[Touched, ...]
    more: bool
    may_undo: bool
    in_trash: tuple[str, ...]
    facts: Mapping[str, Any] | None = field(default=None, repr=False)
    """What the log keeps of what was done, as stored: for who tells it to readers."""


def revisions(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, before: int | None = None
) -> HistoryView:
    """The revisions of a page."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        found = history.revisions(
            connection, head.id, context.reads, before=before or 2**31 - 1, most=PAGE + 1
        )
        more = found[PAGE - 1].number if len(found) > PAGE else None
        view = volume_view(context, volume, path_to=head.key)
        return HistoryView(
            view, head, tuple(told(context.reader, revision) for revision in found[:PAGE]), more
        )


def one_revision(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, number: int, *, shown: bool = False
) -> RevisionView:
    """One revision; Missing if the page has none of that number."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        revision, text = need_revision(context, head, number)
        view = volume_view(context, volume, path_to=head.key)
        seen = as_read(app, context, volume, head, revision, text) if shown else None
        return RevisionView(view, head, revision, text, seen)


def compare_revisions(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, older: int, newer: int
) -> CompareView:
    """Two revisions; given in any order."""
    older, newer = min(older, newer), max(older, newer)
    one = one_revision(app, actor, volume_key, page_key, older)
    other = one_revision(app, actor, volume_key, page_key, newer)
    passages = tuple(compare(one.text, other.text))
    return CompareView(other.place, other.head, one.revision, other.revision, passages)


def known_volumes(connection: Connection, actor: Actor) -> dict[int, Volume]:
    """The volumes whose acts an actor may know of: those open to them, and deleted ones that they owned."""
    known = stored_volumes.deleted_volumes(connection, owned(actor))
    return known | {volume.id: volume for volume in visible(connection, actor).values()}


def as_known(act: LoggedAct, volumes: Mapping[int, Volume], actor: Actor) -> LoggedAct:
    """An act as it may be known in these volumes. Of one that stands in the log of another volume only what it did to
    these: not its page, its note or its facts, which are about what is closed."""
    reader = Reader(volumes.keys(), actor.owns_wiki, actor.belongs_in)
    note = reader.told(act.note, act.act, act.volume, act.proposed)
    about_people = act.act in OF_PEOPLE or act.detail.get("undone") in OF_PEOPLE
    if about_people and not reader.knows_people(act.volume):
        act = replace(act, author="one of its people")
    if act.page_volume not in volumes:
        act = replace(act, page=None, page_title=None, page_key=None, page_volume=None)
    if act.volume not in volumes:
        act = replace(act, page=None, page_title=None, page_key=None, page_volume=None)
    # What undoing needs is nobody's to read.
    return replace(act, note=note, proposed=None, detail={})


def own_acts(
    app: AppContext, actor: Actor, before: int | None = None, most: int = PAGE
) -> tuple[list[LoggedAct], dict[int, Volume], int | None]:
    """What the actor did, the newest first, in volumes that they may read."""
    if actor.person is None:
        return [], {}, None
    with reading(app.engine) as connection:
        by_id = known_volumes(connection, actor)
        found = history.by_author(
            connection, actor.person, list(by_id), before=before or 2**62, most=most + 1
        )
        listed = [as_known(act, by_id, actor) for act in found[:most]]
        return listed, by_id, found[most - 1].id if len(found) > most else None


def one_act(app: AppContext, actor: Actor, change_set: int) -> ActView:
    """One act with the pages it wrote."""
    with reading(app.engine) as connection:
        by_id = known_volumes(connection, actor)
        act = need_act(connection, change_set, by_id, actor.person)
        pages = history.touched(connection, act.id, list(by_id), most=LISTED + 1)
        thrown = tuple(trash.titles_of(connection, act.id, list(by_id)))
        volume = by_id.get(act.volume)
        undoable = not act.is_import and act.undone_by is None and not act.detail.get("purged")
        undoable = undoable and act.act not in FOR_GOOD
        may_undo = undoable and volume is not None
        if volume is not None:
            may_undo = may_undo and may(actor, needed_for(act.act), volume.id, closed=volume.closed)
        known = as_known(act, by_id, actor)
        told_of = act.act not in OF_PEOPLE or Reader((), belongs_in=actor.belongs_in).knows_people(act.volume)
        facts = act.detail.get("facts") if volume is not None and told_of else None
        return ActView(
            known, volume, by_id, tuple(pages[:LISTED]), len(pages) > LISTED, may_undo, thrown, facts
        )


def need_act(
    connection: Connection, change_set: int, volumes: Collection[int], person: int | None
) -> LoggedAct:
    """A change set that changed something in one of these volumes, or was done about the person; Missing otherwise."""
    act = history.act(connection, change_set, list(volumes), person)
    if act is None:
        raise Missing(
            "There is no such change, or it is in a volume that is closed to you.", code="act_missing"
        )
    return act
