"""The audit trail: who did what with people, rights and keys, for owners to look through. Kept for 400 days."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from types import MappingProxyType

from mokuji.core.base import names
from mokuji.core.base.errors import BadRequest, Forbidden
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, owned
from mokuji.store.database import Connection, reading, writing
from mokuji.store.log import audit as stored
from mokuji.store.log.audit import Entry as Entry
from mokuji.store.log.audit import Listed as Listed

KEPT = timedelta(days=400)
"""So long an entry is kept."""
SHOWN = 100
"""Number of entries that are listed at once."""
MOST_TAKEN = 100_000
"""Maximum number of entries in one file."""
LAST_DAY = date(9998, 12, 31)
KINDS: Mapping[str, str] = MappingProxyType(
    {
        "sign-in": "Signed in",
        "sign-in refused": "Sign-in refused",
        "first owner": "Wiki begun",
        "invitation": "Invitation made",
        "invitation withdrawn": "Invitation withdrawn",
        "came in": "Came in by invitation",
        "offer": "Role offered",
        "offer withdrawn": "Offer withdrawn",
        "offer declined": "Offer declined",
        "role": "Role changed",
        "access": "Readers changed",
        "create volume": "Volume made",
        "rename volume": "Volume renamed",
        "delete volume": "Volume deleted",
        "libraries": "Libraries changed",
        "language": "Language changed",
        "front page": "Front page changed",
        "undo": "Taken back",
        "person rename": "Handle changed",
        "password": "Password changed",
        "password link": "Password link made",
        "password by link": "Password changed by link",
        "person added": "Person added",
        "person closed": "Person closed",
        "person let in": "Person let in again",
        "wiki given": "Wiki given",
        "wiki taken": "Wiki taken",
        "sessions ended": "Sessions ended",
        "key": "Key made",
        "key ended": "Key ended",
        "draft taken over": "Draft taken over",
        "taken away": "Taken away",
    }
)
"""What is written down, and what it is called."""


def record(
    connection: Connection,
    at: datetime,
    kind: str,
    by: Actor | int | None,
    *,
    person: int | None = None,
    volume: int | None = None,
    change_set: int | None = None,
    address: str = "",
    said: str = "",
) -> None:
    """Writes down in the same transaction what is done in it. ``said`` names nothing beyond that volume and person."""
    assert kind in KINDS, kind
    who = by.person if isinstance(by, Actor) else by
    stored.record(connection, [Entry(at, kind, who, person, volume, change_set, address, said)])


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which entries are asked for: of which kind, by or about whom, in which volume (by key), from one day to another
    (in UTC, both included); empty and None ask for all."""

    kind: str = ""
    person: str = ""
    volume: str = ""
    since: date | None = None
    until: date | None = None


@dataclass(frozen=True, slots=True)
class Trail:
    """Some entries, the newest first, and the number before which there are more (None: there are none). ``volumes``
    are those that can be asked for."""

    entries: tuple[Listed, ...]
    more_before: int | None
    volumes: tuple[Volume, ...]
    wanted: Wanted


def trail(
    app: AppContext, actor: Actor, wanted: Wanted, before: int | None = None, most: int = SHOWN
) -> Trail:
    """The audit trail: all of it for owners of the wiki, that of their volumes for owners of volumes. Forbidden for all
    others; BadRequest for a kind that there is not."""
    if not actor.owns_any:
        raise Forbidden("The audit trail is for owners.", code="forbidden" if actor.signed_in else "sign_in")
    if wanted.kind and wanted.kind not in KINDS:
        raise BadRequest(f"There is no kind “{wanted.kind}” of entries.", code="bad_kind")
    begin = datetime.combine(wanted.since or date(1970, 1, 1), time(), UTC)
    last = min(wanted.until or LAST_DAY, LAST_DAY)
    end = datetime.combine(last, time(), UTC) + timedelta(days=1)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        mine = owned(actor)
        choice = [each for each in context.volumes.values() if mine is None or each.id in mine]
        inside = mine
        if wanted.volume:
            inside = [each.id for each in choice if each.key == names.key(wanted.volume)]
        handle = wanted.person.strip().removeprefix("@").casefold()
        found = stored.listed(
            connection,
            kind=wanted.kind,
            handle=handle if names.is_storable(handle) else "-",
            volumes=inside,
            since=begin,
            until=end,
            before=before or 2**62,
            most=most + 1,
        )
    more = found[most - 1].id if len(found) > most else None
    return Trail(tuple(found[:most]), more, tuple(choice), wanted)


def taken_away(app: AppContext, actor: Actor, wanted: Wanted) -> Iterator[Listed]:
    """All entries that are asked for, the newest first, at most ``MOST_TAKEN``; that they were taken is one itself."""
    trail(app, actor, wanted, most=1)  # whoever may not is told before
    with writing(app.engine) as connection:
        record(connection, app.clock(), "taken away", actor, said="audit trail")
    before: int | None = None
    taken = 0
    while taken < MOST_TAKEN:
        found = trail(app, actor, wanted, before, 1_000)
        yield from found.entries
        taken += len(found.entries)
        before = found.more_before
        if before is None:
            return
