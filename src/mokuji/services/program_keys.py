"""Keys for programs: what a program shows instead of a password, to act for somebody in some volumes, as reader or
writer.

A key is told once; only its hash is kept. It can do no more than its person at the moment, and never what concerns
people, rights or keys.
"""

from __future__ import annotations

import secrets
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime, timedelta

from mokuji.core.base import names
from mokuji.core.base.errors import BadName, Missing, Refused
from mokuji.core.language.scan import check as check_text
from mokuji.core.model.policy import Actor, Role
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, people
from mokuji.services.app_context import AppContext, visible
from mokuji.store import program_keys as stored
from mokuji.store.database import Connection, reading, writing

MOST = 50
"""Maximum number of keys of one person."""
LONGEST_NAME = 100
"""Maximum number of code points of what a key is called."""
DAYS = (30, 90, 365)
"""For so many days a key can hold."""


@dataclass(frozen=True, slots=True)
class OwnKey:
    """A key as its person sees it; ``volumes`` are those of it in which they have a role still."""

    id: int
    name: str
    writes: bool
    volumes: tuple[Volume, ...]
    made: datetime
    expires: datetime
    used: datetime | None


@dataclass(frozen=True, slots=True)
class Made:
    """A key that was made: its token is told this once."""

    id: int
    token: str
    expires: datetime


def _own_volumes(connection: Connection, actor: Actor) -> dict[str, Volume]:
    """The volumes for which somebody can make a key, by key: those in which they have a role."""
    return {
        key: volume
        for key, volume in visible(connection, actor).items()
        if actor.role_in(volume.id) > Role.NOBODY
    }


def own_volumes(app: AppContext, actor: Actor) -> list[Volume]:
    """The volumes for which an actor can make a key."""
    with reading(app.engine) as connection:
        return list(_own_volumes(connection, actor).values())


def keys(app: AppContext, actor: Actor) -> list[OwnKey]:
    """One's own keys that hold, in the order in which they were made."""
    person = people.in_person(actor)
    with reading(app.engine) as connection:
        by_id = {volume.id: volume for volume in _own_volumes(connection, actor).values()}
        found = stored.keys_of(connection, person, app.clock())
    return [
        OwnKey(
            each.id,
            each.name,
            each.writes,
            tuple(by_id[id_] for id_ in each.volumes if id_ in by_id),
            each.made,
            each.expires,
            each.used,
        )
        for each in found
    ]


def make(
    app: AppContext, actor: Actor, name: str, volumes: Collection[str], *, writes: bool, days: int
) -> Made:
    """Makes a key for some volumes, by their keys. Refused without a name or a volume, or for a volume in which the
    actor may not do as much themselves."""
    person, token = people.in_person(actor), people.KEY_BEGINS + secrets.token_urlsafe(32)
    called = " ".join(name.split())
    check_text(called)
    if not called or len(called) > LONGEST_NAME:
        raise BadName(
            f"Say what the key is for, in 1 to {LONGEST_NAME} characters, such as “nightly check”.",
            code="bad_key_name",
        )
    if days not in DAYS:
        raise Refused(
            f"A key holds for {', '.join(map(str, DAYS))} days. Choose one of these.", code="bad_days"
        )
    with writing(app.engine) as connection:
        now, known = app.clock(), _own_volumes(connection, actor)
        chosen: list[Volume] = []
        for key in dict.fromkeys(names.key(each) for each in volumes if each.strip()):
            volume = known.get(key)
            if volume is None:
                raise Refused(f"You have no role in a volume “{key}”.", code="bad_volume")
            if writes and actor.role_in(volume.id) < Role.WRITER:
                raise Refused(
                    f"You are a reader of “{volume.title}”, so your key cannot write there.", code="bad_role"
                )
            chosen.append(volume)
        if not chosen:
            raise Refused("Choose at least one volume.", code="bad_volume")
        if stored.number(connection, person, now) >= MOST:
            raise Refused(f"You have {MOST} keys already. End one first.", code="many_keys")
        expires = now + timedelta(days=days)
        ids = [volume.id for volume in chosen]
        made = stored.make(
            connection, person, people.token_hash(token), called, ids, now, expires, writes=writes
        )
        for id_ in ids:
            said = "may write" if writes else "may read"
            audit.record(connection, now, "key", actor, volume=id_, said=said)
    return Made(made, token, expires)


def end(app: AppContext, actor: Actor, key: int) -> None:
    """Ends one of one's own keys; Missing if it is none, or has ended."""
    person = people.in_person(actor)
    with writing(app.engine) as connection:
        if not stored.end(connection, person, key):
            raise Missing("This key has ended already, or is not yours.", code="key_missing")
        audit.record(connection, app.clock(), "key ended", actor)
