"""Links that let somebody in once, kept by the hashes of their tokens: invitations, and those to a new password."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, delete, insert, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.model.policy import Role
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import invitation, invitation_role, password_link, person

MOST = 200
"""Maximum number of invitations that are listed."""


@dataclass(frozen=True, slots=True)
class Invitation:
    """An invitation that waits: who made it, whom it is said to be for, until when it holds, and the role in each
    volume by id."""

    id: int
    made_by: int
    by: str
    note: str
    expires: datetime
    roles: Mapping[int, Role]


_MAKE = insert(invitation).returning(invitation.c.id)
_GIVE = insert(invitation_role)
_FORGET = delete(invitation).where(invitation.c.expires <= value("now"))
_waiting = (
    select(
        invitation.c.id,
        invitation.c.made_by,
        person.c.name,
        invitation.c.note,
        invitation.c.expires,
        invitation_role.c.volume,
        invitation_role.c.role,
    )
    .select_from(
        invitation.join(person, person.c.id == invitation.c.made_by).join(
            invitation_role, invitation_role.c.invitation == invitation.c.id
        )
    )
    .where(invitation.c.expires > value("now"))
)
BY_TOKEN = _waiting.where(invitation.c.token == value("token"))
BY_ID = _waiting.where(invitation.c.id == value("invitation"))
_newest = (
    select(invitation_role.c.invitation)
    .where(among(invitation_role.c.volume, "volumes"))
    .distinct()
    .order_by(invitation_role.c.invitation.desc())
    .limit(fixed(MOST))
    .subquery("newest")
)
IN_VOLUMES = _waiting.where(invitation.c.id == _newest.c.invitation).order_by(invitation.c.id.desc())
_USED = delete(invitation).where(invitation.c.id == value("invitation"))
_LINK = insert_or_else(password_link)
_LINK = _LINK.on_conflict_do_update(
    index_elements=["person"],
    set_={name: _LINK.excluded[name] for name in ("token", "made_by", "expires")},
)
OF_LINK = (
    select(person.c.id, person.c.handle, person.c.name)
    .select_from(password_link.join(person, person.c.id == password_link.c.person))
    .where(
        password_link.c.token == value("token"),
        password_link.c.expires > value("now"),
        person.c.closed.is_(None),
    )
)
_LINK_USED = delete(password_link).where(password_link.c.person == value("person"))


def invite(
    connection: Connection,
    token: str,
    made_by: int,
    note: str,
    now: datetime,
    expires: datetime,
    roles: Mapping[int, Role],
) -> int:
    """An invitation by the hash of its token; those that have run out go."""
    connection.execute(_FORGET, {"now": now})
    values = {"token": token, "made_by": made_by, "note": note, "at": now, "expires": expires}
    made = connection.execute(_MAKE, values).scalar_one()
    rows = [{"invitation": made, "volume": volume, "role": int(role)} for volume, role in roles.items()]
    connection.execute(_GIVE, rows)
    return made


def _invitations(rows: Iterable[Row[*tuple[Any, ...]]]) -> list[Invitation]:
    found: dict[int, Invitation] = {}
    roles: dict[int, dict[int, Role]] = {}
    for id_, made_by, by, note, expires, volume, role in rows:
        its = roles.setdefault(id_, {})
        its[volume] = Role(role)
        found.setdefault(id_, Invitation(id_, made_by, by, note, expires, its))
    return list(found.values())


def by_token(connection: Connection, token: str, now: datetime) -> Invitation | None:
    """The invitation of a token, by its hash; None if there is none, or it has run out."""
    rows = connection.execute(BY_TOKEN, {"token": token, "now": now}).all()
    return next(iter(_invitations(rows)), None)


def by_id(connection: Connection, number: int, now: datetime) -> Invitation | None:
    """An invitation that waits, by its number."""
    rows = connection.execute(BY_ID, {"invitation": number, "now": now}).all()
    return next(iter(_invitations(rows)), None)


def in_volumes(connection: Connection, volumes: Collection[int], now: datetime) -> list[Invitation]:
    """The invitations that wait and give a role in one of some volumes, the newest first."""
    rows = connection.execute(IN_VOLUMES, {"volumes": volumes, "now": now}).all()
    return _invitations(rows)


def take_away(connection: Connection, number: int) -> bool:
    """Lets an invitation hold no longer, used or withdrawn; False if somebody was quicker."""
    return connection.execute(_USED, {"invitation": number}).rowcount > 0


def link_password(
    connection: Connection, person_id: int, token: str, made_by: int, expires: datetime
) -> None:
    """A link for a new password of somebody, by the hash of its token; a former one holds no longer."""
    connection.execute(_LINK, {"person": person_id, "token": token, "made_by": made_by, "expires": expires})


def linked(connection: Connection, token: str, now: datetime) -> tuple[int, str, str] | None:
    """Whose password a link is for: id, handle and name; None if there is no such link, or it has run out."""
    row = connection.execute(OF_LINK, {"token": token, "now": now}).first()
    return None if row is None else (row.id, row.handle, row.name)


def use_link(connection: Connection, person_id: int) -> bool:
    """Lets a link hold no longer; False if somebody was quicker."""
    return connection.execute(_LINK_USED, {"person": person_id}).rowcount > 0
