"""Puts a wiki in memory into the database, and compares the two."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy import Connection, Engine, text

from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import read_text
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.store import page_index, volumes, writing
from mokuji.store.log import change_sets
from mokuji.store.log.change_sets import Signature
from mokuji.store.snapshot import StoredWiki, load_volumes

BY = Signature(None, datetime(2026, 11, 24, 9, 0, tzinfo=UTC), "")


def empty(connection: Connection) -> None:
    """Takes everything out of the database."""
    connection.execute(text("TRUNCATE volume, person RESTART IDENTITY CASCADE"))


def fill(connection: Connection, wiki: MemoryWiki) -> None:
    """Writes a wiki whose volumes and pages are numbered from 1 on; the database gives the same numbers."""
    ordered = sorted(wiki.volumes.values(), key=lambda volume: volume.id)
    for volume in ordered:
        assert volumes.add_volume(connection, volume.title, closed=volume.closed) == volume.id
    for volume in ordered:
        volumes.set_libraries(connection, volume.id, volume.libraries)
    for id_, page in sorted(wiki.pages_by_id.items()):
        change_set = change_sets.open_change_set(connection, "create", page.head.volume, None, BY)
        made = writing.create_page(
            connection, page.head.volume, page.head.title, page.content, page.text, change_set, BY
        )
        assert made == id_


def read_back(connection: Connection) -> MemoryWiki:
    """The whole database as a wiki in memory, read from the texts alone."""
    ids = connection.execute(text("SELECT id FROM page")).scalars().all()
    pages = [Page(page.head, page.text) for page in StoredWiki(connection).pages(ids).values()]
    return MemoryWiki(list(load_volumes(connection).values()), pages)


INDEXES = {
    "alias": "volume, key, page, name",
    "page_refs": "page, starts, ends, (SELECT array_agg(n.key || coalesce('|' || n.vkey || '|' || n.tkey, '') "
    "ORDER BY o) FROM unnest(names) WITH ORDINALITY u(id, o) LEFT JOIN name n ON n.id = u.id), flags",
    "page_name x JOIN name n ON n.id = x.name": "page, n.home, n.key, n.vkey, n.tkey, kind, count",
    "section_ref x JOIN name n ON n.id = x.name": "page, n.key, n.vkey, n.tkey, section",
    "page_search": "page, words, names, named, told",
    "filing": "volume, key, how, page, name, count",
    "field": "volume, name, value, page, said",
    "held": "page, kind, key, count",
    "task": "page, number, done, priority, due, people",
    "page": "id, volume, key, title, summary",
}


def indexes(connection: Connection) -> dict[str, list[tuple[object, ...]]]:
    """All that is derived from the texts, in a form that does not depend on the numbers of names."""
    found = {}
    for table, columns in INDEXES.items():
        rows = connection.execute(text(f"SELECT {columns} FROM {table}"))
        found[table] = sorted((tuple(row) for row in rows), key=str)
    return found


def index_anew(connection: Connection) -> None:
    """Throws away all that is derived from the texts, and reads every text again."""
    pages = read_back(connection).pages_by_id
    derived = (
        "page_name",
        "section_ref",
        "alias",
        "page_refs",
        "page_search",
        "filing",
        "field",
        "held",
        "task",
    )
    for table in derived:
        connection.execute(text(f"DELETE FROM {table}"))
    for page in pages.values():
        page_index.index_page(connection, page.head, page.content, new=True)
    while page_index.catch_up(connection, read_text):
        pass


def scratch(wiki: MemoryWiki) -> MemoryWiki:
    """The same wiki with pages and volumes as a new database numbers them."""
    return MemoryWiki(
        [Volume(v.id, v.key, v.title, v.closed, v.libraries) for v in wiki.volumes.values()],
        [
            Page(PageHead(p.head.id, p.head.volume, p.head.key, p.head.title), p.text)
            for p in wiki.pages_by_id.values()
        ],
    )


def check_indexes(engine: Engine) -> None:
    """What is kept beside the texts is what the texts say."""
    with engine.connect() as connection:
        while page_index.catch_up(connection, read_text):
            pass
        kept = indexes(connection)
        index_anew(connection)
        assert kept == indexes(connection)
        connection.rollback()
