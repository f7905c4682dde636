"""Runs every measure and prints figures and ratios. Nothing here is a test: times differ from machine to machine,
ratios of one run say something."""

from __future__ import annotations

import argparse
import shutil
import tempfile
from pathlib import Path

from bench import desk as desk_measures
from bench import finding, holdings, inserts, rename, render, reports, views
from bench.wiki import build
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.hosting import settle
from mokuji.store.database import connect, create_database, migrate

SMALL = 1_000
"""How many pages the wiki has that views are compared with."""


def main() -> None:
    """One run."""
    settle()
    parser = argparse.ArgumentParser(prog="bench", description=__doc__)
    parser.add_argument("--pages", type=int, default=100_000, help="how many pages the wiki has")
    arguments = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    memory = Path(
        tempfile.mkdtemp(prefix="mokuji-bench-", dir="/dev/shm" if Path("/dev/shm").is_dir() else None)
    )
    try:
        print("Texts\n")
        render.run()
        holdings.run()
        # Durable, as for real data: fsync on.
        with Cluster(folder / "home").running() as server:
            create_database(server, "bench")
            engine = connect(database_url(server, "bench"))
            migrate(engine)
            create_database(server, "small")
            small = connect(database_url(server, "small"))
            migrate(small)
            little = build(small, SMALL)
            wiki = build(engine, arguments.pages)
            desk = AppContext(engine, b"a key for measures only")
            refresh(desk)
            finding.run(desk)
            views.run(AppContext(small, b"a key for measures only"), little, desk, wiki)
            create_database(server, "single")
            single = connect(database_url(server, "single"))
            migrate(single)
            whole = build(single, arguments.pages // 2, in_volumes=1)
            one = AppContext(single, b"a key for measures only")
            refresh(one)
            views.of_one_volume(one, whole)
            single.dispose()
            inserts.run(AppContext(small, b"a key for measures only"))
            small.dispose()
            desk_measures.run(desk, wiki)
            reports.reach(desk)
            rename.run(desk, wiki, memory / "files")
            engine.dispose()
        settle()  # what the other measures left behind is not looked through again
        reports.mentions()
    finally:
        shutil.rmtree(folder, ignore_errors=True)
        shutil.rmtree(memory, ignore_errors=True)


if __name__ == "__main__":
    main()
