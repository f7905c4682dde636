"""People, what they are in each volume, and their sessions."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from types import MappingProxyType

from sqlalchemy import Connection, text

from mokuji.core.policy import Actor, Role


@dataclass(frozen=True, slots=True)
class Account:
    """A person as needed for signing in."""

    id: int
    handle: str
    name: str
    work: str
    password: str


def account(connection: Connection, handle: str) -> Account | None:
    """The person with a handle."""
    row = connection.execute(
        text('SELECT id, handle, name, work, password FROM person WHERE handle = :handle COLLATE "C"'),
        {"handle": handle},
    ).first()
    return Account(*row) if row else None


def accounts(connection: Connection) -> list[Account]:
    """All people, for the demo's sign-in page."""
    rows = connection.execute(
        text("SELECT id, handle, name, work, password FROM person ORDER BY id LIMIT 50")
    )
    return [Account(*row) for row in rows]


def handles(connection: Connection, most: int = 500) -> list[tuple[str, str]]:
    """Handles and names of people, by handle."""
    rows = connection.execute(
        text("SELECT handle, name FROM person ORDER BY handle LIMIT :most"), {"most": most}
    )
    return [(row.handle, row.name) for row in rows]


def add_person(connection: Connection, handle: str, name: str, work: str, password: str) -> int:
    """A new person; ``password`` is the hash of it."""
    return int(
        connection.execute(
            text(
                """INSERT INTO person (handle, name, work, password)
                VALUES (:handle, :name, :work, :password) RETURNING id"""
            ),
            {"handle": handle, "name": name, "work": work, "password": password},
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


def open_session(connection: Connection, token: str, person: int, expires: datetime) -> None:
    """A session, kept by the hash of its token; sessions that have run out go."""
    connection.execute(text("DELETE FROM session WHERE expires < now()"))
    connection.execute(
        text("INSERT INTO session (token, person, expires) VALUES (:token, :person, :expires)"),
        {"token": token, "person": person, "expires": expires},
    )


def close_session(connection: Connection, token: str) -> None:
    """Ends a session."""
    connection.execute(text('DELETE FROM session WHERE token = :token COLLATE "C"'), {"token": token})


def actor_of(connection: Connection, token: str, now: datetime) -> Actor | None:
    """Who a session belongs to, with all roles; None if there is none or it has run out."""
    rows = connection.execute(
        text(
            """SELECT p.id, p.handle, p.name, m.volume, m.role FROM session s JOIN person p ON p.id = s.person
            LEFT JOIN membership m ON m.person = p.id
            WHERE s.token = :token COLLATE "C" AND s.expires > :now"""
        ),
        {"token": token, "now": now},
    ).all()
    if not rows:
        return None
    roles = {row.volume: Role(row.role) for row in rows if row.volume is not None}
    return Actor(rows[0].id, rows[0].handle, rows[0].name, MappingProxyType(roles))


def actor_by_id(connection: Connection, person: int) -> Actor:
    """A person as an actor, for commands that act in somebody's name."""
    row = connection.execute(text("SELECT handle, name FROM person WHERE id = :id"), {"id": person}).one()
    roles = connection.execute(text("SELECT volume, role FROM membership WHERE person = :id"), {"id": person})
    return Actor(person, row.handle, row.name, MappingProxyType({r.volume: Role(r.role) for r in roles}))


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
