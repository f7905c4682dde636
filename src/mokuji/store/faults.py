"""What the database refused, by its SQLSTATE (PostgreSQL 17, appendix A), in sentences that say what to do.

Each is logged with its cause: the state, the constraint and the first line of the server. What the server says of
values is not logged: they are somebody's text.
"""

from __future__ import annotations

import structlog
from sqlalchemy.exc import DataError, DBAPIError

from mokuji.core.base.errors import BadText, Conflict, MokujiError

log = structlog.get_logger()


class DatabaseDown(MokujiError):
    """PostgreSQL cannot be reached, broke off, or cannot do its work."""

    code = "database_down"


class Collided(DatabaseDown):
    """Two transactions were in each other's way, so one of them was given up: it can be tried again as it is."""

    code = "collided"


_TAKEN = {
    "page_volume_key": "Somebody else made a page of this name at the same moment. Look at it, then try again.",
    "volume_key": "Somebody else made a volume of this name at the same moment. Look at it, then try again.",
    "person_handle": "Somebody else took this handle at the same moment. Choose another.",
    "file_volume_key": "Somebody else brought a file of this name at the same moment. Look at it, then try again.",
    "source_key_key": "Somebody else made a source of this name at the same moment. Look at it, then try again.",
    "offer_volume_handle_key": (
        "Somebody else offered this handle a role at the same moment. Look at what waits, then try again."
    ),
    "kept_question_own": "You kept a question of this name at the same moment. Look at it, then try again.",
    "contents_volume_key": (
        "Somebody else gave this name a place in the contents at the same moment. Look at them, then try again."
    ),
}
"""What is said where a name was taken meanwhile, by the constraint that says so."""
_SOMETHING_TAKEN = "Somebody else made the same at the same moment. Look at it, then try again."
_GONE = "Something that this belongs to was taken away at the same moment. Look at it again, then try again."
_TOO_LONG = (
    "This took the database longer than a minute, so it was given up. Nothing was changed; try again soon."
)
_FULL = "The disk of the database is full. Nothing was changed. Whoever runs this server: make room, then try again."
_NO_ROOM = "The database has no room for this at the moment (memory, connections). Nothing was changed; try again soon."
_READ_ONLY_STATE = "25006"
"""read_only_sql_transaction"""
_READ_ONLY = (
    "The database lets nothing be written at the moment. Whoever runs this server: see whether it is a copy, or set to "
    "read only."
)
_DOWN = (
    "The database cannot be reached. Nothing was changed; try again in a moment. Whoever runs this server: see that "
    "PostgreSQL is up."
)
_BROKE_OFF = "The database broke off. Nothing was changed; try again."
_COLLIDED = "Two changes were in each other's way. Nothing was changed; try again."
_ODD = (
    "Something that was sent cannot be kept: a NUL character, half of a character, or a number that is too large. Take "
    "it out, and send it again."
)


def translated(fault: DBAPIError, *, writes: bool = True) -> MokujiError | None:
    """What a fault of the database means; None for one that can only be a mistake of the program, as is writing in a
    transaction that was not begun to write."""
    state = getattr(fault.orig, "sqlstate", None) or ""
    diagnosis = getattr(fault.orig, "diag", None)
    constraint = getattr(diagnosis, "constraint_name", None) or ""
    found = _by_state(state, constraint) if writes or state != _READ_ONLY_STATE else None
    if found is None and not state and isinstance(fault, DataError):
        found = BadText(_ODD)  # the driver refused a value before it was sent
    if found is None and (fault.connection_invalidated or not state):
        found = DatabaseDown(_BROKE_OFF if fault.connection_invalidated else _DOWN)
    said = "" if state.startswith("22") else getattr(diagnosis, "message_primary", None)
    log.warning(
        "database_refused",
        state=state,
        constraint=constraint,
        said=said or type(fault.orig).__name__,
        told=found.code if found is not None else None,
    )
    return found


def _by_state(state: str, constraint: str) -> MokujiError | None:
    if state == "23505":  # unique_violation
        return Conflict(_TAKEN.get(constraint, _SOMETHING_TAKEN))
    if state == "23503":  # foreign_key_violation
        return Conflict(_GONE)
    if state in {"40001", "40P01"}:  # serialization_failure, deadlock_detected
        return Collided(_COLLIDED)
    if state == "57014":  # query_canceled, by the time that a statement may take
        return DatabaseDown(_TOO_LONG)
    if state == "53100":  # disk_full
        return DatabaseDown(_FULL)
    if state == _READ_ONLY_STATE:
        return DatabaseDown(_READ_ONLY)
    if state.startswith("53"):  # insufficient_resources
        return DatabaseDown(_NO_ROOM)
    # connection_exception; admin_shutdown, crash_shutdown, cannot_connect_now; system_error
    if state.startswith(("08", "57P", "58")):
        return DatabaseDown(_DOWN)
    if state.startswith("22"):  # data_exception
        return BadText(_ODD)
    return None
