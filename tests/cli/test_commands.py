"""The commands as people start them: each of its own process, with a home of its own."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path

import httpx2
import pytest
from sqlalchemy import text
from typer.testing import CliRunner

from mokuji.adapters.cluster import Cluster, database_url
from mokuji.cli.main import app
from mokuji.store.database import connect, create_database
from tests.memory_disk import new_folder

MOKUJI = Path(sys.executable).parent / "mokuji"


@pytest.fixture
def home() -> Iterator[Path]:
    made = new_folder("mokuji-cli-")
    yield made / "home"
    shutil.rmtree(made, ignore_errors=True)


@pytest.fixture(scope="session")
def loaded() -> Iterator[Path]:
    """A home in which the demo was loaded; to load it takes most of the time of these tests."""
    made = new_folder("mokuji-cli-")
    assert _run(made / "home", "demo", "--load-only").returncode == 0
    yield made / "home"
    shutil.rmtree(made, ignore_errors=True)


@pytest.fixture
def demo_home(home: Path, loaded: Path) -> Path:
    """A home of one's own in which the demo was loaded; its files belong to whom they belonged."""
    subprocess.run(["cp", "-a", str(loaded), str(home)], check=True)
    return home


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _environment(home: Path, **more: str) -> dict[str, str]:
    kept = {name: value for name, value in os.environ.items() if not name.startswith("MOKUJI_")}
    return {**kept, "MOKUJI_HOME": str(home), "COLUMNS": "120", **more}


def _run(home: Path, *arguments: str, **more: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(MOKUJI), *arguments], env=_environment(home, **more), capture_output=True, text=True, check=False
    )


def _here(home: Path, *arguments: str, **more: str) -> subprocess.CompletedProcess[str]:
    """As ``_run``, in this very process: to load what a command needs takes longer than most commands."""
    unset = {name: None for name in os.environ if name.startswith("MOKUJI_")}
    wanted = {"MOKUJI_HOME": str(home), "COLUMNS": "120", **more}
    done = CliRunner().invoke(app, arguments, env={**unset, **wanted})
    return subprocess.CompletedProcess(arguments, done.exit_code, done.stdout, done.stderr)


@pytest.fixture
def given(server: str) -> dict[str, str]:
    """What lets a command work on an empty database that is there: a cluster of its own takes seconds to start and
    stop, each time."""
    create_database(server, "given", fresh=True)
    return {"MOKUJI_DATABASE_URL": database_url(server, "given")}


def _server_runs(home: Path) -> bool:
    return (home / "postgres" / "postmaster.pid").exists()


class Started:
    """A running ``mokuji demo``; waits until it answers."""

    def __init__(self, home: Path, *arguments: str, port: int, mailbox: bool = False) -> None:
        self.port = port
        # With a mail server of its own there is no stand-in for one beside it, which takes a while to start.
        mail = {} if mailbox else {"MOKUJI_MAIL": "smtp://127.0.0.1:9"}
        self.process = subprocess.Popen(
            [str(MOKUJI), "demo", *arguments],
            env=_environment(home, MOKUJI_PORT=str(port), **mail),
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        for _ in range(300):
            assert self.process.poll() is None, "it ended by itself"
            try:
                if httpx2.get(f"http://127.0.0.1:{port}/healthz").status_code == 200:
                    return
            except httpx2.TransportError:
                time.sleep(0.1)
        raise AssertionError("it does not answer")

    def end(self, by: signal.Signals) -> int:
        self.process.send_signal(by)
        return self.process.wait(30)


def test_help_names_every_command(home: Path) -> None:
    done = _run(home, "--help")
    assert done.returncode == 0
    for command in ("serve", "demo", "import", "add-person"):
        assert command in done.stdout
    assert not home.exists()


def test_the_demo_is_loaded_served_stopped_by_ctrl_c_and_found_again(home: Path) -> None:
    port = _free_port()
    demo = Started(home, port=port)
    assert "Battery well" in httpx2.get(f"http://127.0.0.1:{port}/tern-4-service-manual/battery-well").text
    busy = _run(home, "demo", MOKUJI_PORT=str(port))
    assert busy.returncode == 1
    assert f"Port {port}" in busy.stderr and f"MOKUJI_PORT={port + 1}" in busy.stderr
    assert _server_runs(home), "a second start that failed must not stop the first one's database"
    demo.end(signal.SIGINT)
    assert not _server_runs(home)
    again = Started(home, port=port)
    assert again.end(signal.SIGTERM) == 0
    assert not _server_runs(home)


def test_a_killed_run_leaves_nothing_in_the_way(demo_home: Path) -> None:
    home, port = demo_home, _free_port()
    Started(home, port=port).end(signal.SIGKILL)
    assert _server_runs(home)
    again = Started(home, port=port)
    assert httpx2.get(f"http://127.0.0.1:{port}/field-guide").status_code == 200
    again.end(signal.SIGINT)
    assert not _server_runs(home)


def _in_demo(home: Path, statement: str) -> object:
    """Runs a statement in the demo's database, with its server started for that long."""
    with Cluster(home).running() as url:
        engine = connect(database_url(url, "demo"), pool_size=1)
        with engine.begin() as connection:
            done = connection.execute(text(statement))
            found = done.scalar() if done.returns_rows else None
        engine.dispose()
        return found


def test_fresh_throws_away_what_was_changed_and_a_plain_start_does_not(demo_home: Path) -> None:
    home = demo_home
    _in_demo(home, "INSERT INTO volume (key, title) VALUES ('mine', 'Mine')")
    assert _run(home, "demo", "--load-only").returncode == 0
    assert _in_demo(home, "SELECT count(*) FROM volume") == 5
    assert _run(home, "demo", "--load-only", "--fresh").returncode == 0
    assert _in_demo(home, "SELECT count(*) FROM volume") == 4


def test_a_demo_that_was_not_loaded_to_its_end_is_started_over(demo_home: Path) -> None:
    home = demo_home
    _in_demo(home, "COMMENT ON TABLE volume IS NULL")
    again = _run(home, "demo", "--load-only")
    assert again.returncode == 0
    assert "starting it over" in again.stdout and "Loading the demo" in again.stdout


def test_a_folder_is_imported_and_its_owner_can_be_added(home: Path, given: dict[str, str]) -> None:
    folder = home.parent / "manual"
    folder.mkdir()
    (folder / "Pump.md").write_text("See [[Well]].")
    (folder / "bad.md").write_bytes(b"\xff")
    (folder / "photo.png").write_bytes(b"x")
    refused = _run(home, "import", str(folder), **given)
    assert refused.returncode == 1 and "Nothing was imported" in refused.stderr
    for said in ("bad.md: Byte 1 is not UTF-8", "photo.png: This is no page"):
        assert said in refused.stderr
    done = _here(home, "import", str(folder), "--leave-out", **given)
    assert done.returncode == 0
    assert "bad.md: Byte 1 is not UTF-8" in done.stderr and "Left out." in done.stderr
    assert "1 volume with 1 page was imported" in done.stdout
    out = home.parent / "out.zip"
    taken_out = _here(home, "export", str(out), "--volume", "manual", **given)
    assert taken_out.returncode == 0 and "were written" in taken_out.stdout, taken_out.stderr
    with zipfile.ZipFile(out) as archive:
        assert archive.read("manual/Pump.md") == b"See [[Well]]."
    again = _here(home, "import", str(folder), **given)
    assert again.returncode == 1 and "There is a volume “manual” already" in again.stderr
    short = _here(
        home, "add-person", "ada", "--name", "Ada", "--password", "short", "--owner-of", "manual", **given
    )
    assert short.returncode == 1 and "at least 12 characters" in short.stderr
    added = _here(
        home,
        "add-person",
        "ada",
        "--name",
        "Ada",
        "--password",
        "seven odd gulls sing",
        "--owner-of",
        "manual",
        **given,
    )
    assert added.returncode == 0
    work = home.parent / "work"
    with zipfile.ZipFile(out) as archive:
        archive.extractall(work)
    (work / "manual" / "Pump.md").rename(work / "manual" / "Bilge pump.md")
    (work / "manual" / "Well.md").write_text("New, with its [[Bilge pump]].")
    nobody = _here(home, "import", str(work), "--into", "manual", **given)
    assert nobody.returncode == 1 and "--as HANDLE" in nobody.stderr
    back = _here(home, "import", str(work), "--into", "manual", "--as", "ada", **given)
    assert back.returncode == 0, back.stderr
    assert "renamed: “Bilge pump” (was “Pump”)" in back.stdout and "new: “Well”" in back.stdout
    assert "It was taken in." in back.stdout
    forms = ["export", str(home.parent / "one.html"), "--form", "html", "--volume", "manual"]
    reader = _here(home, *forms, **given)
    assert reader.returncode == 1 and "--as HANDLE" in reader.stderr
    one = _here(home, *forms, "--as", "ada", **given)
    assert one.returncode == 0 and one.stdout == "2 pages went along.\n", one.stderr
    assert "<title>manual</title>" in (home.parent / "one.html").read_text()
    again = _here(home, *forms, "--as", "ada", **given)
    assert again.returncode == 1 and "is there already" in again.stderr
    plain = _here(
        home,
        "export",
        str(home.parent / "plain"),
        *forms[2:3],
        "commonmark",
        *forms[4:],
        "--as",
        "ada",
        **given,
    )
    assert plain.returncode == 0 and (home.parent / "plain" / "Bilge pump.md").is_file(), plain.stderr
    wrong = _here(
        home,
        "export",
        str(home.parent / "x.zip"),
        "--form",
        "docx",
        "--volume",
        "manual",
        "--as",
        "ada",
        **given,
    )
    assert wrong.returncode == 1 and "ends in .docx" in wrong.stderr
    all_of_it = home.parent / "whole"
    whole = _here(home, "export", str(all_of_it), "--whole", **given)
    assert whole.returncode == 0 and (all_of_it / ".mokuji-folder/whole/about.json").is_file(), whole.stderr
    twice = _here(home, "import", str(all_of_it), "--whole", **given)
    assert twice.returncode == 1 and "into an empty one only" in twice.stderr
    assert not (home / "postgres").exists(), "an existing server is used in place of a private one"


@pytest.mark.parametrize(
    ("setting", "value", "status", "said"),
    [
        ("MOKUJI_PORT", "many", 2, "MOKUJI_PORT cannot be used"),
        ("MOKUJI_SECRET", "short", 2, "MOKUJI_SECRET cannot be used"),
        ("MOKUJI_DATABASE_URL", "mysql://u:hidden@x/y", 1, "no address of a PostgreSQL database"),
        ("MOKUJI_DATABASE_URL", "nonsense", 1, "no address of a PostgreSQL database"),
        ("MOKUJI_HOME", "/proc/nowhere", 1, "“/proc/nowhere” cannot be used"),
        ("MOKUJI_HOST", "203.0.113.9", 1, "this machine has no such address"),
    ],
)
def test_a_setting_that_cannot_be_used_is_said(
    home: Path, setting: str, value: str, status: int, said: str
) -> None:
    done = _run(home, "serve", **{"MOKUJI_PORT": str(_free_port()), setting: value})
    assert done.returncode == status and said in done.stderr
    assert "Traceback" not in done.stderr and "hidden" not in done.stderr


def test_a_database_that_does_not_answer_is_said(home: Path) -> None:
    done = _run(
        home,
        "serve",
        MOKUJI_DATABASE_URL="postgresql://nobody@127.0.0.1:1/none",
        MOKUJI_PORT=str(_free_port()),
    )
    assert done.returncode == 1
    assert "cannot be reached" in done.stderr and "Traceback" not in done.stderr
    assert done.stdout == "", "what is logged is no answer"


def test_the_demo_of_an_existing_server_is_not_thrown_away(home: Path, given: dict[str, str]) -> None:
    refused = _run(home, "demo", "--fresh", "--load-only", **given)
    assert refused.returncode == 1 and "--fresh is for the private cluster" in refused.stderr
    assert not (home / "postgres").exists()


def _children(pid: int) -> set[int]:
    found = set()
    for path in Path("/proc").iterdir():
        if path.name.isdecimal():
            try:
                parent = int((path / "stat").read_text().rpartition(")")[2].split()[1])
            except OSError:
                continue
            if parent == pid:
                found.add(int(path.name))
    return found


def _is_running(pid: int) -> bool:
    """Whether a process has not ended; one that has may still wait to be collected by whoever collects it."""
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except (FileNotFoundError, ProcessLookupError):
        return False


@pytest.mark.parametrize("by", [signal.SIGINT, signal.SIGKILL])
def test_the_worker_beside_a_server_ends_with_it_however_that_ends(
    demo_home: Path, by: signal.Signals
) -> None:
    home = demo_home
    demo = Started(home, port=_free_port(), mailbox=True)
    # Beside the worker those that read what came in with the demo.
    workers = _children(demo.process.pid)
    told = [Path(f"/proc/{pid}/cmdline").read_bytes() for pid in workers]
    assert sum(b"mokuji.cli.main" in each for each in told) == 2
    assert sum(b"\0mailbox\0" in each for each in told) == 1, "the stand-in for a mail server"
    demo.end(by)
    for _ in range(300):
        if not any(map(_is_running, workers)):
            break
        time.sleep(0.1)
    assert not any(map(_is_running, workers))
    if by is signal.SIGKILL:  # what is left of the database is cleared away by the next who comes
        Started(home, port=_free_port()).end(signal.SIGINT)
    assert not _server_runs(home)


def test_the_start_says_that_nobody_owns_the_wiki_until_somebody_does(
    home: Path, given: dict[str, str]
) -> None:
    assert (
        _run(
            home, "add-person", "ada", "--name", "Ada", "--password", "seven odd gulls sing", **given
        ).returncode
        == 0
    )

    def said() -> str:
        process = subprocess.Popen(
            [str(MOKUJI), "serve"],
            env=_environment(home, MOKUJI_PORT=str(_free_port()), **given),
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        assert process.stdout is not None
        lines = []
        for line in process.stdout:
            lines.append(line)
            if "is open at" in line:
                break
        process.send_signal(signal.SIGINT)
        process.wait(30)
        process.stdout.close()
        return "".join(lines)

    assert "Nobody owns this wiki yet" in said()
    assert _run(home, "wiki-owner", "ada", **given).returncode == 0
    assert "Nobody owns" not in said()
    last = _run(home, "wiki-owner", "ada", "--no-longer", **given)
    assert last.returncode == 1 and "last owner" in last.stderr
