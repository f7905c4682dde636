"""What people see of themselves and may change: their name, their password, and where they are signed in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from mokuji.core.base.errors import BadName, Forbidden, Missing
from mokuji.core.model.policy import Actor
from mokuji.services import audit, passwords, people
from mokuji.services.app_context import AppContext
from mokuji.store import people as stored
from mokuji.store.database import reading, writing


@dataclass(frozen=True, slots=True)
class OwnSession:
    """Where somebody is signed in. ``here`` is the session that asks."""

    id: int
    device: str
    begun: datetime
    seen: datetime
    here: bool


@dataclass(frozen=True, slots=True)
class OwnPage:
    """A person, as they see themselves."""

    handle: str
    name: str
    owns_wiki: bool
    sessions: Sequence[OwnSession]


def own_page(app: AppContext, actor: Actor, token: str) -> OwnPage:
    """Who asks, with all their sessions, the last used first."""
    person, now = people.in_person(actor), app.clock()
    with reading(app.engine) as connection:
        rows = stored.sessions_of(connection, person, now, now - people.IDLE_SESSION)
    here = people.token_hash(token)
    sessions = [OwnSession(row.id, row.device, row.begun, row.seen, row.token == here) for row in rows]
    return OwnPage(actor.handle, actor.name, actor.owns_wiki, sessions)


def set_name(app: AppContext, actor: Actor, name: str) -> None:
    """The name that others see; it stands beside all that the person wrote."""
    person, wanted = people.in_person(actor), people.checked_name(name)
    if not wanted:
        raise BadName("Type the name that others see.", code="bad_person_name")
    with writing(app.engine) as connection:
        stored.set_name(connection, person, wanted)


def change_password(app: AppContext, actor: Actor, token: str, present: str, new: str) -> None:
    """Another password; Forbidden unless the present one is right. All other sessions of the person end."""
    person = people.in_person(actor)
    people.count_try(app, "present", actor.handle)
    with reading(app.engine) as connection:
        account = stored.account(connection, actor.handle)
    if not passwords.fits(present, account.password if account is not None else None):
        raise Forbidden("This is not your present password. Nothing was changed.", code="wrong_password")
    hashed = passwords.new(new, (actor.handle, actor.name))
    with writing(app.engine) as connection:
        people.forget_try(app, connection, "present", actor.handle)
        stored.set_password(connection, person, hashed, but=people.token_hash(token))
        audit.record(connection, app.clock(), "password", actor, person=person)


def end_session(app: AppContext, actor: Actor, session: int) -> None:
    """Ends one of one's own sessions; Missing if it is none, or has ended."""
    person = people.in_person(actor)
    with writing(app.engine) as connection:
        if not stored.end_session(connection, person, session):
            raise Missing("This session has ended already, or is not yours.", code="session_missing")
        audit.record(connection, app.clock(), "sessions ended", actor)


def end_others(app: AppContext, actor: Actor, token: str) -> None:
    """Ends all of one's own sessions but the one that asks."""
    person = people.in_person(actor)
    with writing(app.engine) as connection:
        stored.close_sessions(connection, person, but=people.token_hash(token))
        audit.record(connection, app.clock(), "sessions ended", actor)
