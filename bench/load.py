"""Many at once: 32 readers and 8 writers for five minutes, on one server process and on two, against a bare route that
reads one row; what memory the servers take, and how long anybody waits while a page that thousands refer to is renamed.
"""

from __future__ import annotations

import argparse
import logging
import multiprocessing
import random
import shutil
import statistics
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeAlias

import httpx2
import structlog
from sqlalchemy import text

from bench.clock import said
from bench.views import owner, serve_with_bare
from bench.wiki import HUB, Built, build
from mokuji.acts import doing, requests
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.hosting import settle
from mokuji.services.writing import writing
from mokuji.store.database import connect, create_database, migrate
from mokuji.store.log.change_sets import Signature

READERS, WRITERS = 32, 8
PAUSE = 0.5
"""Seconds between two saves of a writer, who goes on writing meanwhile."""
OTHER = "Battery compartment"
KEY = b"a key for measures only"
Back: TypeAlias = "multiprocessing.SimpleQueue[tuple[dict[str, list[float]], dict[str, int]]]"


@dataclass
class Told:
    """What happened: seconds of each request by what it was, faults by what they said."""

    taken: dict[str, list[float]] = field(default_factory=dict)
    faults: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, what: str, seconds: float) -> None:
        """One request more."""
        with self.lock:
            self.taken.setdefault(what, []).append(seconds)


def _serve(url: str, ready: multiprocessing.SimpleQueue[str]) -> None:
    """A process of the server."""
    settle()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.ERROR))
    _, address = serve_with_bare(AppContext(connect(url), KEY))
    ready.put(address)
    threading.Event().wait()


@contextmanager
def _servers(url: str, number: int) -> Iterator[tuple[list[str], list[int]]]:
    """The addresses and the ids of so many processes of the server."""
    made = multiprocessing.get_context("spawn")
    ready: multiprocessing.SimpleQueue[str] = made.SimpleQueue()
    processes = [made.Process(target=_serve, args=(url, ready), daemon=True) for _ in range(number)]
    for process in processes:
        process.start()
    try:
        yield [ready.get() for _ in processes], [process.pid or 0 for process in processes]
    finally:
        for process in processes:
            process.kill()
            process.join()


def _memory(pids: Sequence[int]) -> int:
    """Bytes of memory that processes hold (RssAnon of proc(5))."""
    pages = [Path(f"/proc/{pid}/status").read_text().split("RssAnon:")[1].split()[0] for pid in pids]
    return 1024 * sum(map(int, pages))


def _read(address: str, paths: Mapping[str, Sequence[str]], end: float, told: Told, seed: int) -> None:
    """One reader, who asks for something else as soon as the last answer is there."""
    rng = random.Random(seed)
    kinds, weights = list(paths), [len(each) for each in paths.values()]
    with httpx2.Client(base_url=address, timeout=120) as client:
        while time.monotonic() < end:
            (kind,) = rng.choices(kinds, weights)
            start = time.perf_counter()
            answer = client.get(rng.choice(paths[kind]))
            told.add(kind, time.perf_counter() - start)
            if answer.status_code != 200:
                told.faults[f"{answer.status_code} of {answer.url.path}"] += 1


def _readers(
    addresses: Sequence[str], paths: Mapping[str, Sequence[str]], seconds: float, number: int, back: Back
) -> None:
    """Some of the readers, in a process of their own: what happened goes back."""
    told, end = Told(), time.monotonic() + seconds
    threads = [
        threading.Thread(target=_read, args=(addresses[n % len(addresses)], paths, end, told, n))
        for n in range(number)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    back.put((told.taken, dict(told.faults)))


def _write(app: AppContext, wiki: Built, own: int, end: float, told: Told) -> None:
    """Saves one page again and again, as somebody does who writes on it."""
    actor = owner(app)
    title = f"Part {100 + own}"
    volume, body = wiki.volumes[-1], wiki.texts[len(wiki.volumes), title]
    with app.engine.connect() as connection:
        revision = connection.execute(
            text("SELECT revision FROM page WHERE volume = :v AND key = :k"),
            {"v": len(wiki.volumes), "k": names.key(title)},
        ).scalar_one()
    while time.monotonic() < end:
        start = time.perf_counter()
        try:
            saved = writing.save(
                app, actor, writing.Save(volume, names.key(title), f"{body}\n{revision}", revision=revision)
            )
            revision = saved.head.revision
        except MokujiError as fault:
            told.faults[fault.message] += 1
        told.add("save", time.perf_counter() - start)
        refresh(app)
        time.sleep(PAUSE)


def _rename(app: AppContext, wiki: Built, told: Told, seconds: float) -> None:
    """Renames the hub there and back, after a third and after two thirds of the time."""
    actor, volume = owner(app), wiki.hub[0]
    for old, new in ((HUB, OTHER), (OTHER, HUB)):
        time.sleep(seconds / 3)
        start = time.perf_counter()
        by = Signature(actor.person, app.clock(), "")
        doing.apply(app, actor, requests.Rename(volume, names.key(old), new), None, signature=by)
        told.add("rename of the hub", time.perf_counter() - start)


def _load(url: str, wiki: Built, addresses: Sequence[str], seconds: float, *, bare: bool) -> Told:
    app, told = AppContext(connect(url, pool_size=WRITERS + 2), KEY), Told()
    owner(app)
    views = [names.address(wiki.volumes[-1], f"part {n}") for n in range(1, 2000, 7)]
    paths: dict[str, list[str]] = {
        "view": views,
        "find": ["/-/find?words=battery"],
        "changes": ["/-/changes"],
    }
    made = multiprocessing.get_context("spawn")
    back: Back = made.SimpleQueue()
    asked = {"bare route": ["/healthz/one-row"]} if bare else paths
    readers = [
        made.Process(target=_readers, args=(addresses, asked, seconds, READERS // 2, back), daemon=True)
        for _ in range(2)
    ]
    end = time.monotonic() + seconds
    writers = []
    if not bare:
        writers = [threading.Thread(target=_write, args=(app, wiki, n, end, told)) for n in range(WRITERS)]
        writers.append(threading.Thread(target=_rename, args=(app, wiki, told, seconds)))
    for reader in readers:
        reader.start()
    for writer in writers:
        writer.start()
    for _ in readers:
        taken, faults = back.get()
        for what, times in taken.items():
            told.taken.setdefault(what, []).extend(times)
        told.faults.update(faults)
    for reader in readers:
        reader.join()
    for writer in writers:
        writer.join()
    app.engine.dispose()
    return told


def run(url: str, wiki: Built, seconds: float) -> None:
    """Prints what many at once are given."""
    for number in (1, 2):
        with _servers(url, number) as (addresses, pids):
            base = _load(url, wiki, addresses, min(20, seconds), bare=True)
            before = _memory(pids)
            half = _load(url, wiki, addresses, seconds / 2, bare=False)
            middle = _memory(pids)
            whole = _load(url, wiki, addresses, seconds / 2, bare=False)
            after = _memory(pids)
        rate = len(base.taken["bare route"]) / min(20, seconds)
        views = (len(half.taken["view"]) + len(whole.taken["view"])) / seconds
        how = f"{number} process{'es' * (number > 1)}, {seconds:.0f} seconds"
        print(f"\n  {READERS} readers and {WRITERS} writers, {how}\n")
        print(f"  bare route: {rate:,.0f} a second; views {views:,.0f} a second, × {rate / views:.1f}")
        for what in ("view", "find", "changes", "save", "rename of the hub"):
            taken = sorted(half.taken.get(what, []) + whole.taken.get(what, []))
            if taken:
                high = taken[int(len(taken) * 0.99)]
                print(
                    f"  {what:<20} {len(taken):>8,} of them, median {said(statistics.median(taken))}, "
                    f"99 in 100 within {said(high)}, longest {said(taken[-1])}"
                )
        print(
            f"  memory of the servers: {before:,} bytes before, {middle:,} at half time, {after:,} at the end"
        )
        print(f"  faults: {dict(half.faults + whole.faults) or 'none'}")


def main() -> None:
    """Builds a wiki, and lets many at it."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.load", description=__doc__)
    parser.add_argument("--pages", type=int, default=20_000, help="how many pages the wiki has")
    parser.add_argument("--seconds", type=float, default=300, help="how long it is used, each time")
    arguments = parser.parse_args()
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.ERROR))
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    try:
        with Cluster(folder / "home").running() as server:
            create_database(server, "load")
            url = database_url(server, "load")
            engine = connect(url)
            migrate(engine)
            wiki = build(engine, arguments.pages)
            refresh(AppContext(engine, KEY))
            run(url, wiki, arguments.seconds)
            engine.dispose()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
