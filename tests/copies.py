"""Wikis that are made once for each process of tests, and copied for each test: to copy one takes a tenth as long."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import TypeVar

import pytest
from sqlalchemy import Engine, event, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.pool import QueuePool

from mokuji.adapters.cluster import database_url
from mokuji.core.base.errors import MokujiError
from mokuji.services.app_context import AppContext
from mokuji.store.database import connect

KEY = b"a key for tests only"
T = TypeVar("T")
_numbers = itertools.count(1)
_free: dict[tuple[str, str], list[_Copy]] = {}
"""Copies that nobody uses at this moment, by server and template."""
MOST_USES = 40
"""So often one copy is used: rows that were taken away stay in its files."""
LARGEST = 2_000_000
"""Number of bytes of its tables from which on a copy is not used again."""
_SIZE = "SELECT sum(pg_relation_size(oid)) FROM pg_class WHERE relnamespace = 'public'::regnamespace AND relkind = 'r'"
_ALTERS = re.compile(r"\s*(?:ALTER|ANALYZE|CLUSTER|CREATE|DROP|REINDEX|TRUNCATE|VACUUM)\b", re.IGNORECASE)
_KEEP = """DO $$
DECLARE t record; s record; put text := ''; names text; columns text; filled boolean;
BEGIN
    FOR t IN SELECT c.oid, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE n.nspname = 'public' AND c.relkind = 'r' ORDER BY c.relname LOOP
        put := put || format('DELETE FROM public.%I;', t.relname);
        EXECUTE format('SELECT EXISTS (SELECT FROM public.%I)', t.relname) INTO filled;
        IF filled THEN
            SELECT string_agg(quote_ident(attname), ', ' ORDER BY attnum) INTO columns FROM pg_attribute
                WHERE attrelid = t.oid AND attnum > 0 AND NOT attisdropped AND attgenerated = '';
            EXECUTE format('CREATE TABLE kept.%I AS SELECT %s FROM public.%I', t.relname, columns, t.relname);
            put := put || format(
                'INSERT INTO public.%I (%s) OVERRIDING SYSTEM VALUE SELECT %s FROM kept.%I;',
                t.relname, columns, columns, t.relname);
        END IF;
    END LOOP;
    FOR s IN SELECT sequencename AS name, coalesce(last_value, start_value) AS at, last_value IS NOT NULL AS called
            FROM pg_sequences WHERE schemaname = 'public' LOOP
        put := put || format('PERFORM setval(%L, %s, %L);', 'public.' || quote_ident(s.name), s.at, s.called);
    END LOOP;
    EXECUTE format('CREATE FUNCTION kept.put_back() RETURNS void LANGUAGE plpgsql '
        'SET session_replication_role = replica AS %L', 'BEGIN ' || put || ' END');
END $$;
"""


class Clock:
    """A clock that moves on by a second each time it is asked."""

    def __init__(self, now: datetime = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)) -> None:
        self.now = now

    def __call__(self) -> datetime:
        self.now += timedelta(seconds=1)
        return self.now


@dataclass
class _Copy:
    """A copy of a database that was used, and can be again: with its engine, how often it was, and whether a test did
    more to it than rows tell."""

    engine: Engine
    uses: int = 0
    altered: bool = False

    def watch(self) -> None:
        """Notices what is not undone by putting the rows back."""

        def looked_at(_c: object, _cursor: object, statement: str, *_: object) -> None:
            if _ALTERS.match(statement):
                self.altered = True

        event.listen(self.engine, "before_cursor_execute", looked_at)


def copy_of(server: str, template: str, *, keep: bool = False) -> Iterator[Engine]:
    """A copy of a database; it goes when it is done with, unless it is kept.

    Copies of a template follow one another under one name and with one engine, which knows by then how each statement
    is written: to compile them anew took a sixth of the time of a test. As long as nothing but rows was changed the
    next test has the same database, with the rows as they were: its connections know the plans of statements, too.
    """
    free = _free.setdefault((server, template), [])
    copy = free.pop() if free and not keep else None
    if copy is None:
        copy = _Copy(connect(database_url(server, f"{template}_{next(_numbers)}")))
        copy.watch()
    if not copy.uses or not _as_it_was(copy):
        _made_anew(server, template, copy)
    copy.uses += 1
    try:
        yield copy.engine
    finally:
        if keep:
            copy.engine.dispose()
        else:
            free.append(copy)


def _made_anew(server: str, template: str, copy: _Copy) -> None:
    copy.engine.dispose()
    name = copy.engine.url.database
    admin = connect(server, pool_size=1)
    try:
        with admin.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text(f"DROP DATABASE IF EXISTS {name} WITH (FORCE)"))
            connection.execute(text(f"CREATE DATABASE {name} TEMPLATE {template} STRATEGY file_copy"))
    finally:
        admin.dispose()
    copy.uses, copy.altered = 0, False


def _as_it_was(copy: _Copy) -> bool:
    """Puts the rows back, if that is enough and can be done."""
    pool = copy.engine.pool
    if copy.altered or copy.uses >= MOST_USES or not isinstance(pool, QueuePool) or pool.checkedout():
        return False
    try:
        with copy.engine.begin() as connection:
            others = connection.exec_driver_sql(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
            ).scalar_one()
            if others > pool.checkedin() + 1:
                return False  # somebody is left over from the test before
            if connection.exec_driver_sql(_SIZE).scalar_one() > LARGEST:
                return False
            connection.exec_driver_sql("SET LOCAL lock_timeout = '2s'")
            connection.exec_driver_sql("SELECT kept.put_back()")
        return True
    except (DBAPIError, MokujiError):
        return False


def keep_rows(engine: Engine) -> None:
    """Keeps the rows of a template beside its tables, so that copies of it can be made what it is again."""
    with engine.begin() as connection:
        connection.exec_driver_sql("DROP SCHEMA IF EXISTS kept CASCADE")
        connection.exec_driver_sql("CREATE SCHEMA kept")
        connection.exec_driver_sql(_KEEP.replace("%", "%%"))


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
            keep_rows(engine)
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
