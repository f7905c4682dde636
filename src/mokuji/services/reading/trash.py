"""The trash: what lies in it, and what leaves it for good."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from mokuji.core.base.errors import Forbidden
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, owned, visible
from mokuji.services.audit import KEPT
from mokuji.services.notes import Reader
from mokuji.store import files, kept_reports
from mokuji.store import volumes as stored_volumes
from mokuji.store.acts import trash
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.log import audit

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
        left = row.at + timedelta(days=self.kept_days) - self.now
        return max(0, -(-left // timedelta(days=1)))


def purge(app: AppContext) -> int:
    """Removes for good what has lain in the trash for ``KEPT_DAYS``, and bytes of files that nothing names; how many
    pages that were."""
    before = app.clock() - timedelta(days=KEPT_DAYS)
    with writing_transaction(app.engine, alone=True) as connection:
        pages = trash.purge(connection, before)
        files.forget(connection, before, app.clock() - STAGED)
        kept_reports.forget(connection, before)
        audit.forget(connection, app.clock() - KEPT)
        return pages


def trash_view(app: AppContext, actor: Actor, before: int | None = None) -> TrashView:
    """The trash, newest act first; for who has signed in, as what was thrown away was meant for nobody any more."""
    if not actor.signed_in:
        raise Forbidden("Sign in to see what lies in the trash.", code="sign_in")
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
