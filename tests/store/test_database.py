"""The database's own form: migrations, indexes for every query, locks, faults in plain words."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, date, datetime
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import ClauseElement, Connection, Engine, TextClause, text
from sqlalchemy.exc import IntegrityError

from mokuji.adapters.cluster import database_url
from mokuji.core.base.errors import Conflict
from mokuji.store import files, pages, people, snapshot, sources, volumes
from mokuji.store.acts import trash
from mokuji.store.database import DatabaseDown, connect, create_database, migrate, reading, writing
from mokuji.store.index import (
    asked_for,
    assets,
    backlinks,
    led,
    memberships,
    name_uses,
    near_words,
    put_in,
    search,
    tasks,
    to_mend,
    upkeep,
    uses,
)
from mokuji.store.kept import put_aside
from mokuji.store.kept import reports as kept_reports
from mokuji.store.log import filtered, history, rewound
from mokuji.store.places import contents, facts
from mokuji.store.tables import metadata


def test_the_migrations_make_exactly_the_tables_that_are_described(engine: Engine) -> None:
    with engine.connect() as connection:
        context = MigrationContext.configure(
            connection,
            opts={
                "compare_type": True,
                "compare_server_default": False,
                # Jobs have a form of their own, which their package brings.
                "include_object": lambda _, name, *__: not str(name).startswith("procrastinate_"),
            },
        )
        assert compare_metadata(context, metadata) == []


def test_migrating_twice_changes_nothing(engine: Engine) -> None:
    migrate(engine)
    migrate(engine)


NOW = datetime(2026, 11, 24, tzinfo=UTC)
ARRAYS: dict[str, Any] = {"names": [1, 2], "kinds": [0, 1], "targets": [1, 2], "volumes": [1, 2]}
LOOKED_FOR: dict[str, Any] = {
    "volumes": [1, 2],
    "person": 3,
    "before": 99,
    "most": 41,
    "looked": 4000,
    "authors": [],
    "kinds": [],
    "since": NOW,
    "until": NOW,
    "words": "",
    "pages": [4],
}
PART = {"key": "pump", "start": "pump%", "word": "% pump%", "part": "%pump%", "volumes": [1], "most": 8}

# Each query that a request makes, with the index conditions that it must be answered by.
QUERIES: list[tuple[ClauseElement, dict[str, Any], list[str]]] = [
    (pages.HEAD, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'"]),
    (snapshot.TITLES, {"volumes": [1], "keys": ["pump"]}, ["volume = w.volume", "key = w.key"]),
    (snapshot.ALIASES, {"volumes": [1], "keys": ["pump"]}, ["volume = w.volume", "key = w.key"]),
    (snapshot.PAGES, {"ids": [1, 2]}, ["id = ANY", "page = p.id", "number = p.revision"]),
    (
        snapshot.NAMES_MEANING,
        {"homes": [1], "keys": ["pump"], "vkeys": ["guide 7"], "tkeys": ["pump"]},
        ["home = w.home", "key = w.key", "vkey = w.vkey", "tkey = w.tkey"],
    ),
    (snapshot.HEADS, {"ids": [1, 2]}, ["id = ANY"]),
    (snapshot.STANDING_IN, {"volume": 1}, ["volume = 1"]),
    (snapshot.NAMING, {"names": [1, 2]}, ["name = ANY"]),
    (snapshot.NAMING_SECTIONS, {"names": [1, 2]}, ["name = ANY"]),
    (name_uses.ALIAS_KEYS, {"pages": [1, 2]}, ["page = ANY"]),
    (
        backlinks.BACKLINKS,
        {
            **ARRAYS,
            "page": 7,
            "elsewhere": [0, 1],
            "afters": [0, 0],
            "most": 9,
            "sentences": 3,
            "reach": 90,
        },
        [
            "name = n.name",
            "kind = n.kind",
            "page > n.after",
            "id = f.page",
            "page = p.id",
            "number = p.revision",
        ],
    ),
    (backlinks.LED_FROM, {**ARRAYS, "nths": [0, 1], "most": 9}, ["name = n.name", "kind = n.kind"]),
    (snapshot.TITLES_AND_ALIASES, {"volumes": [1], "keys": ["pump"]}, ["volume = w.volume", "key = w.key"]),
    (snapshot.NAMING_VOLUME, {"key": "guide 7"}, ["vkey = 'guide 7'", "name = n.id"]),
    (volumes.FORMER, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'", "id = f.page"]),
    (trash.THROWN, {"pages": [1, 2]}, ["page = ANY", "number = t.revision"]),
    (trash.THROWN_BY, {"act": 4}, ["change_set = 4"]),
    (trash.LISTED, {"volumes": [1], "before": 99, "most": 300}, ["volume = ANY", "change_set < "]),
    (upkeep.NAMES, {"ids": [1, 2]}, ["id = ANY"]),
    (
        led.COUNT,
        {**ARRAYS, "targets": [1, 2], "homes": [1, 1], "most": 100},
        ["name = w.name", "kind = w.kind"],
    ),
    (
        upkeep.ASKING,
        {**ARRAYS, "volumes": [1, 1], "keys": ["a", "b"], "homes": [1, 1]},
        ["name = w.name", "kind = w.kind"],
    ),
    (upkeep.PLACED, {"pages": [1, 2]}, ["id = ANY", "volume = p.volume", "key = p.key"]),
    (
        upkeep.LEADING_PAGES,
        {**ARRAYS, "targets": [1, 2]},
        ["name = w.name", "kind = w.kind", "volume = p.volume", "key = p.key"],
    ),
    (to_mend.COUNTS[True], {"volumes": [1], "visible": [1]}, ["volume = of_volume.id", "report = 'orphans'"]),
    (put_aside.OF_REPORT, {"volumes": [1, 2], "report": "flaws"}, ["volume = ANY", "report = 'flaws'"]),
    (put_aside.KNOWN, {"volumes": [1, 2]}, ["volume = ANY"]),
    (kept_reports.ALL_MADE, {"volume": 1, "name": "flaws"}, ["volume = 1"]),
    (to_mend.ORPHANS, {"volume": 1, "visible": [1], "after": "", "most": 50}, ["volume = 1", "key > "]),
    (to_mend.OUT_OF_REACH, {"volume": 1, "after": "", "most": 50}, ["volume = 1", "key > "]),
    (to_mend.ASKED, {"volume": 1, "visible": [1], "asked": 0, "after": "", "most": 50}, ["volume = 1"]),
    (files.USED, {"volume": 1, "keys": ["a", "b"]}, ["kind = 0", "key = ANY"]),
    (files.UNUSED, {"volume": 1, "after": "", "most": 9}, ["volume = 1", "key > "]),
    (files.EQUAL, {"volume": 1, "most": 9}, ["volume = 1"]),
    (files.VERSIONS, {"file": 1, "most": 9}, ["file = 1"]),
    (assets.NAMING, {"kind": 1, "key": "gel"}, ["kind = 1", "key = 'gel'"]),
    (assets.FILES_CALLED, {"volume": 1, "keys": ["a", "b"]}, ["volume = 1", "key = ANY"]),
    (assets.NAMING_FILE, {"kind": 0, "key": "a", "volume": 1}, ["kind = 0", "key = 'a'"]),
    (sources.CALLED, {"keys": ["a", "b"]}, ["key = ANY"]),
    (sources.CITING, {"kind": 1, "key": "gel", "volumes": [1], "most": 9}, ["kind = 1", "key = 'gel'"]),
    (tasks.DAYS, {"volumes": [1], "person": "", "until": date(2027, 1, 1)}, ["due < "]),
    (memberships.ALL_FIELDS, {"volume": 1}, ["volume = 1"]),
    (memberships.NAMES_OF, {"pages": [1, 2]}, ["page = ANY"]),
    (memberships.NAMED, {"volume": 1}, ["volume = 1"]),
    (memberships.FILED_IDS, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'"]),
    (memberships.NAMING, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'"]),
    (
        memberships.HAVING,
        {"volume": 1, "name": "status", "value": "draft"},
        ["volume = 1", "name = 'status'", "value = 'draft'"],
    ),
    (memberships.WITH_FIELD, {"volume": 1, "name": "pattern", "most": 9}, ["volume = 1", "name = 'pattern'"]),
    (search.IN_NAMES, {"volume": 1, "words": ["isolator", "part"]}, ["key ~~ "]),
    (memberships.FIELDS_OF, {"pages": [1, 2]}, ["page = ANY"]),
    (memberships.LISTED, {"pages": [1, 2]}, ["id = ANY"]),
    (memberships.TEMPLATES, {"volume": 1, "most": 9}, ["volume = 1", "how = 4"]),
    (memberships.USED, {"targets": [1, 2], "names": [1, 2]}, ["name = w.name"]),
    (uses.COUNT, {"names": [1, 2]}, ["name = ANY"]),
    (uses.USING, {"names": [1, 2], "most": 9}, ["name = ANY"]),
    (
        uses.TYPED,
        {"pages": "{1,2}", "names": "{1,2}", "most": 9},
        ["id = ANY", "page = p.id", "number = p.revision"],
    ),
    (contents.CONTENTS_SIZE, {"volume": 1, "most": 401}, ["volume = 1"]),
    (contents.CONTENTS_WHOLE, {"volume": 1, "visible": [1], "most": 401}, ["volume = 1"]),
    (
        contents.AROUND,
        {"volume": 1, "visible": [1], "key": "part 7", "half": 100},
        ["parent IS NULL", "parent = w.parent", "position < w.at", "position >= w.at", "page = "],
    ),
    (facts.FACTS, {"volume": 1, "visible": [1], "most": 401}, ["volume = 1"]),
    (contents.TOTAL[False], {"volume": 1, "parent": 3}, ["parent = 3"]),
    (
        contents.WINDOW[False],
        {"volume": 1, "visible": [1], "parent": 3, "skip": 400, "most": 200},
        ["parent = 3"],
    ),
    (contents.ID_OF, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'"]),
    (contents.PATH, {"volume": 1, "key": "pump"}, ["volume = 1", "key = 'pump'", "id = up.parent"]),
    (history.REVISIONS, {"page": 1, "seen": [1], "before": 9, "most": 50}, ["page = 1", "number < 9"]),
    (history.MONTHS, {"page": 1, "seen": [1]}, ["page = 1"]),
    (
        history.BETWEEN,
        {"page": 1, "seen": [1], "lowest": 2, "highest": 9, "most": 50},
        ["page = 1", "number >= 2"],
    ),
    (
        history.SETTLE,
        {"pages": [1], "volumes": [2], "lowest": [1], "highest": [9], "source": 1},
        ["page = w.page"],
    ),
    (history.WRITTEN_IN, {"pages": [1, 2], "volumes": [1]}, ["page = ANY"]),
    (history.CHANGED_ASSET, {"after": 9, "thing": '{"things": [[{"sort": "file", "id": 1}]]}'}, ["id > 9"]),
    (history.VOLUME_SINCE, {"volume": 1, "act": "language", "after": 9}, ["volume = 1", "id > 9"]),
    (history.BEGUN_ELSEWHERE, {"id": 4}, ["change_set = 4", "number = (r.number - 1)"]),
    (history.TOUCHED, {"id": 4, "volumes": [1], "most": 100}, ["change_set = 4"]),
    (history.BEFORE, {"id": 4}, ["change_set = 4", "number = (r.number - 1)"]),
    (filtered.BY_VOLUME, LOOKED_FOR, ["id < ", "volume = of.volume", "person = 3"]),
    (filtered.BY_AUTHOR, LOOKED_FOR | {"authors": [7]}, ["author = ANY", "id = "]),
    (filtered.BY_PAGE, LOOKED_FOR, ["page = ANY", "id = "]),
    (filtered.AT, {"moment": NOW}, ["at >= "]),
    (rewound.STEPS, {"volume": 1, "after": 9, "until": 99, "most": 10}, ["volume = 1", "id > 9"]),
    (rewound.AT, {"pages": [1], "until": 99}, ["page = w.page"]),
    (people.SESSION, {"token": "x", "now": NOW, "idle": NOW}, ["token = 'x'"]),
    (
        kept_reports.ONE,
        {"volume": 1, "seen": "x", "name": "flaws"},
        ["volume = 1", "seen = 'x'", "name = 'flaws'"],
    ),
    (kept_reports.NUMBERS_OF, {"volumes": [1, 2], "seen": "x"}, ["volume = ANY", "seen = 'x'"]),
    (people.TRIES, {"key": b"x", "since": NOW}, ["key = ", "at > "]),
    (search.SAYING, {"words": "'pump'", "volumes": [1], "most": 20}, ["words @@"]),
    (asked_for.TOLD, {"pages": [1, 2]}, ["page = ANY"]),
    (near_words.KNOWN, {"words": ["pump", "pumps"], "volumes": [1]}, ["word = "]),
    (near_words.HOLDING, {"part": "%pump%", "volumes": [1]}, ["lower(word) ~~ "]),
    (near_words.ALIKE, {"near": "pumpe", "volumes": [1]}, ["lower(word) % "]),
    (near_words.PAGES_OF, {"words": ["pump"], "volumes": [1]}, ["words @@"]),
    (near_words.CALLED, {"words": ["pump"], "volumes": [1]}, ["lower(key) = "]),
    (near_words.IS_NAMED, {"names": ["pump"], "volumes": [1]}, ["named @> "]),
    (near_words.NAMED_ALIKE, {"near": "pump house", "volumes": [1]}, ["key % "]),
    (put_in.INSERT_NAMES, {"volumes": "{1}"}, ["name IS NOT NULL"]),
    (put_in.SOURCES, {"homes": [1], "keys": ["pump"], "words": "'pump'"}, ["lower(key) = "]),
    (search.NAME_PART, PART, ["key ~~"]),
    (search.NAME_ALIAS, {"part": "%pump%", "volumes": [1], "most": 8}, ["key ~~"]),
    (search.NAME_NEAR, {"key": "pump", "volumes": [1], "most": 8}, ["%> "]),
]


def _plan(connection: Connection, query: ClauseElement, values: dict[str, Any]) -> str:
    """How a statement with these values is answered."""
    if isinstance(query, TextClause):
        return "\n".join(connection.execute(text(f"EXPLAIN (COSTS OFF) {query.text}"), values).scalars())
    made = query.compile(dialect=connection.dialect)
    given = made.construct_params(values) or {}
    processors = made._bind_processors  # type: ignore[attr-defined]
    sent = {name: processors[name](each) if name in processors else each for name, each in given.items()}
    return "\n".join(connection.exec_driver_sql(f"EXPLAIN (COSTS OFF) {made}", sent).scalars())


def _name(query: ClauseElement) -> str:
    for module in (
        pages,
        snapshot,
        name_uses,
        backlinks,
        trash,
        to_mend,
        upkeep,
        volumes,
        contents,
        history,
        search,
    ):
        for name, value in vars(module).items():
            if value is query:
                return f"{module.__name__.rpartition('.')[2]}.{name}"
    return "?"


FILL = """
INSERT INTO volume (key, title, libraries)
    SELECT 'guide ' || v, 'Guide ' || v, ARRAY[1] FROM generate_series(1, 40) v;
INSERT INTO person (handle, name, password) VALUES ('wenna', 'Wenna', 'x');
INSERT INTO change_set (act, volume, at) SELECT 'edit', 1 + c % 40, now() FROM generate_series(1, 8000) c;
INSERT INTO person (handle, name, password) SELECT 'p' || p, 'P', 'x' FROM generate_series(1, 400) p;
INSERT INTO membership (person, volume, role) SELECT p, v, 2 FROM generate_series(1, 400) p, generate_series(1, 20) v;
INSERT INTO kept_report (volume, seen, name, at, stamp, pages, whole, number, findings, held_back)
SELECT 1 + c % 40, md5(c::text), 'flaws', now(), '', 1, true, 1, '[]', '{}' FROM generate_series(1, 8000) c;
INSERT INTO put_aside (volume, report, what, involved, title, reason, at)
SELECT 1 + c % 40, 'flaws', md5(c::text), '{}', '', '', now() FROM generate_series(1, 8000) c;
INSERT INTO change_set_reach (volume, change_set) SELECT 1 + c % 40, c FROM generate_series(1, 8000) c;
INSERT INTO change_set_person (person, change_set) SELECT 1 + c % 400, c FROM generate_series(1, 8000) c;
INSERT INTO session (token, person, expires, begun)
    SELECT md5(s::text), 1 + s % 400, now(), now() FROM generate_series(1, 8000) s;
INSERT INTO invitation (token, made_by, at, expires)
    SELECT md5(s::text), 1 + s % 400, now(), now() + make_interval(secs => s) FROM generate_series(1, 8000) s;
INSERT INTO invitation_role (invitation, volume, role)
    SELECT id, 1 + id % 40, 1 FROM invitation;
INSERT INTO offer (volume, handle, person, role, made_by, expires)
    SELECT 1 + s % 40, 'other ' || s, 1 + s % 400, 1, 1 + s % 400, now() + make_interval(secs => s)
    FROM generate_series(1, 8000) s;
INSERT INTO program_key (person, token, name, writes, volumes, made, expires)
    SELECT 1 + s % 400, md5(s::text), '', false, '{1}', now(), now() + make_interval(secs => s)
    FROM generate_series(1, 8000) s;
INSERT INTO audit (at, kind, by_person, person, volume, change_set)
    SELECT now() + make_interval(secs => s), 'kind ' || s % 30, 1 + s % 400, 1 + s * 7 % 400, 1 + s % 40, 1 + s % 8000
    FROM generate_series(1, 20000) s;
INSERT INTO brought (volume, person, name, at, files, said)
    SELECT 1 + s % 40, 1 + s % 400, 'out', now() + make_interval(secs => s), 2, '{}' FROM generate_series(1, 8000) s;
INSERT INTO brought_file (brought, path, hash, read, data)
    SELECT id, 'Guide/' || f || '.md', 'x', f % 2 = 0, 'text' FROM brought, generate_series(1, 4) f;
INSERT INTO sign_in_try (key, at) SELECT decode(md5((s % 900)::text), 'hex'), now() FROM generate_series(1, 8000) s;
INSERT INTO page (volume, key, title, revision, changed)
    SELECT 1 + p % 40, 'page ' || md5(p::text), 'Page', 1, now() FROM generate_series(1, 12000) p;
INSERT INTO revision (page, number, change_set, at, title, text, written_in)
    SELECT p, n, 1 + p % 8000, now(), 'Page', 'pump ' || p, 1 + p % 40
    FROM generate_series(1, 12000) p, generate_series(1, 2) n;
INSERT INTO alias (volume, key, page, name)
    SELECT 1 + p % 40, 'also ' || md5(p::text), p, 'Also' FROM generate_series(1, 12000) p;
INSERT INTO name (home, key, vkey, tkey, absolute)
    SELECT 1 + n % 40, 'page ' || md5(n::text), CASE WHEN n % 3 = 0 THEN 'guide ' || n % 40 END,
    CASE WHEN n % 3 = 0 THEN md5(n::text) END, false FROM generate_series(1, 12000) n;
INSERT INTO page_name (page, name, kind, count)
    SELECT 1 + (u * 7) % 12000, 1 + u % 12000, 0, 1 FROM generate_series(1, 30000) u ON CONFLICT DO NOTHING;
INSERT INTO section_ref (name, section, page) SELECT n, 'limits', n FROM generate_series(1, 12000) n;
INSERT INTO page_refs (page, starts, ends, names, flags)
    SELECT p, '{}', '{}', '{}', '{}' FROM generate_series(1, 12000) p;
INSERT INTO page_search (page, words, names, named, told)
    SELECT p, to_tsvector('english', 'word' || p % 3000), to_tsvector('english', 'name' || p), ARRAY['name ' || p],
    repeat(md5(p::text), 24) FROM generate_series(1, 12000) p;
INSERT INTO word (word, volume) SELECT md5(w::text), 1 + w % 40 FROM generate_series(1, 12000) w;
INSERT INTO page_name (page, name, kind, count)
    SELECT 1 + (u * 7) % 12000, 1 + u % 900, 1, 1 FROM generate_series(1, 9000) u ON CONFLICT DO NOTHING;
INSERT INTO contents (volume, parent, key, title, position)
    SELECT 1 + p % 40, CASE WHEN p > 400 THEN 1 + p % 400 END, 'page ' || md5(p::text), 'Page', p
    FROM generate_series(1, 12000) p;
INSERT INTO trash (page, volume, key, title, revision, change_set, at)
    SELECT 20000 + p, 1 + p % 40, 'gone ' || p, 'Gone', 1, 1 + p % 8000, now() FROM generate_series(1, 12000) p;
INSERT INTO former (volume, key, page) SELECT 1 + p % 40, 'old ' || p, p FROM generate_series(1, 12000) p;
INSERT INTO orphan (page, volume, key, homes)
    SELECT p, 1 + p % 40, 'page ' || md5(p::text), '{}' FROM generate_series(1, 12000) p;
INSERT INTO unplaced (page, volume, key, reached)
    SELECT p, 1 + p % 40, 'page ' || md5(p::text), p % 2 = 0 FROM generate_series(1, 12000) p;
INSERT INTO filing (volume, key, how, page, name, count)
    SELECT 1 + p % 40, 'sort ' || p % 300, p % 2, p, 'Sort', 1 FROM generate_series(1, 12000) p;
INSERT INTO filing (volume, key, how, page, name, count)
    SELECT 1 + p % 40, '', 4, p, '', 1 FROM generate_series(1, 400) p;
INSERT INTO field (volume, name, value, page, said)
    SELECT 1 + p % 40, 'status', 'value ' || p % 50, p, 'Value' FROM generate_series(1, 12000) p;
INSERT INTO held (page, kind, key, count)
    SELECT p, p % 3, 'thing ' || p % 4000, 1 FROM generate_series(1, 12000) p;
INSERT INTO task (page, number, done, priority, due, people)
    SELECT p, 0, p % 5 = 0, chr(65 + p % 26), date '2026-01-01' + p % 4000, '{}' FROM generate_series(1, 12000) p;
INSERT INTO source (key, name, fields, at)
    SELECT 'thing ' || p, 'thing ' || p, '{}', now() FROM generate_series(1, 8000) p;
INSERT INTO blob (hash, data) SELECT decode(md5(p::text), 'hex'), '' FROM generate_series(1, 8000) p;
INSERT INTO scaled (hash, width, data) SELECT decode(md5(p::text), 'hex'), 400, '' FROM generate_series(1, 8000) p;
INSERT INTO staged (hash, person, at)
    SELECT decode(md5(p::text), 'hex'), 1 + p % 400, now() FROM generate_series(1, 8000) p;
INSERT INTO draft (person, volume, page, key, title, text, revision, changed)
    SELECT 1 + p % 400, 1 + p % 40, p, '', '', '', 1, now() FROM generate_series(1, 8000) p;
INSERT INTO file (volume, key, name, version, hash, type, size, width, height, at)
    SELECT 1 + p % 40, 'thing ' || p, 'thing ' || p, 1, decode(md5(p::text), 'hex'), 'image/png', 9, 1, 1, now()
    FROM generate_series(1, 8000) p;
INSERT INTO file_version (file, number, volume, name, hash, type, size, width, height, at, until)
    SELECT p, 1, 1 + p % 40, 'old', decode(md5(p::text), 'hex'), 'image/png', 9, 1, 1, now(), now()
    FROM generate_series(1, 8000) p;
INSERT INTO asked (volume, key, home, pages)
    SELECT 1 + p % 40, 'asked ' || p, 1 + p % 40, 3 FROM generate_series(1, 12000) p;
INSERT INTO led (page, home, pages) SELECT id, volume, 3 FROM page;
INSERT INTO watch (person, kind, page) SELECT 2 + w % 400, 0, 1 + w FROM generate_series(1, 4000) w;
INSERT INTO watch (person, kind, volume) SELECT p, 4, v FROM generate_series(1, 400) p, generate_series(1, 10) v;
INSERT INTO muted (person, page) SELECT 2 + m % 400, 1 + m FROM generate_series(1, 4000) m;
INSERT INTO untold (change_set) SELECT generate_series(1, 20);
INSERT INTO told (person, change_set, at, pages, why, state, letter)
    SELECT 2 + t % 40, 1 + t % 8000, now(), ARRAY[1 + t % 3000], 3, t % 2, CASE WHEN t % 50 > 0 THEN t END
    FROM generate_series(1, 20000) t
    ON CONFLICT DO NOTHING;
INSERT INTO telling (person, own, address, confirmed, how) SELECT p, p % 3 = 0, 'a', true, p % 4
    FROM generate_series(1, 400) p;
INSERT INTO letter (person, kind, message, address, at, due, state)
    SELECT 2 + l % 400, 1, 'm' || l, 'a', now(), now(), CASE WHEN l % 50 = 0 THEN 0 ELSE 1 END
    FROM generate_series(1, 8000) l;
"""


@pytest.fixture(scope="module")
def large(server: str) -> Iterator[Engine]:
    """A wiki large enough for PostgreSQL to choose as it would in earnest: 40 volumes, 12,000 pages."""
    create_database(server, "large_wiki", fresh=True)
    engine = connect(database_url(server, "large_wiki"))
    migrate(engine)
    with engine.begin() as connection:
        for statement in FILL.strip().removesuffix(";").split(";\n"):
            connection.exec_driver_sql(statement.replace("%", "%%"))
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("VACUUM ANALYZE"))
    yield engine
    engine.dispose()


@pytest.mark.parametrize(
    ("query", "values", "conditions"), QUERIES, ids=[_name(query) for query, _, _ in QUERIES]
)
def test_every_query_is_answered_by_an_index(
    large: Engine, query: ClauseElement, values: dict[str, Any], conditions: list[str]
) -> None:
    """Not a filter: with a wrong collation or a cast, an index is read whole and most of it thrown away."""
    with large.connect() as connection:
        plan = _plan(connection, query, values)
    indexed = _bare(" ".join(re.findall(r"(?:Index Cond|Recheck Cond): (.*)", plan)))
    for condition in conditions:
        assert _bare(condition) in indexed, f"{condition} is no index condition of\n{plan}"
    # Volumes and people are few.
    assert set(re.findall(r"Seq Scan on (\w+)", plan)) <= {"volume", "volume_size", "person"}, plan


def _bare(condition: str) -> str:
    """A condition without casts, brackets, quotes and the tables that its columns are of."""
    return re.sub(r"::[a-z]+(\[\])?|[()'\"]|\b\w+\.(?=[a-z])", "", condition)


def test_two_pages_of_one_name_cannot_be(engine: Engine) -> None:
    with pytest.raises(IntegrityError), engine.begin() as connection:
        connection.execute(text("INSERT INTO volume (key, title) VALUES ('guide', 'Guide')"))
        for _ in range(2):
            connection.execute(
                text(
                    "INSERT INTO page (volume, key, title, revision, changed) VALUES (1, 'a', 'A', 1, now())"
                )
            )


def test_a_clash_of_names_comes_out_as_a_sentence(engine: Engine) -> None:
    with pytest.raises(Conflict, match="at the same moment"), writing(engine) as connection:
        for _ in range(2):
            connection.execute(text("INSERT INTO volume (key, title) VALUES ('guide', 'Guide')"))


def test_a_server_that_is_not_there_comes_out_as_a_sentence() -> None:
    engine = connect("postgresql://nobody@127.0.0.1:1/none")
    with pytest.raises(DatabaseDown, match="cannot be reached"), reading(engine):
        pass
    engine.dispose()


def test_a_reading_transaction_cannot_write(engine: Engine) -> None:
    with pytest.raises(Exception, match="read-only"), reading(engine) as connection:
        connection.execute(text("INSERT INTO volume (key, title) VALUES ('guide', 'Guide')"))
