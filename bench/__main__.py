"""Runs every measure and prints figures and ratios. Nothing here is a test: times differ from machine to machine,
ratios of one run say something."""

from __future__ import annotations

import argparse
import shutil
import tempfile
from pathlib import Path

from bench import rename, render, views
from bench.wiki import build
from mokuji.services.desk import Desk
from mokuji.store.cluster import Cluster, database_url
from mokuji.store.database import connect, create_database, migrate


def main() -> None:
    """One run."""
    parser = argparse.ArgumentParser(prog="bench", description=__doc__)
    parser.add_argument("--pages", type=int, default=100_000, help="how many pages the wiki has")
    arguments = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    try:
        print("Texts\n")
        render.run()
        # Durable, as for real data: fsync on.
        with Cluster(folder / "home").running() as server:
            create_database(server, "bench")
            engine = connect(database_url(server, "bench"))
            migrate(engine)
            wiki = build(engine, arguments.pages)
            desk = Desk(engine, b"a key for measures only")
            print(f"\nA wiki of {arguments.pages:,} pages in {len(wiki.volumes)} volumes\n")
            views.run(desk, wiki)
            rename.run(desk, wiki, folder / "files")
            engine.dispose()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
