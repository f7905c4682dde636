"""The database to work with: a server that is given, or the private cluster, started and stopped here."""

from __future__ import annotations

import gc
import hashlib
import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import structlog

from mokuji.adapters.cluster import Cluster, database_url, is_reachable
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.services.app_context import AppContext
from mokuji.store.database import Engine, answers, connect, create_database, migrate

log = structlog.get_logger("mokuji")
WATCH = 2.0
"""Seconds between two looks whether the private server is there."""
SHARED_HOME = Path("/var/lib/mokuji")
"""Where data go when root starts Mokuji in a folder that PostgreSQL's own user cannot reach, such as /root."""


def home(wished: Path, *, chosen: bool) -> Path:
    """The folder for data. ``chosen`` folders are used as they are, another one only if it will do."""
    wished = wished.resolve()
    if chosen or os.geteuid() != 0 or is_reachable(wished):
        return wished
    return SHARED_HOME / hashlib.sha256(str(wished).encode()).hexdigest()[:12]


@contextmanager
def database(home: Path, url: str | None, name: str, *, fresh: bool = False) -> Iterator[Engine]:
    """An engine on a database in its newest form; a private cluster is stopped at the end."""
    if url is not None:
        if fresh:
            raise Refused(
                "--fresh is for the private cluster; empty the database of MOKUJI_DATABASE_URL yourself."
            )
        with _migrated(url) as engine:
            yield engine
        return
    cluster = Cluster(home)
    with cluster.running() as server:
        create_database(server, name, fresh=fresh)
        with _migrated(database_url(server, name)) as engine, _watched(cluster, engine.url.port or 0):
            yield engine


@contextmanager
def _watched(cluster: Cluster, port: int) -> Iterator[None]:
    """A private server that died (out of memory, by mistake) is started again: nobody else would."""
    over = threading.Event()

    def watch() -> None:
        while not over.wait(WATCH):
            try:
                if cluster.revive(port):
                    log.warning("database_started_again")
            except Exception as fault:
                # Whatever goes wrong: who watches goes on watching.
                log.error(
                    "database_not_started", reason=str(fault), exc_info=not isinstance(fault, MokujiError)
                )

    watching = threading.Thread(target=watch, daemon=True)
    watching.start()
    try:
        yield
    finally:
        over.set()
        watching.join()


@contextmanager
def _migrated(url: str) -> Iterator[Engine]:
    engine = connect(url)
    try:
        migrate(engine)
        yield engine
    finally:
        engine.dispose()


def settle() -> None:
    """For a process that serves: what is loaded by now stays, and a plan makes ten thousands of small values at a
    time, which the garbage collector need not look through again and again."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(100_000, 20, 20)


def healthy(app: AppContext) -> bool:
    """True if the database answers; DatabaseDown otherwise."""
    return answers(app.engine)
