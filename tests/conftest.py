"""What all tests share: how hard the random ones try, and a real PostgreSQL for those that ask for one."""

from __future__ import annotations

import atexit
import os
import shutil
from collections.abc import Iterator

import pytest
import structlog
from argon2 import PasswordHasher
from hypothesis import HealthCheck, settings
from sqlalchemy import Engine, text

from mokuji.adapters.cluster import Cluster, database_url
from mokuji.demo import making as demo
from mokuji.services import passwords
from mokuji.services.app_context import AppContext, catch_up, refresh
from mokuji.store.database import connect, create_database, migrate
from tests.copies import KEY, Clock, copy_of, keep_rows
from tests.memory_disk import new_folder

# Tracebacks as Python writes them: with all values in them, one fault fills screens and takes a minute.
structlog.configure(
    processors=[
        structlog.processors.add_log_level,
        structlog.processors.format_exc_info,
        structlog.processors.KeyValueRenderer(),
    ]
)
# Passwords of tests need not be dear to guess: a hash with the product's own cost takes longer than most tests.
_NOBODYS_HASH = passwords.NOBODYS_HASH
passwords._hasher = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
passwords.NOBODYS_HASH = passwords._hasher.hash("nobody")
# The usual run tries the same examples each time, so that it tells about the change and not about luck; the thorough
# one looks for new ones.
settings.register_profile(
    "usual",
    max_examples=60,
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
    print_blob=True,
)
settings.register_profile(
    "thorough", parent=settings.get_profile("usual"), derandomize=False, max_examples=1500
)
settings.load_profile(os.environ.get("MOKUJI_TEST_PROFILE", "usual"))

# What is kept of folders between commands does not go where that of whoever runs the tests is.
os.environ["XDG_CACHE_HOME"] = str(new_folder("mokuji-kept-"))
atexit.register(shutil.rmtree, os.environ["XDG_CACHE_HOME"], ignore_errors=True)


@pytest.fixture(scope="session")
def server() -> Iterator[str]:
    """The address of a private server without durability, one for each process of tests."""
    folder = new_folder("mokuji-test-")
    try:
        with Cluster(folder, durable=False).running() as url:
            _without_autovacuum(url)
            create_database(url, "empty_wiki")
            engine = connect(database_url(url, "empty_wiki"))
            migrate(engine)
            keep_rows(engine)
            engine.dispose()
            yield url
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _without_autovacuum(server: str) -> None:
    """Statistics, and what is known to be visible to all, change when a test says so, not at some moment."""
    admin = connect(server, pool_size=1)
    try:
        with admin.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
            connection.execute(text("ALTER SYSTEM SET autovacuum = off"))
            connection.execute(text("SELECT pg_reload_conf()"))
    finally:
        admin.dispose()


@pytest.fixture
def engine(server: str) -> Iterator[Engine]:
    """A database of its own for each test, migrated and empty."""
    yield from copy_of(server, "empty_wiki")


@pytest.fixture
def nobodys_hash() -> str:
    """What the product compares the password of an unknown handle with."""
    return _NOBODYS_HASH


@pytest.fixture
def app(engine: Engine) -> AppContext:
    """What is needed to work on an empty wiki."""
    return AppContext(engine, KEY, clock=Clock())


@pytest.fixture
def other_app(server: str) -> Iterator[AppContext]:
    """As ``app``, beside it."""
    for engine in copy_of(server, "empty_wiki"):
        yield AppContext(engine, b"another key for tests", clock=Clock())


@pytest.fixture(scope="session")
def demo_template(server: str) -> str:
    """The name of a database that holds the demo."""
    create_database(server, "demo_wiki")
    engine = connect(database_url(server, "demo_wiki"))
    migrate(engine)
    loaded = AppContext(engine, KEY, demo=True)
    demo.load(loaded)
    # What a first visit and the worker would do, once for all copies.
    refresh(loaded)
    catch_up(loaded)
    keep_rows(engine)
    engine.dispose()
    return "demo_wiki"


@pytest.fixture
def demo_app(server: str, demo_template: str) -> Iterator[AppContext]:
    """What is needed to work on a fresh copy of the demo wiki."""
    for engine in copy_of(server, demo_template):
        yield AppContext(engine, KEY, clock=Clock(), demo=True)
