"""A large wiki, written straight into the tables: 20 volumes (fewer for few pages), chapters of 70 pages, 9 KB and
ten references a page, skewed as real ones are, and one hub that 5,000 pages refer to twice.

The rows are those that saving each page would make; a sample is read again by the scanner to be sure.
"""

from __future__ import annotations

import random
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from mokuji.adapters.cluster import Cluster, database_url
from mokuji.core.base import names
from mokuji.core.finding import told
from mokuji.core.finding.terms import folded_name
from mokuji.core.finding.vector import PageTerms
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import scan
from mokuji.services.app_context import AppContext, refresh
from mokuji.store import page_words, volumes
from mokuji.store.database import Connection, Engine, connect, create_database, migrate, writing

HUB = "Battery well"
REFERRING = 5000
FILLING = 7_000
"""Code points of plain words in a page beside its sentences with references."""
WORDS = (
    "Set the valve to its stop and wait until the gauge is still before the lid comes off; what is left in the "
    "line drains by itself. Note the value with its unit. A value outside of the table is a fault, and two of "
    "them in a row end the test. "
)


@dataclass(frozen=True, slots=True)
class Built:
    """What was built: volume keys, and texts by volume and title (for writing the same pages as files)."""

    volumes: tuple[str, ...]
    texts: dict[tuple[int, str], str]
    hub: tuple[str, str]
    page: tuple[str, str]


@dataclass(slots=True)
class _Made:
    page: int
    volume: int
    title: str
    text: str
    spans: list[tuple[int, int]]
    names: list[str]


def _text(rng: random.Random, targets: list[str]) -> tuple[str, list[tuple[int, int]]]:
    pieces, spans, at = ["## Procedure\n\n"], [], len("## Procedure\n\n")
    for nth, target in enumerate(targets):
        lead = WORDS[: rng.randrange(60, len(WORDS))] + "See "
        tail = ".\n\n" if nth % 3 == 2 else ". "
        start = at + len(lead)
        spans.append((start, start + len(target) + 4))
        pieces += (lead, f"[[{target}]]", tail)
        at = start + len(target) + 4 + len(tail)
    pieces.append("\n\n## Notes\n\n")
    pieces += [WORDS[rng.randrange(40) :] + "\n\n" for _ in range(FILLING // len(WORDS))]
    return "".join(pieces), spans


def _pages(count: int, per_volume: int) -> Iterator[_Made]:
    rng = random.Random(7)
    for id_ in range(1, count + 1):
        volume = 1 + (id_ - 1) // per_volume
        own = (id_ - 1) % per_volume
        title = HUB if id_ == 1 else f"Part {own}"
        # Zipf-like: small numbers are referred to often.
        targets = [f"Part {1 + int((per_volume - 1) * rng.random() ** 3)}" for _ in range(10)]
        if volume == 1 and 0 < own <= REFERRING:
            targets[4] = targets[7] = HUB
        if own == 5:
            targets *= 6  # a page of 9 KB with 60 references, to be viewed
        text, spans = _text(rng, targets)
        yield _Made(id_, volume, title, text, spans, targets)


def build(engine: Engine, count: int, in_volumes: int = 20) -> Built:
    """Fills an empty database; of few pages fewer volumes are made."""
    per_volume = max(2000, count // in_volumes)
    made = list(_pages(count, per_volume))
    for each in made[:: max(1, count // 200)]:
        assert [tuple(r.span) for r in scan(each.text).references] == each.spans
    titles = [f"Manual {n}" for n in range(1, 2 + (count - 1) // per_volume)]
    with writing(engine, alone=True) as connection:
        for title in titles:
            volumes.add_volume(connection, title)
        # The rows are those that triggers would see one by one: they are looked at whole, later.
        connection.exec_driver_sql(
            "SET LOCAL session_replication_role = replica; SET LOCAL statement_timeout = 0"
        )
        _fill(connection, made, per_volume)
        connection.exec_driver_sql("INSERT INTO stale (name) VALUES (NULL)")
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.exec_driver_sql("VACUUM ANALYZE")
        # What was loaded is on the disk by now, so that no commit that is measured waits for it.
        connection.exec_driver_sql("CHECKPOINT")
    texts = {(each.volume, each.title): each.text for each in made}
    keys = tuple(names.key(title) for title in titles)
    return Built(keys, texts, (keys[0], names.key(HUB)), (keys[-1], "part 5"))


def _copy(connection: Connection, into: str, rows: Iterator[tuple[Any, ...]]) -> None:
    driver = connection.connection.driver_connection
    assert driver is not None
    with driver.cursor() as cursor, cursor.copy(f"COPY {into} FROM STDIN") as copy:
        for row in rows:
            copy.write_row(row)


def _fill(connection: Connection, made: list[_Made], per_volume: int) -> None:
    now = datetime.now(UTC)
    interned: dict[tuple[int, str], int] = {}
    for each in made:
        for name in each.names:
            interned.setdefault((each.volume, names.key(name)), len(interned) + 1)
    connection.exec_driver_sql("INSERT INTO change_set (act, volume, at) SELECT 'create', 1, now()")
    heads = ((m.page, m.volume, names.key(m.title), m.title, 1, now) for m in made)
    _copy(connection, "page (id, volume, key, title, revision, changed)", heads)
    revisions = ((m.page, 1, 1, now, m.title, m.text, m.volume) for m in made)
    _copy(connection, "revision (page, number, change_set, at, title, text, written_in)", revisions)
    _copy(connection, "name (id, home, key, absolute)", ((n, v, k, False) for (v, k), n in interned.items()))
    _copy(connection, "page_refs (page, starts, ends, names, flags)", (_refs(m, interned) for m in made))
    uses = (
        (m.page, interned[m.volume, names.key(name)], 0, m.names.count(name))
        for m in made
        for name in sorted(set(m.names))
    )
    _copy(connection, "page_name (page, name, kind, count)", uses)
    _copy(
        connection,
        "contents (id, volume, parent, key, title, position)",
        (_place(m, per_volume) for m in made),
    )
    for table in ("page", "name", "contents"):
        connection.exec_driver_sql(
            f"SELECT setval(pg_get_serial_sequence('{table}', 'id'), max(id)) FROM {table}"
        )
    _fill_search(connection, made)


INDEXES = {"words": "words", "names": "names", "named": "named"}
"""Indexes of ``page_search``, made at once when its rows are there."""


def _fill_search(connection: Connection, made: list[_Made]) -> None:
    known = page_words.stems(connection, "", _terms(made[-1]).words() | _terms(made[0]).words())
    for index in INDEXES:
        connection.exec_driver_sql(f"DROP INDEX page_search_{index}")
    with ProcessPoolExecutor() as pool:
        rows = pool.map(partial(_searched, known), made, chunksize=500)
        _copy(connection, "page_search (page, words, names, named, told)", rows)
    for index, column in INDEXES.items():
        connection.exec_driver_sql(
            f"CREATE INDEX page_search_{index} ON page_search USING gin ({column}) WITH (fastupdate = off)"
        )
    words = {each for one in (made[0], *made[-3000:]) for each in _terms(one).vocabulary()}
    values = ((word, volume) for volume in sorted({each.volume for each in made}) for word in sorted(words))
    _copy(connection, "word (word, volume)", values)


def _lines(made: _Made) -> list[told.Line]:
    return told.told(Page(PageHead(made.page, made.volume, names.key(made.title), made.title), made.text))


def _terms(made: _Made) -> PageTerms:
    return PageTerms(made.title, (), _lines(made))


def _searched(known: Mapping[str, str], made: _Made) -> tuple[Any, ...]:
    lines = _lines(made)
    whole, called = PageTerms(made.title, (), lines).vectors(known)
    return made.page, whole, called, f"{{{folded_name(made.title)}}}", told.kept(lines)


def _refs(made: _Made, interned: dict[tuple[int, str], int]) -> tuple[Any, ...]:
    ids = [interned[made.volume, names.key(name)] for name in made.names]
    return made.page, [s for s, _ in made.spans], [e for _, e in made.spans], ids, [0] * len(ids)


def _place(made: _Made, per_volume: int) -> tuple[Any, ...]:
    own = (made.page - 1) % per_volume
    chapter = made.page - own % 70
    return (
        made.page,
        made.volume,
        None if chapter == made.page else chapter,
        names.key(made.title),
        made.title,
        own,
    )


@contextmanager
def running(pages: int) -> Iterator[tuple[AppContext, Built]]:
    """A wiki of so many pages in a database of its own, as long as it is needed."""
    folder = Path(tempfile.mkdtemp(prefix="mokuji-bench-"))
    folder.chmod(0o755)
    try:
        with Cluster(folder / "home").running() as server:
            create_database(server, "bench")
            engine = connect(database_url(server, "bench"))
            migrate(engine)
            built = build(engine, pages)
            app = AppContext(engine, b"a key for measures only")
            refresh(app)
            yield app, built
            engine.dispose()
    finally:
        shutil.rmtree(folder, ignore_errors=True)
