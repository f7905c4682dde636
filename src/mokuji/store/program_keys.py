"""Keys for programs: what a program shows instead of a password, kept by the hash of its token."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from types import MappingProxyType

from sqlalchemy import Connection, any_, delete, func, insert, select, update

from mokuji.core.model.policy import Actor, Role
from mokuji.store.statements import value
from mokuji.store.tables import membership, person, program_key


@dataclass(frozen=True, slots=True)
class Key:
    """A key as its person sees it: what it is called, whether it may write, the ids of its volumes."""

    id: int
    name: str
    writes: bool
    volumes: Sequence[int]
    made: datetime
    expires: datetime
    used: datetime | None


_OF = program_key.c.person == value("person")
_MAKE = insert(program_key).returning(program_key.c.id)
_FORGET = delete(program_key).where(_OF, program_key.c.expires <= value("now"))
_END = delete(program_key).where(_OF, program_key.c.id == value("key"))
_END_ALL = delete(program_key).where(_OF)
_USED = update(program_key).where(program_key.c.id == value("key")).values(used=value("now"))
KEYS = (
    select(
        program_key.c.id,
        program_key.c.name,
        program_key.c.writes,
        program_key.c.volumes,
        program_key.c.made,
        program_key.c.expires,
        program_key.c.used,
    )
    .where(_OF, program_key.c.expires > value("now"))
    .order_by(program_key.c.id)
)
NUMBER = select(func.count()).where(_OF, program_key.c.expires > value("now"))
HOLDER = (
    select(
        person.c.id,
        person.c.handle,
        person.c.name,
        person.c.owns_wiki,
        program_key.c.id.label("key"),
        program_key.c.writes,
        program_key.c.volumes,
        program_key.c.used,
        membership.c.volume,
        membership.c.role,
    )
    .select_from(
        program_key.join(person, person.c.id == program_key.c.person).outerjoin(
            membership,
            (membership.c.person == person.c.id) & (membership.c.volume == any_(program_key.c.volumes)),
        )
    )
    .where(
        program_key.c.token == value("token"),
        program_key.c.expires > value("now"),
        person.c.closed.is_(None),
    )
)


def make(
    connection: Connection,
    person_id: int,
    token: str,
    name: str,
    volumes: Sequence[int],
    now: datetime,
    expires: datetime,
    *,
    writes: bool,
) -> int:
    """A key by the hash of its token; those of the person that have run out go."""
    connection.execute(_FORGET, {"person": person_id, "now": now})
    values = {"person": person_id, "token": token, "name": name, "writes": writes}
    values |= {"volumes": list(volumes), "made": now, "expires": expires}
    return connection.execute(_MAKE, values).scalar_one()


def number(connection: Connection, person_id: int, now: datetime) -> int:
    """How many keys of somebody hold."""
    return connection.execute(NUMBER, {"person": person_id, "now": now}).scalar_one()


def keys_of(connection: Connection, person_id: int, now: datetime) -> list[Key]:
    """The keys of somebody that hold, in the order in which they were made."""
    return [Key(*row) for row in connection.execute(KEYS, {"person": person_id, "now": now})]


def end(connection: Connection, person_id: int, key: int) -> bool:
    """Ends a key of somebody; False if it is none of theirs."""
    return connection.execute(_END, {"person": person_id, "key": key}).rowcount > 0


def end_all(connection: Connection, person_id: int) -> None:
    """Ends all keys of somebody."""
    connection.execute(_END_ALL, {"person": person_id})


@dataclass(frozen=True, slots=True)
class Holder:
    """Whom a key belongs to, as far as it lets a program act for them, and when it was last said that it is in use."""

    actor: Actor
    key: int
    used: datetime | None


def holder(connection: Connection, token: str, now: datetime) -> Holder | None:
    """Who a key belongs to, with no more than it may do: in its volumes what its person may, at most write, or only
    read. None if there is none, it has run out, or its person has left."""
    rows = connection.execute(HOLDER, {"token": token, "now": now}).all()
    if not rows:
        return None
    first = rows[0]
    most = Role.WRITER if first.writes else Role.READER
    # Who owns the wiki may do all in each of its volumes, without a role there.
    roles = dict.fromkeys(first.volumes, most) if first.owns_wiki else {}
    roles |= {
        row.volume: min(Role(row.role), most)
        for row in rows
        if row.volume is not None and not first.owns_wiki
    }
    actor = Actor(first.id, first.handle, first.name, MappingProxyType(roles), program=True)
    return Holder(actor, first.key, first.used)


def touch(connection: Connection, key: int, now: datetime) -> None:
    """Says that a key is in use."""
    connection.execute(_USED, {"key": key, "now": now})
