"""The moment that the database shows, and who comes in at it.

A snapshot of PostgreSQL says which transactions are over (its documentation, “Transaction ID and Snapshot Information
Functions”): two that read the same show the same rows, whatever is being written meanwhile. Nothing has to be raised
by those who write, which would either make them wait for each other or be seen in another order than they commit.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, String, cast, func, select, true

from mokuji.store.index.upkeep import IS_STALE
from mokuji.store.people import SESSION, Session, session_of
from mokuji.store.telling import entries

# A server that lost its last commits in a crash may use their numbers again: it has started since.
moment = func.concat(func.pg_postmaster_start_time(), " ", cast(func.pg_current_snapshot(), String))
MOMENT = select(moment)
_first = select(moment.label("moment"), IS_STALE.scalar_subquery().label("stale")).subquery("first")
_session = SESSION.subquery("session")
# A session has a row for each role of its person.
_unread = entries.unread_of(SESSION.limit(1).subquery("who"))
ARRIVE = select(_first, _session, _unread.label("unread")).select_from(_first.outerjoin(_session, true()))


@dataclass(frozen=True, slots=True)
class Arrival:
    """The moment at which somebody comes in; ``stale`` if upkeep is to be looked at again; the session, if there is
    one, and how much its person was told that they did not read yet, up to ``entries.COUNTED``."""

    moment: str
    stale: bool
    session: Session | None
    unread: int


def arrive(connection: Connection, token: str, now: datetime, idle_since: datetime) -> Arrival:
    """Who comes in with a session's hashed token (as ``people.session``), in one question."""
    rows = connection.execute(ARRIVE, {"token": token, "now": now, "idle": idle_since}).all()
    first = rows[0]
    session = session_of(rows) if first.id is not None else None
    return Arrival(first.moment, first.stale, session, first.unread if session is not None else 0)
