"""Letting people in: by a link that works once and for a week, for chosen roles; and by another, once and for a day, to
a new password.

Whoever makes an invitation gives away what they themselves may give: roles of volumes that they own. What they own no
more when it is used is not given. A link's token is random; only its hash is stored.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from mokuji.core.base import names
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model import policy
from mokuji.core.model.policy import Actor, Permission, PersonPermission, Role
from mokuji.core.model.wiki import Volume
from mokuji.services import audit, passwords, people
from mokuji.services.app_context import AppContext, clean_note
from mokuji.services.devices import device_of
from mokuji.store import links
from mokuji.store import people as stored
from mokuji.store.database import Connection, reading, writing
from mokuji.store.snapshot import load_volumes

HOLDS = timedelta(days=7)
"""So long an invitation holds."""
PASSWORD_HOLDS = timedelta(days=1)
"""So long a link to a new password holds."""
GIVEN = {"reader": Role.READER, "writer": Role.WRITER, "owner": Role.OWNER}
"""The roles that can be given, by what they are called."""
SPENT = "This link was used already, was withdrawn, or is older than it may be. Ask whoever sent it for a new one."


@dataclass(frozen=True, slots=True)
class Given:
    """A role in a volume."""

    volume: Volume
    role: Role

    @property
    def called(self) -> str:
        """What the role is called."""
        return self.role.name.lower()


@dataclass(frozen=True, slots=True)
class Pending:
    """An invitation that waits, as an owner of its volumes sees it; ``hidden`` says in how many others it gives a
    role."""

    id: int
    by: str
    note: str
    expires: datetime
    given: Sequence[Given]
    hidden: int
    may_withdraw: bool


@dataclass(frozen=True, slots=True)
class Invited:
    """What an invitation says to whoever holds its link."""

    by: str
    expires: datetime
    given: Sequence[Given]


@dataclass(frozen=True, slots=True)
class Made:
    """An invitation or a link that was made: its token is told once."""

    token: str
    expires: datetime


def owned_volumes(app: AppContext, actor: Actor) -> list[Volume]:
    """The volumes to which the actor may invite; Forbidden if there are none."""
    with reading(app.engine) as connection:
        return _owned(connection, actor)


def _owned(connection: Connection, actor: Actor) -> list[Volume]:
    if not actor.signed_in:
        raise Forbidden("Sign in to invite somebody.", code="sign_in")
    volumes = load_volumes(connection).values()
    owned = [v for v in volumes if policy.may(actor, Permission.MANAGE, v.id, closed=v.closed)]
    if not owned:
        raise Forbidden("Only owners of a volume invite people to it.")
    return owned


def invite(app: AppContext, actor: Actor, roles: Mapping[str, str], note: str = "") -> Made:
    """Makes an invitation to some volumes, by their keys, each with a role (``GIVEN``)."""
    token, now = secrets.token_urlsafe(32), app.clock()
    with writing(app.engine) as connection:
        owned = {volume.key: volume for volume in _owned(connection, actor)}
        given: dict[int, Role] = {}
        for key, called in roles.items():
            volume, role = owned.get(names.key(key)), GIVEN.get(called)
            if volume is None:
                raise Forbidden(f"You do not own a volume “{key}”, so you cannot invite anybody to it.")
            if role is None:
                raise Refused(f"“{called}” is no role. There are reader, writer and owner.", code="bad_role")
            given[volume.id] = role
        if not given:
            raise Refused("Choose a role in at least one volume.", code="bad_role")
        assert actor.person is not None
        hashed = people.token_hash(token)
        links.invite(connection, hashed, actor.person, clean_note(note), now, now + HOLDS, given)
        for volume_id, role in given.items():
            said = role.name.lower()
            audit.record(connection, now, "invitation", actor, volume=volume_id, said=said)
    return Made(token, now + HOLDS)


def pending(app: AppContext, actor: Actor) -> list[Pending]:
    """The invitations that wait and give a role in a volume that the actor owns."""
    with reading(app.engine) as connection:
        return _pending(connection, actor, [volume.id for volume in _owned(connection, actor)], app.clock())


def pending_in(connection: Connection, actor: Actor, volume: int, now: datetime) -> list[Pending]:
    """Those to one volume that the actor owns."""
    return _pending(connection, actor, [volume], now)


def _pending(connection: Connection, actor: Actor, inside: Sequence[int], now: datetime) -> list[Pending]:
    owned = {volume.id: volume for volume in _owned(connection, actor)}
    found = links.in_volumes(connection, inside, now)
    shown: list[Pending] = []
    for each in found:
        whole = each.made_by == actor.person or each.roles.keys() <= owned.keys()
        given = [Given(owned[volume], role) for volume, role in each.roles.items() if volume in owned]
        # What it is said to be for may name what is behind volumes that this owner knows nothing of.
        note = each.note if whole else ""
        shown.append(
            Pending(each.id, each.by, note, each.expires, given, len(each.roles) - len(given), whole)
        )
    return shown


def withdraw(app: AppContext, actor: Actor, number: int) -> None:
    """Lets an invitation hold no longer: who made it may, and who owns all its volumes; Missing for any other."""
    now = app.clock()
    with writing(app.engine) as connection:
        owned = {volume.id for volume in _owned(connection, actor)}
        found = links.by_id(connection, number, now)
        if found is None or not (found.made_by == actor.person or found.roles.keys() <= owned):
            raise Missing("This invitation waits no longer, or is not yours.", code="invitation_missing")
        links.take_away(connection, number)
        for volume_id in found.roles:
            audit.record(connection, now, "invitation withdrawn", actor, volume=volume_id)


def invited(app: AppContext, token: str) -> Invited:
    """What an invitation gives; Missing for a link that holds no longer."""
    with reading(app.engine) as connection:
        waiting = found(app, connection, token)
        given = still_given(connection, waiting)
        if not given:
            raise Missing(SPENT, code="link_spent")
        return Invited(waiting.by, waiting.expires, given)


def found(app: AppContext, connection: Connection, token: str) -> links.Invitation:
    """The invitation of a token; Missing if there is none that holds."""
    fits = 0 < len(token) <= people.LONGEST_TOKEN and token.isascii() and token.isprintable()
    waiting = links.by_token(connection, people.token_hash(token), app.clock()) if fits else None
    if waiting is None:
        raise Missing(SPENT, code="link_spent")
    return waiting


def still_given(connection: Connection, waiting: links.Invitation) -> list[Given]:
    """What whoever made it may give at this moment."""
    volumes = {volume.id: volume for volume in load_volumes(connection).values()}
    return [
        Given(volumes[id_], role)
        for id_, role in waiting.roles.items()
        if id_ in volumes and may_give(connection, waiting.made_by, volumes[id_])
    ]


def may_give(connection: Connection, maker: int, volume: Volume) -> bool:
    """Whether somebody who offered a role in a volume may give it at this moment."""
    if not stored.is_here(connection, maker):
        return False
    return policy.may(
        stored.actor_by_id(connection, maker), Permission.MANAGE, volume.id, closed=volume.closed
    )


# ---- a forgotten password --------------------------------------------------------


def link_password(app: AppContext, actor: Actor, handle: str) -> Made:
    """Makes a link by which somebody gives themselves a new password. Only owners of the wiki may: an owner of a volume
    must not be able to become somebody else."""
    token, now = secrets.token_urlsafe(32), app.clock()
    with writing(app.engine) as connection:
        account = people.concerned(connection, actor, PersonPermission.RESET, handle)
        if account.closed is not None:
            raise Refused(f"“{account.handle}” has left. Let them in again first.", code="person_closed")
        assert actor.person is not None
        links.link_password(
            connection, account.id, people.token_hash(token), actor.person, now + PASSWORD_HOLDS
        )
        audit.record(connection, now, "password link", actor, person=account.id)
    return Made(token, now + PASSWORD_HOLDS)


def password_of(app: AppContext, token: str) -> str:
    """The handle of whom a link gives a new password; Missing for a link that holds no longer."""
    with reading(app.engine) as connection:
        return _linked(app, connection, token)[1]


def _linked(app: AppContext, connection: Connection, token: str) -> tuple[int, str, str]:
    fits = 0 < len(token) <= people.LONGEST_TOKEN and token.isascii() and token.isprintable()
    found = links.linked(connection, people.token_hash(token), app.clock()) if fits else None
    if found is None:
        raise Missing(SPENT, code="link_spent")
    return found


def renew_password(app: AppContext, token: str, password: str, agent: str = "") -> str:
    """A new password by a link; all sessions of the person end, and a new one begins: its token."""
    with reading(app.engine) as connection:
        _, handle, name = _linked(app, connection, token)
    hashed, device = passwords.new(password, (handle, name)), device_of(agent)
    with writing(app.engine) as connection:
        person, _, _ = _linked(app, connection, token)
        if not links.use_link(connection, person):
            raise Missing(SPENT, code="link_spent")
        stored.set_password(connection, person, hashed)
        audit.record(connection, app.clock(), "password by link", person, person=person)
        return people.opened(app, connection, person, device)
