"""History: the revisions of a page, two of them compared, and the acts on a wiki."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mokuji.core.diff import Passage, compare
from mokuji.core.errors import Missing
from mokuji.core.policy import Act, Actor, Role, may
from mokuji.core.wiki import PageHead, Volume
from mokuji.services.acts import need_act
from mokuji.services.desk import Desk, Sight, need_head, visible
from mokuji.services.reading import VolumeView, volume_view
from mokuji.store import history, trash
from mokuji.store import volumes as stored_volumes
from mokuji.store.database import Connection, reading
from mokuji.store.history import LoggedAct as LoggedAct
from mokuji.store.history import Revision as Revision
from mokuji.store.history import Touched

PAGE = 40
LISTED = 500
"""Most pages of one act that are listed."""


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
    passages: tuple[Passage, ...]
    revisions: tuple[Revision, ...]


@dataclass(frozen=True, slots=True)
class RevisionView:
    """One revision with its text as typed."""

    place: VolumeView
    head: PageHead
    revision: Revision
    text: str


@dataclass(frozen=True, slots=True)
class ActView:
    """A change set, with the pages it wrote that the actor may read."""

    act: history.LoggedAct
    volume: Volume
    volumes: Mapping[int, Volume]
    pages: tuple[Touched, ...]
    more: bool
    may_undo: bool
    in_trash: tuple[str, ...]


def revisions(
    desk: Desk, actor: Actor, volume_key: str, page_key: str, before: int | None = None
) -> HistoryView:
    """The revisions of a page."""
    with reading(desk.engine) as connection:
        sight = Sight(connection, actor)
        volume = sight.volume(volume_key)
        head = need_head(connection, volume, page_key)
        found = history.revisions(connection, head.id, before=before or 2**31 - 1, most=PAGE + 1)
        more = found[PAGE - 1].number if len(found) > PAGE else None
        view = volume_view(sight, volume, path_to=head.key)
        return HistoryView(view, head, tuple(found[:PAGE]), more)


def one_revision(desk: Desk, actor: Actor, volume_key: str, page_key: str, number: int) -> RevisionView:
    """One revision; Missing if the page has none of that number."""
    with reading(desk.engine) as connection:
        sight = Sight(connection, actor)
        volume = sight.volume(volume_key)
        head = need_head(connection, volume, page_key)
        revision = history.revision(connection, head.id, number)
        text = history.text_of(connection, head.id, number)
        if revision is None or text is None:
            raise Missing(f"“{head.title}” has no revision {number}. Its newest is {head.revision}.")
        view = volume_view(sight, volume, path_to=head.key)
        return RevisionView(view, head, revision, text)


def compare_revisions(
    desk: Desk, actor: Actor, volume_key: str, page_key: str, older: int, newer: int
) -> CompareView:
    """Two revisions; given in any order."""
    older, newer = min(older, newer), max(older, newer)
    one = one_revision(desk, actor, volume_key, page_key, older)
    other = one_revision(desk, actor, volume_key, page_key, newer)
    with reading(desk.engine) as connection:
        known = history.revisions(connection, one.head.id, most=PAGE)
    passages = tuple(compare(one.text, other.text))
    return CompareView(other.place, other.head, one.revision, other.revision, passages, tuple(known))


def _known(connection: Connection, actor: Actor) -> dict[int, Volume]:
    """The volumes whose acts an actor may know of: those open to them, and deleted ones that they owned."""
    own = [id_ for id_, role in actor.roles.items() if role >= Role.OWNER]
    known = stored_volumes.deleted_volumes(connection, own)
    return known | {volume.id: volume for volume in visible(connection, actor).values()}


def acts(
    desk: Desk, actor: Actor, before: int | None = None
) -> tuple[list[history.LoggedAct], dict[int, Volume], int | None]:
    """The newest acts in all volumes that the actor may read."""
    with reading(desk.engine) as connection:
        by_id = _known(connection, actor)
        found = history.acts(connection, list(by_id), before=before or 2**62, most=PAGE + 1)
        return found[:PAGE], by_id, found[PAGE - 1].id if len(found) > PAGE else None


def one_act(desk: Desk, actor: Actor, change_set: int) -> ActView:
    """One act with the pages it wrote."""
    with reading(desk.engine) as connection:
        by_id = _known(connection, actor)
        act = need_act(connection, change_set, by_id)
        pages = history.touched(connection, act.id, list(by_id), most=LISTED + 1)
        thrown = tuple(trash.titles_of(connection, act.id, list(by_id)))
        volume = by_id[act.volume]
        undoable = not act.is_import and act.undone_by is None and not act.detail.get("purged")
        may_undo = undoable and may(actor, Act.RENAME, volume.id, closed=volume.closed)
        return ActView(act, volume, by_id, tuple(pages[:LISTED]), len(pages) > LISTED, may_undo, thrown)
