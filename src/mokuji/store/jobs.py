"""Jobs that the database keeps until a worker has done them (procrastinate).

A job is put in by the transaction that wants it, so there is none for what was
not done. Jobs that are the same wait once (``lock``). Statements are text: tables,
types and functions are the library's own.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import timedelta
from typing import Any

import procrastinate
from sqlalchemy import Connection, Engine, text

from mokuji.store.database import address_of

QUEUE = "upkeep"
STALLED = timedelta(minutes=2)
"""A job whose worker gave no sign of life for so long is taken up again."""


def defer(connection: Connection, task: str, arguments: Mapping[str, Any], lock: str) -> bool:
    """Puts a job in, unless the same waits already; whether it was put in."""
    waiting = text("SELECT 1 FROM procrastinate_jobs WHERE queueing_lock = :lock AND status = 'todo'")
    values = {"lock": lock}
    # Two at the same moment: one of them finds the other's once it is there.
    connection.execute(text("SELECT pg_advisory_xact_lock(hashtextextended(:lock, 0))"), values)
    if connection.execute(waiting, values).first() is not None:
        return False
    connection.execute(
        text(
            """SELECT procrastinate_defer_jobs_v1(ARRAY[ROW(:queue, :task, 0, :lock, :lock, CAST(:args AS jsonb),
            NULL)::procrastinate_job_to_defer_v1])"""
        ),
        {"queue": QUEUE, "task": task, "args": json.dumps(arguments), **values},
    )
    return True


def is_wanted(connection: Connection, lock: str) -> bool:
    """Whether such a job waits or is under way."""
    found = connection.execute(
        text(
            "SELECT 1 FROM procrastinate_jobs WHERE queueing_lock = :lock AND status IN ('todo', 'doing') LIMIT 1"
        ),
        {"lock": lock},
    )
    return found.first() is not None


def application(engine: Engine) -> procrastinate.App:
    """What a worker runs."""
    connector = procrastinate.PsycopgConnector(conninfo=address_of(engine), min_size=1, max_size=4)
    return procrastinate.App(connector=connector)
