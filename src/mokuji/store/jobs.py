"""Jobs that the database keeps until a worker has done them (procrastinate).

A job is put in by the transaction that wants it, so there is none for what was
not done. Jobs that are the same wait once (``lock``). Statements are text: tables,
types and functions are the library's own.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from datetime import timedelta
from typing import Any

import procrastinate
from sqlalchemy import Connection, Engine, text

from mokuji.store.database import address_of

QUEUE = "upkeep"
STALLED = timedelta(minutes=2)
"""A job whose worker gave no sign of life for so long is taken up again."""


def defer(connection: Connection, task: str, jobs: Mapping[str, Mapping[str, Any]]) -> Collection[str]:
    """Puts jobs in, by their locks with their arguments, unless the same waits already; the locks of those that were
    put in."""
    locks = sorted(jobs)
    # Two at the same moment: one of them finds the other's once it is there. In one order, so that none waits for
    # another that waits for it.
    connection.execute(_ALONE, {"locks": locks})
    waiting = wanted(connection, locks, ("todo",))
    new = [lock for lock in locks if lock not in waiting]
    if new:
        arguments = [json.dumps(jobs[lock]) for lock in new]
        connection.execute(_DEFER, {"queue": QUEUE, "task": task, "locks": new, "args": arguments})
    return new


_ALONE = text(
    "SELECT pg_advisory_xact_lock(hashtextextended(w.lock, 0)) FROM unnest(CAST(:locks AS text[])) AS w(lock)"
)
_WANTED = text(
    """SELECT queueing_lock FROM procrastinate_jobs
    WHERE queueing_lock = ANY(:locks) AND status = ANY(CAST(:states AS procrastinate_job_status[]))"""
)
_DEFER = text(
    """SELECT procrastinate_defer_jobs_v1(array_agg(
        ROW(:queue, :task, 0, w.lock, w.lock, CAST(w.args AS jsonb), NULL)::procrastinate_job_to_defer_v1))
    FROM unnest(CAST(:locks AS text[]), CAST(:args AS text[])) AS w(lock, args)"""
)


def wanted(
    connection: Connection, locks: Sequence[str], states: Sequence[str] = ("todo", "doing")
) -> set[str]:
    """Which of some jobs wait or are under way, by their locks."""
    rows = connection.execute(_WANTED, {"locks": list(locks), "states": list(states)}) if locks else ()
    return {lock for (lock,) in rows}


def application(engine: Engine) -> procrastinate.App:
    """What a worker runs."""
    connector = procrastinate.PsycopgConnector(conninfo=address_of(engine), min_size=1, max_size=4)
    return procrastinate.App(connector=connector)
