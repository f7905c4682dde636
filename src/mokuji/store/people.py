"""People, what they are in each volume, and their sessions."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime
from types import MappingProxyType

from sqlalchemy import Connection, text

from mokuji.core.model.policy import Actor, Role


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


_ACCOUNT = "SELECT id, handle, name, work, password, owns_wiki, closed FROM person"


def account(connection: Connection, handle: str) -> Account | None:
    """The person with a handle."""
    row = connection.execute(
        text(f'{_ACCOUNT} WHERE handle = :handle COLLATE "C"'),
        {"handle": handle},
    ).first()
    return Account(*row) if row else None


def accounts(connection: Connection) -> list[Account]:
    """All people, for the demo's sign-in page."""
    rows = connection.execute(text(f"{_ACCOUNT} WHERE closed IS NULL ORDER BY id LIMIT 50"))
    return [Account(*row) for row in rows]


def handles(connection: Connection, most: int = 500) -> list[tuple[str, str]]:
    """Handles and names of people who have not left, by handle."""
    rows = connection.execute(
        text("SELECT handle, name FROM person WHERE closed IS NULL ORDER BY handle LIMIT :most"),
        {"most": most},
    )
    return [(row.handle, row.name) for row in rows]


def add_person(
    connection: Connection, handle: str, name: str, work: str, password: str, *, owns_wiki: bool = False
) -> int:
    """A new person; ``password`` is the hash of it."""
    return int(
        connection.execute(
            text(
                """INSERT INTO person (handle, name, work, password, owns_wiki)
                VALUES (:handle, :name, :work, :password, :owns_wiki) RETURNING id"""
            ),
            {"handle": handle, "name": name, "work": work, "password": password, "owns_wiki": owns_wiki},
        ).scalar_one()
    )


def set_role(connection: Connection, person: int, volume: int, role: Role) -> None:
    """What a person is in a volume."""
    connection.execute(
        text(
            """INSERT INTO membership (person, volume, role) VALUES (:person, :volume, :role)
            ON CONFLICT (person, volume) DO UPDATE SET role = EXCLUDED.role"""
        ),
        {"person": person, "volume": volume, "role": int(role)},
    )


def rename(connection: Connection, person: int, handle: str) -> None:
    """Another handle for a person; the one they had stays theirs as far as pages name it (``had_by_others``)."""
    connection.execute(
        text(
            """INSERT INTO former_handle (handle, person) SELECT handle, id FROM person WHERE id = :id
            ON CONFLICT (handle) DO UPDATE SET person = EXCLUDED.person"""
        ),
        {"id": person},
    )
    connection.execute(
        text("UPDATE person SET handle = :handle WHERE id = :id"), {"handle": handle, "id": person}
    )


def had_by_others(connection: Connection, handle: str, person: int) -> bool:
    """Whether the last who had a handle was somebody else."""
    found = connection.execute(
        text('SELECT person FROM former_handle WHERE handle = :handle COLLATE "C"'), {"handle": handle}
    ).scalar()
    return found is not None and found != person


def owners_of_wiki(connection: Connection) -> list[int]:
    """Who owns the wiki and may sign in, by id."""
    return list(
        connection.execute(
            text("SELECT id FROM person WHERE owns_wiki AND closed IS NULL ORDER BY id")
        ).scalars()
    )


def set_owner_of_wiki(connection: Connection, person: int, owns: bool) -> None:
    """Makes a person an owner of the wiki, or no longer."""
    connection.execute(
        text("UPDATE person SET owns_wiki = :owns WHERE id = :id"), {"owns": owns, "id": person}
    )


def close(connection: Connection, person: int, at: datetime | None) -> None:
    """From a moment on a person may not sign in (None: they may again); their sessions end. What they wrote stays."""
    connection.execute(text("UPDATE person SET closed = :at WHERE id = :id"), {"at": at, "id": person})
    close_sessions(connection, person)


def set_password(connection: Connection, person: int, password: str) -> None:
    """Another password for a person, as its hash; their sessions end."""
    connection.execute(
        text("UPDATE person SET password = :password WHERE id = :id"), {"password": password, "id": person}
    )
    close_sessions(connection, person)


def open_session(
    connection: Connection, token: str, person: int, now: datetime, expires: datetime, idle_since: datetime
) -> None:
    """A session, kept by the hash of its token; sessions that have run out, or were not used for long, go."""
    connection.execute(
        text("DELETE FROM session WHERE expires < :now OR seen < :idle"), {"now": now, "idle": idle_since}
    )
    connection.execute(
        text("INSERT INTO session (token, person, expires, seen) VALUES (:token, :person, :expires, :now)"),
        {"token": token, "person": person, "expires": expires, "now": now},
    )


def close_session(connection: Connection, token: str) -> None:
    """Ends a session."""
    connection.execute(text('DELETE FROM session WHERE token = :token COLLATE "C"'), {"token": token})


def close_sessions(connection: Connection, person: int) -> None:
    """Ends all sessions of a person."""
    connection.execute(text("DELETE FROM session WHERE person = :person"), {"person": person})


def touch_session(connection: Connection, token: str, now: datetime) -> None:
    """Says that a session is in use."""
    connection.execute(
        text('UPDATE session SET seen = :now WHERE token = :token COLLATE "C"'), {"now": now, "token": token}
    )


@dataclass(frozen=True, slots=True)
class Session:
    """Whom a session belongs to, and when it was last said that it is in use."""

    actor: Actor
    seen: datetime


SESSION = text(
    """SELECT p.id, p.handle, p.name, p.owns_wiki, s.seen, m.volume, m.role FROM session s
    JOIN person p ON p.id = s.person LEFT JOIN membership m ON m.person = p.id
    WHERE s.token = :token COLLATE "C" AND s.expires > :now AND s.seen > :idle AND p.closed IS NULL"""
)


def session(connection: Connection, token: str, now: datetime, idle_since: datetime) -> Session | None:
    """Who a session belongs to, with all roles; None if there is none, it has run out, was not used since
    ``idle_since``, or its person has left."""
    rows = connection.execute(SESSION, {"token": token, "now": now, "idle": idle_since}).all()
    if not rows:
        return None
    first = rows[0]
    roles = {row.volume: Role(row.role) for row in rows if row.volume is not None}
    return Session(
        Actor(first.id, first.handle, first.name, MappingProxyType(roles), first.owns_wiki), first.seen
    )


def readers_of(connection: Connection, volume: int) -> dict[int, str]:
    """The people of a volume, who read it even if it is closed, and the owners of the wiki; names by id."""
    rows = connection.execute(
        text(
            """SELECT p.id, p.name FROM person p WHERE p.closed IS NULL AND (p.owns_wiki
                OR EXISTS (SELECT 1 FROM membership m WHERE m.person = p.id AND m.volume = :volume))"""
        ),
        {"volume": volume},
    )
    return {row.id: row.name for row in rows}


def actor_by_id(connection: Connection, person: int) -> Actor:
    """A person as an actor, for commands that act in somebody's name."""
    row = connection.execute(
        text("SELECT handle, name, owns_wiki FROM person WHERE id = :id"), {"id": person}
    ).one()
    roles = connection.execute(text("SELECT volume, role FROM membership WHERE person = :id"), {"id": person})
    given = MappingProxyType({r.volume: Role(r.role) for r in roles})
    return Actor(person, row.handle, row.name, given, row.owns_wiki)


TRIES = text("SELECT count(*) FROM sign_in_try WHERE key = :key AND at > :since")


def try_sign_in(connection: Connection, keys: Sequence[bytes], now: datetime, since: datetime) -> list[int]:
    """Counts a try to sign in, and says how many there were of each key since then, this one included. Older ones
    go."""
    connection.execute(text("DELETE FROM sign_in_try WHERE at <= :since"), {"since": since})
    connection.execute(
        text("INSERT INTO sign_in_try (key, at) SELECT unnest(CAST(:keys AS bytea[])), :now"),
        {"keys": list(keys), "now": now},
    )
    return [connection.execute(TRIES, {"key": key, "since": since}).scalar_one() for key in keys]


def forget_tries(connection: Connection, keys: Sequence[bytes]) -> None:
    """Counts the tries of these keys no longer."""
    connection.execute(
        text("DELETE FROM sign_in_try WHERE key = ANY(CAST(:keys AS bytea[]))"), {"keys": list(keys)}
    )


def names_of(connection: Connection, people: Collection[int]) -> dict[int, str]:
    """The names of people by id."""
    query = text("SELECT id, name FROM person WHERE id = ANY(CAST(:people AS int[]))")
    return {row.id: row.name for row in connection.execute(query, {"people": list(people)}).all()}


def names_by_handle(connection: Connection) -> dict[str, str]:
    """What people are called, by their handles."""
    return {row.handle: row.name for row in connection.execute(text("SELECT handle, name FROM person"))}


def calendar_serial(connection: Connection, person: int) -> int:
    """How often the addresses of a person's calendars were renewed; -1 for nobody."""
    found = connection.execute(text("SELECT calendar FROM person WHERE id = :id"), {"id": person}).scalar()
    return -1 if found is None else int(found)


def renew_calendar(connection: Connection, person: int) -> None:
    """Makes the addresses of a person's calendars other ones."""
    connection.execute(text("UPDATE person SET calendar = calendar + 1 WHERE id = :id"), {"id": person})
