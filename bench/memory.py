"""What the memory of a wiki costs: the account of each line, the comparison of a volume over a year, and the log looked
through, each where there is little of it and where there is much. ``python -m bench.memory``."""

from __future__ import annotations

import argparse
import random
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from functools import partial
from pathlib import Path

from sqlalchemy import text

from bench.clock import in_turns, once, said, show
from bench.views import owner
from bench.wiki import build
from mokuji.adapters.cluster import Cluster, database_url
from mokuji.core.diff.origins import lines_of
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.hosting import settle
from mokuji.services.looking_back.changes import Asked, changes
from mokuji.services.looking_back.line_origins import line_origins
from mokuji.services.looking_back.volume_then import as_it_stood, between
from mokuji.store.database import Engine, connect, create_database, migrate, reading, writing

LINES, REVISIONS = 500, 1_000
EDITS_OF_THE_YEAR = 20_000
"""Number of saves in the volume that is compared."""
NOW = datetime(2026, 11, 30, 12, 0, tzinfo=UTC)
_LOG = text(
    """INSERT INTO change_set (id, act, volume, page, author, at, note)
    SELECT n, CASE WHEN n % 5000 = 17 THEN 'rename' ELSE 'edit' END, 2, 5001 + n % 5000, 1 + n % 7,
        CAST(:now AS timestamptz) - (:last - n) * (INTERVAL '5 years' / :last),
        CASE WHEN n % 100000 = 99 THEN 'a word seldom said' ELSE 'torque of bolt ' || n % 977 END
    FROM generate_series(CAST(:first AS bigint), :last) n"""
)
_REVISIONS = text(
    """INSERT INTO revision (page, number, change_set, author, at, note, title, text, written_in)
    SELECT c.page, 1 + row_number() OVER (PARTITION BY c.page ORDER BY c.id), c.id, c.author, c.at, c.note, p.title,
        'x', 2
    FROM change_set c JOIN page p ON p.id = c.page WHERE c.volume = 2 AND c.id >= :first"""
)
_YEAR = text(
    """WITH made AS (
        INSERT INTO change_set (act, volume, page, author, at, note)
        SELECT 'edit', 1, 1 + n % 5000, 1, CAST(:now AS timestamptz) - (:edits - n) * (INTERVAL '1 year' / :edits),
            'edit'
        FROM generate_series(1, CAST(:edits AS bigint)) n RETURNING id, page, at)
    INSERT INTO revision (page, number, change_set, author, at, note, title, text, written_in)
    SELECT m.page, 1 + row_number() OVER (PARTITION BY m.page ORDER BY m.id), m.id, 1, m.at, 'edit', p.title,
        r.text || 'Line of change ' || m.id, 1
    FROM made m JOIN page p ON p.id = m.page JOIN revision r ON r.page = m.page AND r.number = 1"""
)
_NEWEST = text(
    """UPDATE page SET revision = r.number FROM
        (SELECT page, max(number) AS number FROM revision GROUP BY page) r WHERE r.page = page.id"""
)
_BARE = text("SELECT id, act, note FROM change_set WHERE volume = 1 ORDER BY id DESC LIMIT 40")
_BARE_TEXTS = text("SELECT number, text FROM revision WHERE page = :page ORDER BY number DESC")
_BARE_LAST = text("SELECT page, max(number) FROM revision WHERE written_in = 1 GROUP BY page")


def _fill(engine: Engine, log: int) -> AppContext:
    """Two volumes of 5,000 pages; ``log`` change sets in the one, and a year of saves in the other."""
    build(engine, 10_000, in_volumes=2)
    app = AppContext(engine, b"a key for measures only")
    owner(app)
    with writing(engine, alone=True) as connection:
        for nth in range(7):
            connection.execute(
                text("INSERT INTO person (handle, name, password) VALUES (:handle, :name, '')"),
                {"handle": f"writer{nth}", "name": f"Writer {nth}"},
            )
        first = connection.execute(text("SELECT max(id) + 1 FROM change_set")).scalar_one()
        values = {"now": NOW, "first": first, "last": first + log - 1}
        # Rows that are made here need not be looked at one by one.
        connection.execute(text("SET LOCAL statement_timeout = 0"))
        connection.execute(text("SET LOCAL session_replication_role = replica"))
        connection.execute(_LOG, values)
        connection.execute(_REVISIONS, values)
        connection.execute(text("SELECT setval(pg_get_serial_sequence('change_set', 'id'), :last)"), values)
        connection.execute(_YEAR, {"now": NOW, "edits": EDITS_OF_THE_YEAR})
        connection.execute(_NEWEST)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("VACUUM ANALYZE"))
        connection.execute(text("CHECKPOINT"))
    refresh(app)
    return replace(app, clock=lambda: NOW)


def _many_revisions(engine: Engine) -> None:
    """Page 9 of the second volume gets as many revisions as are to be looked through, three lines changed in each."""
    rng = random.Random(3)
    lines = [f"Line {n} was there from the beginning of the page" for n in range(LINES)]
    rows = []
    with writing(engine, alone=True) as connection:
        connection.execute(text("DELETE FROM revision WHERE page = 5009"))
        act = connection.execute(text("SELECT max(id) FROM change_set")).scalar_one()
        for number in range(1, REVISIONS + 1):
            for _ in range(3):
                lines[rng.randrange(LINES)] = f"Line {rng.randrange(10**9)} was written in revision {number}"
            rows.append(
                {
                    "number": number,
                    "act": act,
                    "text": "\n".join(lines) + "\n",
                    "at": NOW - timedelta(hours=REVISIONS - number),
                }
            )
        connection.execute(
            text(
                """INSERT INTO revision (page, number, change_set, author, at, note, title, text, written_in)
                VALUES (5009, :number, :act, 1, :at, '', 'Part 8', :text, 2)"""
            ),
            rows,
        )
        connection.execute(text("UPDATE page SET revision = :last WHERE id = 5009"), {"last": REVISIONS})


def _bare(app: AppContext, statement: object, **values: object) -> None:
    with reading(app.engine) as connection:
        connection.execute(statement, values).all()  # type: ignore[call-overload]


ASKED = {
    "changes, all": Asked(),
    "by somebody": Asked(by="writer 3"),
    "of a kind that is rare": Asked(kind="rename"),
    "words said seldom": Asked(words="seldom said"),
    "words said never": Asked(words="nobody said this"),
    "of a page": Asked(volume="manual 2", page="part 12"),
    "of a page and below it": Asked(volume="manual 2", page="part 70", below=True),
    "in a week four years ago": Asked(since=date(2022, 11, 1), until=date(2022, 11, 7)),
}


def _measures(app: AppContext, actor: Actor) -> dict[str, Callable[[], object]]:
    found: dict[str, Callable[[], object]] = {"bare: 40 newest of a volume": partial(_bare, app, _BARE)}
    for name, asked in ASKED.items():
        found[name] = partial(changes, app, actor, asked)
    return found


def main() -> None:
    """One run."""
    settle()
    parser = argparse.ArgumentParser(prog="bench.memory", description=__doc__)
    parser.add_argument("--log", type=int, default=1_000_000, help="how many change sets there are")
    arguments = parser.parse_args()
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    try:
        with Cluster(folder / "home").running() as server:
            apps = {}
            for name, log in (("little", 10_000), ("much", arguments.log)):
                create_database(server, name)
                engine = connect(database_url(server, name))
                migrate(engine)
                apps[name] = _fill(engine, log)
            little, much = apps["little"], apps["much"]
            actors = {name: owner(app) for name, app in apps.items()}
            print(f"\nThe log: 10,000 change sets and {arguments.log:,}\n")
            taken = {}
            for name, app in apps.items():
                for what, times in in_turns(_measures(app, actors[name]), turns=7).items():
                    taken[f"{what}, {name}"] = times
            show(taken, "bare: 40 newest of a volume, much")
            print(f"\nA volume of 5,000 pages, {EDITS_OF_THE_YEAR:,} saves over a year\n")
            year: dict[str, Callable[[], object]] = {
                "bare: last revision of each page": partial(_bare, much, _BARE_LAST),
                "what became of it in a year": partial(
                    between, much, actors["much"], "manual 1", "2025-12-01"
                ),
                "the same, little log": partial(between, little, actors["little"], "manual 1", "2025-12-01"),
                "in a month": partial(between, much, actors["much"], "manual 1", "2026-11-01"),
                "as it stood half a year ago": partial(
                    as_it_stood, much, actors["much"], "manual 1", "2026-06-01"
                ),
            }
            show(in_turns(year, turns=5), "bare: last revision of each page")
            _many_revisions(much.engine)
            print(f"\nWho wrote each of {LINES} lines, {REVISIONS:,} revisions\n")
            view = line_origins(much, actors["much"], "manual 2", "part 8")
            assert sum(len(run.lines) for run in view.runs) == LINES == len(lines_of("x\n" * LINES))
            account: dict[str, Callable[[], object]] = {
                "bare: read all revisions": partial(_bare, much, _BARE_TEXTS, page=5009),
                "account of each line": partial(line_origins, much, actors["much"], "manual 2", "part 8"),
            }
            show(in_turns(account, turns=5, warm=1), "bare: read all revisions")
            print(
                said(once(partial(line_origins, much, actors["much"], "manual 2", "part 12"))),
                "for a page with few",
            )
            for app in apps.values():
                app.engine.dispose()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    main()
