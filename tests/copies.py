"""Wikis that are made once for each process of tests, and copied for each test: to copy one takes a tenth as long."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import TypeVar

import pytest
from sqlalchemy import Engine, text

from mokuji.adapters.cluster import database_url
from mokuji.services.app_context import AppContext
from mokuji.store.database import connect

KEY = b"a key for tests only"
T = TypeVar("T")
_numbers = itertools.count(1)
_engines: dict[tuple[str, str], list[Engine]] = {}
"""Engines whose databases are gone, by server and template."""


class Clock:
    """A clock that moves on by a second each time it is asked."""

    def __init__(self, now: datetime = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)) -> None:
        self.now = now

    def __call__(self) -> datetime:
        self.now += timedelta(seconds=1)
        return self.now


def copy_of(server: str, template: str, *, keep: bool = False) -> Iterator[Engine]:
    """A copy of a database; it goes when it is done with, unless it is kept.

    Copies of a template follow one another under one name and with one engine, which knows by then how each statement
    is written: to compile them anew took a sixth of the time of a test.
    """
    free = _engines.setdefault((server, template), [])
    used = free.pop() if free and not keep else None
    engine = used or connect(database_url(server, f"{template}_{next(_numbers)}"))
    name = engine.url.database
    admin = connect(server, pool_size=1)
    try:
        with admin.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text(f"CREATE DATABASE {name} TEMPLATE {template} STRATEGY file_copy"))
            try:
                yield engine
            finally:
                engine.dispose()
                if not keep:
                    connection.execute(text(f"DROP DATABASE {name} WITH (FORCE)"))
                    free.append(engine)
    finally:
        admin.dispose()


def made_once(
    fill: Callable[[AppContext], T],
) -> tuple[Callable[[str], Iterator[AppContext]], Callable[[AppContext], T]]:
    """Two fixtures: ``app`` with a wiki that ``fill`` has made, and what that gave."""
    made: list[tuple[str, datetime, T]] = []

    def make(server: str) -> None:
        for engine in copy_of(server, "empty_wiki", keep=True):
            clock = Clock()
            given = fill(AppContext(engine, KEY, clock=clock))
            assert engine.url.database is not None
            made.append((engine.url.database, clock.now, given))

    @pytest.fixture
    def app(server: str) -> Iterator[AppContext]:
        if not made:
            make(server)
        template, now, _ = made[0]
        for engine in copy_of(server, template):
            yield AppContext(engine, KEY, clock=Clock(now))

    @pytest.fixture
    def given(app: AppContext) -> T:
        return made[0][2]

    return app, given
