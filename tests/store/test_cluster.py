"""The private cluster: made once, used again, found again after a kill, stopped by the last who uses it."""

from __future__ import annotations

import os
import shutil
import signal
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from mokuji.adapters.cluster import Cluster
from mokuji.services import hosting
from mokuji.store.database import DatabaseDown, connect, reading
from tests.memory_disk import new_folder


@pytest.fixture
def folder() -> Iterator[Path]:
    made = new_folder("mokuji-cluster-")
    yield made
    shutil.rmtree(made, ignore_errors=True)


def _server_pid(folder: Path) -> int | None:
    try:
        return int((folder / "postgres" / "postmaster.pid").read_text().split()[0])
    except FileNotFoundError:
        return None


def _ask(url: str, query: str) -> object:
    engine = connect(url, pool_size=1)
    try:
        with engine.begin() as connection:
            done = connection.execute(text(query))
            return done.scalar() if done.returns_rows else None
    finally:
        engine.dispose()


def test_it_is_made_started_and_stopped_and_its_data_stay(folder: Path) -> None:
    with Cluster(folder, durable=False).running() as url:
        _ask(url, "SELECT 1 AS one INTO kept")
    assert _server_pid(folder) is None
    with Cluster(folder, durable=False).running() as url:
        assert _ask(url, "SELECT one FROM kept") == 1


def test_real_data_are_written_durably(folder: Path) -> None:
    with Cluster(folder).running() as url:
        for setting in ("fsync", "synchronous_commit", "full_page_writes"):
            assert _ask(url, f"SHOW {setting}") == "on"


def test_it_asks_for_a_password_and_listens_on_loopback_only(folder: Path) -> None:
    with Cluster(folder, durable=False).running() as url:
        assert _ask(url, "SHOW listen_addresses") == "127.0.0.1"
        with pytest.raises(Exception, match="password"):
            _ask(url.replace(url.split(":")[2].split("@")[0], "wrong"), "SELECT 1")
        assert (folder / "password").stat().st_mode & 0o077 == 0


def test_a_second_user_neither_starts_another_server_nor_stops_this_one(folder: Path) -> None:
    with Cluster(folder, durable=False).running() as first:
        pid = _server_pid(folder)
        with Cluster(folder, durable=False).running() as second:
            assert first == second
        assert _server_pid(folder) == pid
        assert _ask(first, "SELECT 1") == 1


def test_what_a_killed_run_left_behind_is_used_again(folder: Path) -> None:
    cluster = Cluster(folder)
    with cluster.running() as url:
        _ask(url, "SELECT 1 AS one INTO kept")
        pid = _server_pid(folder)
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        time.sleep(0.3)
    with Cluster(folder).running() as url:
        assert _ask(url, "SELECT one FROM kept") == 1


def test_an_unfinished_cluster_is_made_anew(folder: Path) -> None:
    (folder / "postgres.new").mkdir()
    (folder / "postgres.new" / "PG_VERSION").write_text("15")
    with Cluster(folder, durable=False).running() as url:
        assert _ask(url, "SELECT 1") == 1


@pytest.mark.skipif(os.geteuid() != 0, reason="only root starts the server as somebody else")
def test_root_in_a_folder_that_is_closed_to_the_server_goes_elsewhere(folder: Path) -> None:
    closed = folder / "closed"
    closed.mkdir(mode=0o700)
    assert hosting.home(closed / "data", chosen=False).is_relative_to(hosting.SHARED_HOME)
    assert hosting.home(closed / "data", chosen=True) == closed / "data"
    assert hosting.home(folder / "data", chosen=False) == folder / "data"


def test_a_private_server_that_died_is_started_again_with_all_its_data(folder: Path) -> None:
    with hosting.database(folder, None, "wiki") as engine:
        with engine.begin() as connection:
            connection.execute(text("INSERT INTO volume (key, title) VALUES ('guide', 'Guide')"))
        pid = _server_pid(folder)
        assert pid is not None
        os.kill(pid, signal.SIGKILL)
        titles: list[str] = []
        for _ in range(300):
            try:
                # Backends that are left may answer once more.
                if _server_pid(folder) in {None, pid}:
                    raise DatabaseDown("not yet")
                with reading(engine) as connection:
                    titles = list(connection.execute(text("SELECT title FROM volume")).scalars())
                break
            except DatabaseDown:
                time.sleep(0.1)
        assert titles == ["Guide"]
        assert _server_pid(folder) not in {None, pid}
    assert _server_pid(folder) is None
