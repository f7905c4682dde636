"""The database to work with: a server that is given, or the private cluster, started and stopped here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import Engine, text

from mokuji.core.errors import Refused
from mokuji.services.desk import Desk
from mokuji.store.cluster import Cluster, database_url
from mokuji.store.database import connect, migrate


@contextmanager
def database(home: Path, url: str | None, name: str, *, fresh: bool = False) -> Iterator[Engine]:
    """An engine on a database in its newest form; a private cluster is stopped at the end."""
    if url is not None:
        if fresh:
            raise Refused("--fresh is for the private cluster; empty the database of MOKUJI_DATABASE_URL yourself.")
        yield from _migrated(url)
        return
    cluster = Cluster(home.resolve())
    server = cluster.start()
    try:
        _make_database(server, name, fresh=fresh)
        yield from _migrated(database_url(server, name))
    finally:
        cluster.stop()


def _migrated(url: str) -> Iterator[Engine]:
    engine = connect(url)
    try:
        migrate(engine)
        yield engine
    finally:
        engine.dispose()


def _make_database(server: str, name: str, *, fresh: bool) -> None:
    engine = connect(server)
    try:
        with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            if fresh:
                connection.execute(text(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)'))
            there = connection.execute(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": name}).scalar()
            if not there:
                connection.execute(text(f'CREATE DATABASE "{name}"'))
    finally:
        engine.dispose()


def half_loaded(home: Path, is_loaded: Callable[[Desk], bool | None]) -> bool:
    """Whether the demo's own database holds something that is not the whole demo."""
    if not (home / "postgres" / "PG_VERSION").exists():
        return False
    with database(home, None, "demo") as engine:
        return is_loaded(Desk(engine, b"")) is False
