"""Tens of people saving and renaming at once; and a machine that dies in the middle of an act."""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from mokuji.acts import doing, requests
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.core.base.errors import Conflict, MokujiError
from mokuji.core.model.policy import Actor, Role
from mokuji.services.app_context import AppContext, catch_up, refresh
from mokuji.services.writing import writing
from mokuji.store.database import connect
from mokuji.store.index import recount
from tests.memory_disk import new_folder
from tests.properties.promises import leads
from tests.services.making import pages, person, volume
from tests.store.filling import index_anew, indexes, read_back

SOURCES, TARGETS = 12, 12
SAVERS, RENAMERS = 24, 8
SECONDS, AT_MOST = 4.0, 60.0
ENOUGH = {"saved": 20, "renamed": 5}


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    return person(app, "wenna", guide=Role.OWNER)


def _all_is_as_the_texts_say(engine: Engine) -> None:
    with engine.connect() as connection:
        kept = indexes(connection)
        numbers = {
            t: sorted(map(str, connection.execute(text(f"SELECT * FROM {t}"))))
            for t in ("led", "orphan", "asked")
        }
        index_anew(connection)
        assert kept == indexes(connection)
        recount.recount(connection)
        for table, rows in numbers.items():
            assert rows == sorted(map(str, connection.execute(text(f"SELECT * FROM {table}"))))
        connection.rollback()


def _led_to(engine: Engine) -> dict[str, list[int | None]]:
    """Of each source page the ids of the pages that its references lead to, in order."""
    with engine.connect() as connection:
        wiki = read_back(connection)
    found = leads(wiki)
    return {
        page.head.title: [lead.page for _, lead in found[id_]]
        for id_, page in wiki.pages_by_id.items()
        if page.head.title.startswith("Source")
    }


def test_no_reference_leads_elsewhere_and_no_revision_is_lost(app: AppContext, writer: Actor) -> None:
    """Savers add words to pages full of references; renamers give what these lead to other names all the time."""
    chance = random.Random(7)
    pages(app, writer, "guide", {f"Target {n}": "" for n in range(TARGETS)})
    pages(
        app,
        writer,
        "guide",
        {
            f"Source {n}": " ".join(f"[[Target {chance.randrange(TARGETS)}]]" for _ in range(20)) + "\n"
            for n in range(SOURCES)
        },
    )
    before = _led_to(app.engine)
    with app.engine.connect() as connection:
        targets = list(connection.execute(text("SELECT id FROM page WHERE title LIKE 'Target%'")).scalars())
    said: list[tuple[str, str]] = []
    faults: list[BaseException] = []
    done: Counter[str] = Counter()
    begin = time.monotonic()

    def over() -> bool:
        """After a while when enough was done; a slow machine gets longer for that."""
        so_far = time.monotonic() - begin
        return so_far > AT_MOST or (so_far > SECONDS and all(done[what] > n for what, n in ENOUGH.items()))

    def save(who: int) -> None:
        mine = random.Random(who)
        for turn in range(10**6):
            if over():
                return
            title = f"Source {mine.randrange(SOURCES)}"
            view = writing.open_for_edit(app, writer, "guide", title)
            words = f"w{who}x{turn}"
            try:
                writing.save(
                    app,
                    writer,
                    writing.Save("guide", title, f"{view.text}{words}\n", revision=view.revision),
                )
            except Conflict:
                done["came too late"] += 1
                continue
            said.append((title, words))
            done["saved"] += 1

    def rename(who: int) -> None:
        mine = random.Random(1000 + who)
        for turn in range(10**6):
            if over():
                return
            with app.engine.connect() as connection:
                key = connection.execute(
                    text("SELECT key FROM page WHERE id = :id"), {"id": mine.choice(targets)}
                ).scalar_one()
            wish = requests.Rename("guide", key, f"Name {who} {turn}", present_words=bool(turn % 3 == 0))
            try:
                # Some insist on the plan that they saw, which the savers make stale; some take what it is by then.
                view = doing.plan(app, writer, wish)
                applied = doing.apply(app, writer, wish, view.digest if turn % 2 else None)
            except MokujiError:
                done["was renamed meanwhile"] += 1
                continue
            done["renamed" if isinstance(applied, doing.Applied) else "planned again"] += 1

    def run(work: object, who: int) -> None:
        try:
            work(who)  # type: ignore[operator]
        except BaseException as fault:
            faults.append(fault)

    threads = [threading.Thread(target=run, args=(save, n)) for n in range(SAVERS)]
    threads += [threading.Thread(target=run, args=(rename, n)) for n in range(RENAMERS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(120)
    assert not faults, faults[0]
    assert all(done[what] > n for what, n in ENOUGH.items()), done
    assert _led_to(app.engine) == before
    with app.engine.connect() as connection:
        texts = {p.head.title: p.text for p in read_back(connection).pages_by_id.values()}
        for title, words in said:
            assert f"{words}\n" in texts[title], "a save that was confirmed is gone"
        gaps = connection.execute(
            text(
                """SELECT count(*) FROM (SELECT page, count(*) AS n, max(number) AS top FROM revision GROUP BY page) r
                JOIN page p ON p.id = r.page WHERE r.n <> r.top OR r.top <> p.revision"""
            )
        ).scalar_one()
        assert gaps == 0
    _check_the_rest(app)


# ---- a machine that dies ------------------------------------------------------------

WORK = """
import sys
from pathlib import Path
import structlog
from mokuji.core.model.policy import Role
from mokuji.acts import doing, requests
from mokuji.services.app_context import AppContext
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.store.database import connect, create_database, migrate
from tests.services.making import pages, person, volume

# What is logged of the end of the server is not among what was confirmed.
structlog.configure(logger_factory=structlog.PrintLoggerFactory(sys.stderr))
with Cluster(Path(sys.argv[1])).running() as url:
    create_database(url, "mokuji")
    engine = connect(database_url(url, "mokuji"))
    migrate(engine)
    app = AppContext(engine, b"a key for tests only")
    volume(app, "Guide")
    writer = person(app, "wenna", guide=Role.OWNER)
    pages(app, writer, "guide", {"Hub": "", **{f"Page {n}": "[[Hub]] and [[hub|it]] " * 10 for n in range(120)}})
    print("ready", flush=True)
    old = "Hub"
    for turn in range(10**6):
        doing.apply(app, writer, requests.Rename("guide", old, f"Hub {turn}"), None)
        old = f"Hub {turn}"
        print(old, flush=True)
"""


@pytest.fixture
def home() -> Iterator[Path]:
    made = new_folder("mokuji-killed-")
    yield made / "home"
    shutil.rmtree(made, ignore_errors=True)


def test_after_a_kill_in_the_middle_of_an_act_it_is_done_whole_or_not_at_all(home: Path) -> None:
    child = subprocess.Popen([sys.executable, "-c", WORK, str(home)], stdout=subprocess.PIPE, text=True)
    assert child.stdout is not None
    confirmed = [child.stdout.readline().strip() for _ in range(4)]
    assert confirmed[0] == "ready"
    time.sleep(0.17)  # somewhere inside of the next one
    server = int((home / "postgres" / "postmaster.pid").read_text().split()[0])
    os.kill(server, signal.SIGKILL)
    child.kill()
    confirmed += [line.strip() for line in child.stdout.read().splitlines()]
    child.stdout.close()
    child.wait(30)
    # PostgreSQL's own processes end once they see that their master has gone.
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline and Path(f"/proc/{server}").exists():
        time.sleep(0.1)
    with Cluster(home).running() as url:
        engine = connect(database_url(url, "mokuji"))
        try:
            with engine.connect() as connection:
                wiki = read_back(connection)
            hub = next(page.head for page in wiki.pages_by_id.values() if page.head.title.startswith("Hub"))
            last = int(confirmed[-1].removeprefix("Hub "))
            assert hub.title in {f"Hub {last}", f"Hub {last + 1}"}, "what was confirmed is kept"
            for id_, references in leads(wiki).items():
                assert all(lead.page == hub.id for _, lead in references), id_
            _check_the_rest(AppContext(engine, b"a key for tests only"))
        finally:
            engine.dispose()


def _check_the_rest(app: AppContext) -> None:
    refresh(app)
    while catch_up(app):
        pass  # search words were left for later
    _all_is_as_the_texts_say(app.engine)
