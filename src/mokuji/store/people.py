"""People, what they are in each volume, and their sessions."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from types import MappingProxyType
from typing import Any

from sqlalchemy import Connection, Row, delete, exists, func, insert, or_, select, update
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.model.policy import Actor, Role
from mokuji.store.statements import among, value
from mokuji.store.tables import former_handle, membership, person, sign_in_try
from mokuji.store.tables import session as sessions


@dataclass(frozen=True, slots=True)
class Account:
    """A person as needed for signing in."""

    id: int
    handle: str
    name: str
    work: str
    password: str
    owns_wiki: bool = False
    closed: datetime | None = None


_HERE = person.c.closed.is_(None)
_IS = person.c.id == value("person")
_account = select(
    person.c.id,
    person.c.handle,
    person.c.name,
    person.c.work,
    person.c.password,
    person.c.owns_wiki,
    person.c.closed,
)
ACCOUNT = _account.where(person.c.handle == value("handle"))
ANYBODY = select(exists().select_from(person))
IS_HERE = select(exists().where(_IS, _HERE))
ACCOUNTS = _account.where(_HERE).order_by(person.c.id).limit(50)
_roles_held = select(func.count()).where(membership.c.person == person.c.id).scalar_subquery()
_last_seen = select(func.max(sessions.c.seen)).where(sessions.c.person == person.c.id).scalar_subquery()
EVERYBODY = (
    select(
        person.c.id,
        person.c.handle,
        person.c.name,
        person.c.owns_wiki,
        person.c.closed,
        _roles_held.label("volumes"),
        _last_seen.label("seen"),
    )
    .where(person.c.handle > value("after"))
    .order_by(person.c.handle)
    .limit(value("most"))
)
_ADD = insert(person).returning(person.c.id)
_SET_ROLE = insert_or_else(membership)
_SET_ROLE = _SET_ROLE.on_conflict_do_update(
    index_elements=["person", "volume"], set_={"role": _SET_ROLE.excluded.role}
)
_KEEP_HANDLE = insert_or_else(former_handle).from_select(
    ["handle", "person"], select(person.c.handle, person.c.id).where(_IS)
)
_KEEP_HANDLE = _KEEP_HANDLE.on_conflict_do_update(
    index_elements=["handle"], set_={"person": _KEEP_HANDLE.excluded.person}
)
_SET_HANDLE = update(person).where(_IS).values(handle=value("new_handle"))
HAD = select(former_handle.c.person).where(former_handle.c.handle == value("handle"))
OWNERS = select(person.c.id).where(person.c.owns_wiki, _HERE).order_by(person.c.id)
_SET_OWNER = update(person).where(_IS).values(owns_wiki=value("owns"))
_CLOSE = update(person).where(_IS).values(closed=value("at"))
_SET_PASSWORD = update(person).where(_IS).values(password=value("new_password"))
_SET_NAME = update(person).where(_IS).values(name=value("new_name"))
_FORGET_SESSIONS = delete(sessions).where(
    or_(sessions.c.expires < value("now"), sessions.c.seen < value("idle"))
)
_OPEN = insert(sessions)
_END = delete(sessions).where(sessions.c.token == value("token"))
_END_OTHERS = delete(sessions).where(
    sessions.c.person == value("person"), sessions.c.token.is_distinct_from(value("but"))
)
_END_ONE = delete(sessions).where(sessions.c.person == value("person"), sessions.c.id == value("session"))
SESSIONS = (
    select(sessions.c.id, sessions.c.token, sessions.c.device, sessions.c.begun, sessions.c.seen)
    .where(
        sessions.c.person == value("person"),
        sessions.c.expires > value("now"),
        sessions.c.seen > value("idle"),
    )
    .order_by(sessions.c.seen.desc(), sessions.c.id.desc())
    .limit(100)
)
_TOUCH = update(sessions).where(sessions.c.token == value("given")).values(seen=value("now"))
SESSION = (
    select(
        person.c.id,
        person.c.handle,
        person.c.name,
        person.c.owns_wiki,
        sessions.c.seen,
        membership.c.volume,
        membership.c.role,
    )
    .select_from(
        sessions.join(person, person.c.id == sessions.c.person).outerjoin(
            membership, membership.c.person == person.c.id
        )
    )
    .where(
        sessions.c.token == value("token"),
        sessions.c.expires > value("now"),
        sessions.c.seen > value("idle"),
        _HERE,
    )
)
READERS = select(person.c.id, person.c.name).where(
    _HERE,
    or_(
        person.c.owns_wiki,
        exists().where(membership.c.person == person.c.id, membership.c.volume == value("volume")),
    ),
)
ACTOR = select(person.c.handle, person.c.name, person.c.owns_wiki).where(_IS)
ROLES = select(membership.c.volume, membership.c.role).where(membership.c.person == value("person"))
TRIES = select(func.count()).where(sign_in_try.c.key == value("key"), sign_in_try.c.at > value("since"))
_FORGET_TRIES = delete(sign_in_try).where(sign_in_try.c.at <= value("since"))
_TRY = insert(sign_in_try)
_DROP_TRIES = delete(sign_in_try).where(sign_in_try.c.key == value("key"))
NAMES = select(person.c.id, person.c.name).where(among(person.c.id, "people"))
CALENDAR = select(person.c.calendar).where(_IS, _HERE)
_RENEW_CALENDAR = update(person).where(_IS).values(calendar=person.c.calendar + 1)


def account(connection: Connection, handle: str) -> Account | None:
    """The person with a handle."""
    row = connection.execute(ACCOUNT, {"handle": handle}).first()
    return Account(*row) if row else None


def anybody(connection: Connection) -> bool:
    """Whether there are people, those who left included."""
    return bool(connection.execute(ANYBODY).scalar_one())


def is_here(connection: Connection, person: int) -> bool:
    """Whether somebody is there who has not left."""
    return bool(connection.execute(IS_HERE, {"person": person}).scalar_one())


def accounts(connection: Connection) -> list[Account]:
    """All people, for the demo's sign-in page."""
    return [Account(*row) for row in connection.execute(ACCOUNTS)]


@dataclass(frozen=True, slots=True)
class Known:
    """A person as owners of the wiki see them: in how many volumes they have a role, and when a session of theirs that
    has not ended was last in use."""

    id: int
    handle: str
    name: str
    owns_wiki: bool
    closed: datetime | None
    volumes: int
    seen: datetime | None


def everybody(connection: Connection, after: str, most: int) -> list[Known]:
    """People by handle, those who left included, behind one of them."""
    return [Known(*row) for row in connection.execute(EVERYBODY, {"after": after, "most": most})]


def add_person(
    connection: Connection, handle: str, name: str, work: str, password: str, *, owns_wiki: bool = False
) -> int:
    """A new person; ``password`` is the hash of it."""
    values = {"handle": handle, "name": name, "work": work, "password": password, "owns_wiki": owns_wiki}
    return connection.execute(_ADD, values).scalar_one()


def set_role(connection: Connection, person: int, volume: int, role: Role) -> None:
    """What a person is in a volume."""
    connection.execute(_SET_ROLE, {"person": person, "volume": volume, "role": int(role)})


def rename(connection: Connection, person: int, handle: str) -> None:
    """Another handle for a person; the one they had stays theirs as far as pages name it (``had_by_others``)."""
    connection.execute(_KEEP_HANDLE, {"person": person})
    connection.execute(_SET_HANDLE, {"person": person, "new_handle": handle})


def had_by_others(connection: Connection, handle: str, person: int) -> bool:
    """Whether the last who had a handle was somebody else."""
    found = connection.execute(HAD, {"handle": handle}).scalar()
    return found is not None and found != person


def owners_of_wiki(connection: Connection) -> list[int]:
    """Who owns the wiki and may sign in, by id."""
    return list(connection.execute(OWNERS).scalars())


def set_owner_of_wiki(connection: Connection, person: int, owns: bool) -> None:
    """Makes a person an owner of the wiki, or no longer."""
    connection.execute(_SET_OWNER, {"owns": owns, "person": person})


def close(connection: Connection, person: int, at: datetime | None) -> None:
    """From a moment on a person may not sign in (None: they may again); their sessions end. What they wrote stays."""
    connection.execute(_CLOSE, {"at": at, "person": person})
    close_sessions(connection, person)


def set_password(connection: Connection, person: int, password: str, *, but: str | None = None) -> None:
    """Another password for a person, as its hash; their sessions end, but for the one of a token's hash."""
    connection.execute(_SET_PASSWORD, {"new_password": password, "person": person})
    close_sessions(connection, person, but=but)


def set_name(connection: Connection, person: int, name: str) -> None:
    """Another name for a person, as others see it."""
    connection.execute(_SET_NAME, {"new_name": name, "person": person})


def open_session(
    connection: Connection,
    token: str,
    person: int,
    now: datetime,
    expires: datetime,
    idle_since: datetime,
    device: str = "",
) -> None:
    """A session, kept by the hash of its token; sessions that have run out, or were not used for long, go."""
    connection.execute(_FORGET_SESSIONS, {"now": now, "idle": idle_since})
    values = {"token": token, "person": person, "expires": expires, "seen": now}
    connection.execute(_OPEN, {**values, "begun": now, "device": device})


def sessions_of(
    connection: Connection, person: int, now: datetime, idle_since: datetime
) -> Sequence[Row[*tuple[Any, ...]]]:
    """The sessions of a person that have not run out: id, hash of the token, device, since when, last in use."""
    return connection.execute(SESSIONS, {"person": person, "now": now, "idle": idle_since}).all()


def close_session(connection: Connection, token: str) -> None:
    """Ends a session."""
    connection.execute(_END, {"token": token})


def end_session(connection: Connection, person: int, session: int) -> bool:
    """Ends a session of a person, by its id; False if it is none of theirs."""
    return connection.execute(_END_ONE, {"person": person, "session": session}).rowcount > 0


def close_sessions(connection: Connection, person: int, *, but: str | None = None) -> None:
    """Ends all sessions of a person, but for the one of a token's hash."""
    connection.execute(_END_OTHERS, {"person": person, "but": but})


def touch_session(connection: Connection, token: str, now: datetime) -> None:
    """Says that a session is in use."""
    connection.execute(_TOUCH, {"now": now, "given": token})


@dataclass(frozen=True, slots=True)
class Session:
    """Whom a session belongs to, and when it was last said that it is in use."""

    actor: Actor
    seen: datetime


def session(connection: Connection, token: str, now: datetime, idle_since: datetime) -> Session | None:
    """Who a session belongs to, with all roles; None if there is none, it has run out, was not used since
    ``idle_since``, or its person has left."""
    rows = connection.execute(SESSION, {"token": token, "now": now, "idle": idle_since}).all()
    return session_of(rows) if rows else None


def session_of(rows: Sequence[Row[*tuple[Any, ...]]]) -> Session:
    """A session from its rows, one for each role."""
    first = rows[0]
    roles = {row.volume: Role(row.role) for row in rows if row.volume is not None}
    return Session(
        Actor(first.id, first.handle, first.name, MappingProxyType(roles), first.owns_wiki), first.seen
    )


def readers_of(connection: Connection, volume: int) -> dict[int, str]:
    """The people of a volume, who read it even if it is closed, and the owners of the wiki; names by id."""
    return dict(connection.execute(READERS, {"volume": volume}).all())


def actor_by_id(connection: Connection, person: int) -> Actor:
    """A person as an actor, for commands that act in somebody's name."""
    handle, name, owns_wiki = connection.execute(ACTOR, {"person": person}).one()
    roles = {volume: Role(role) for volume, role in connection.execute(ROLES, {"person": person})}
    return Actor(person, handle, name, MappingProxyType(roles), owns_wiki)


def try_sign_in(connection: Connection, keys: Sequence[bytes], now: datetime, since: datetime) -> list[int]:
    """Counts a try to sign in, and says how many there were of each key since then, this one included. Older ones
    go."""
    connection.execute(_FORGET_TRIES, {"since": since})
    connection.execute(_TRY, [{"key": key, "at": now} for key in keys])
    return [connection.execute(TRIES, {"key": key, "since": since}).scalar_one() for key in keys]


def forget_tries(connection: Connection, keys: Sequence[bytes]) -> None:
    """Counts the tries of these keys no longer."""
    connection.execute(_DROP_TRIES, [{"key": key} for key in keys])


def names_of(connection: Connection, people: Collection[int]) -> dict[int, str]:
    """The names of people by id."""
    return dict(connection.execute(NAMES, {"people": people}).all())


def calendar_serial(connection: Connection, person: int) -> int:
    """How often the addresses of a person's calendars were renewed; -1 for nobody, and for who has left."""
    found = connection.execute(CALENDAR, {"person": person}).scalar()
    return -1 if found is None else found


def renew_calendar(connection: Connection, person: int) -> None:
    """Makes the addresses of a person's calendars other ones."""
    connection.execute(_RENEW_CALENDAR, {"person": person})
