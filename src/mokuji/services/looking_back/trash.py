"""The trash: what lies in it, and what leaves it for good."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, owned, visible
from mokuji.services.audit import KEPT
from mokuji.services.looking_back.as_read import AsRead, as_read
from mokuji.services.looking_back.revisions import told
from mokuji.services.notes import Reader
from mokuji.store import brought, files
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import trash
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.index.unwritten import led_from
from mokuji.store.kept import reports as kept_reports
from mokuji.store.log import audit, history
from mokuji.store.log.history import Revision

TRASH_ROWS = 300
KEPT_DAYS = 60
"""How long deleted pages and files are kept, in days."""
STAGED = timedelta(days=1)
"""How long bytes are kept that were brought to take the place of a file and never did."""


@dataclass(frozen=True)
class TrashView:
    """What lies in the trash of the volumes one may read, by act."""

    volumes: Mapping[int, Volume]
    acts: tuple[tuple[trash.InTrash, ...], ...]
    more_before: int | None
    kept_days: int
    now: datetime
    gone: tuple[stored_volumes.Deleted, ...] = ()
    """Volumes of the actor's own that were deleted."""

    def days_left(self, row: trash.InTrash) -> int:
        """How many days a page still lies there."""
        return _days_left(row.at, self.now)


def purge(app: AppContext) -> int:
    """Removes for good what has lain in the trash for ``KEPT_DAYS``, and bytes of files that nothing names; how many
    pages that were."""
    before = app.clock() - timedelta(days=KEPT_DAYS)
    with writing_transaction(app.engine, alone=True) as connection:
        pages = trash.purge(connection, before)
        files.forget(connection, before, app.clock() - STAGED)
        kept_reports.forget(connection, before)
        audit.forget(connection, app.clock() - KEPT)
        brought.forget(connection, before)
        return pages


def trash_view(app: AppContext, actor: Actor, before: int | None = None) -> TrashView:
    """The trash, newest act first; for who has signed in, as what was thrown away was meant for nobody any more."""
    _signed_in(actor)
    with reading(app.engine) as connection:
        by_id = {volume.id: volume for volume in visible(connection, actor).values()}
        reader = Reader(by_id.keys(), actor.owns_wiki, actor.belongs_in)
        rows = [
            replace(row, note=reader.told(row.note, row.act, row.home, row.proposed), proposed=None)
            for row in trash.listed(connection, list(by_id), before=before or 2**62, most=TRASH_ROWS + 1)
        ]
        groups: dict[int, list[trash.InTrash]] = {}
        for row in rows:
            groups.setdefault(row.change_set, []).append(row)
        more = None
        if len(rows) > TRASH_ROWS and len(groups) > 1:
            del groups[rows[-1].change_set]
            more = min(groups)
        listed = tuple(tuple(group) for group in groups.values())
        gone = () if before is not None else tuple(stored_volumes.thrown_away(connection, owned(actor)))
        return TrashView(by_id, listed, more, KEPT_DAYS, app.clock(), gone)


REVISIONS = 200
"""Number of revisions of a page in the trash that are listed."""


@dataclass(frozen=True, slots=True)
class PageInTrash:
    """A page in the trash: what the act was that put it there, its revisions, newest first, of which ``shown`` is
    ``as_read``, with its ``text``, and the pages whose references wait for its name. ``restorable`` says whether its
    volume is there, so that it can come back by itself."""

    row: trash.InTrash
    volume: Volume
    days_left: int
    revisions: tuple[Revision, ...]
    shown: Revision
    text: str
    as_read: AsRead
    waiting: tuple[tuple[Volume, PageHead], ...]
    restorable: bool


@dataclass(frozen=True, slots=True)
class VolumeInTrash:
    """A volume that was deleted, with the first of its pages."""

    volume: Volume
    change_set: int
    at: datetime
    days_left: int
    pages: tuple[trash.InTrash, ...]
    more: bool


def page_in_trash(app: AppContext, actor: Actor, page: int, number: int | None = None) -> PageInTrash:
    """A page in the trash, in one of its revisions (the last without a number). Missing if it does not lie there, or
    may not be read."""
    _signed_in(actor)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        there = {volume.id: volume for volume in context.volumes.values()}
        homes = stored_volumes.deleted_volumes(connection, owned(actor)) | there
        row = trash.row_of(connection, page, homes.keys()) if 0 < page < 2**62 else None
        if row is None:
            raise Missing("There is no such page in the trash, or it is closed to you.", code="trash_missing")
        reads = context.reads | {row.volume}
        reader = Reader(there.keys(), actor.owns_wiki, actor.belongs_in)
        revisions = history.between(connection, page, reads, 1, 2**31 - 1, most=REVISIONS)
        wanted = number if number is not None else (revisions[0].number if revisions else 0)
        shown = history.revision(connection, page, wanted, reads) if 0 < wanted < 2**31 else None
        text = history.text_of(connection, page, wanted, reads) if shown is not None else None
        if shown is None or text is None:
            raise Missing(f"“{row.title}” has no revision {wanted}.")
        head = PageHead(page, row.volume, row.key, row.title, wanted)
        waiting = led_from(context.wiki, (row.volume, row.key)) if row.volume in there else []
        note = reader.told(row.note, row.act, row.home, row.proposed)
        return PageInTrash(
            replace(row, note=note, proposed=None),
            homes[row.volume],
            _days_left(row.at, app.clock()),
            tuple(told(reader, each) for each in revisions),
            told(reader, shown),
            text,
            as_read(app, context, homes[row.volume], head, shown, text),
            tuple((there[each.volume], each) for each in waiting if each.volume in there),
            row.volume in there,
        )


def volume_in_trash(app: AppContext, actor: Actor, change_set: int) -> VolumeInTrash:
    """A volume of the actor's own that an act deleted. Missing if there is none."""
    _signed_in(actor)
    with reading(app.engine) as connection:
        homes = stored_volumes.deleted_volumes(connection, owned(actor))
        gone = stored_volumes.thrown_away(connection, owned(actor), most=10_000)
        act = next((each for each in gone if each.change_set == change_set), None)
        volume = next((each for each in homes.values() if act is not None and each.id == act.volume), None)
        if act is None or volume is None:
            raise Missing("There is no such volume in the trash, or it was not yours.", code="trash_missing")
        rows = [
            replace(row, note="", proposed=None)
            for row in trash.listed(connection, [volume.id], most=TRASH_ROWS + 1)
        ]
        days = _days_left(act.at, app.clock())
        return VolumeInTrash(
            volume, change_set, act.at, days, tuple(rows[:TRASH_ROWS]), len(rows) > TRASH_ROWS
        )


def _signed_in(actor: Actor) -> None:
    if not actor.signed_in:
        raise Forbidden("Sign in to see what lies in the trash.", code="sign_in")


def _days_left(at: datetime, now: datetime) -> int:
    left = at + timedelta(days=KEPT_DAYS) - now
    return max(0, -(-left // timedelta(days=1)))
