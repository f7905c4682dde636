"""Which pages are filed under which category, in a volume.

A page is filed by its front matter, by a mark in its text, or because it
inserts a template that files all pages that do (``gives``). Each query has
its index (tested with EXPLAIN).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, text

from mokuji.core.language.page import PageHead
from mokuji.core.model.categories import Filing
from mokuji.store.index.name_uses import leading_to
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import array

MOST_GIVEN = 50_000
"""Maximum number of pages that are looked at for one category given by templates."""

NAMED = text(
    """SELECT key, how, count(*) AS pages, sum(count) AS number, mode() WITHIN GROUP (ORDER BY name) AS name
    FROM filing WHERE volume = :volume AND how < 4 GROUP BY key, how ORDER BY key"""
)
BROADER = text(
    """SELECT p.key, f.key AS wider FROM filing f JOIN page p ON p.id = f.page
    WHERE f.volume = :volume AND f.how = 3 ORDER BY p.key, f.key"""
)
GIVING = text(
    """SELECT f.key, f.name, p.id, p.volume, p.key AS page_key, p.title, p.revision
    FROM filing f JOIN page p ON p.id = f.page WHERE f.how = 2 AND f.volume = ANY(CAST(:volumes AS int[]))
    ORDER BY f.key, p.id"""
)
INSERTING = text(
    """SELECT DISTINCT pn.page FROM page_name pn
    WHERE pn.name = ANY(CAST(:names AS bigint[])) AND pn.kind = 1 LIMIT :most"""
)
FILED_IDS = text(
    'SELECT page, how, count AS number FROM filing WHERE volume = :volume AND key = :key COLLATE "C" AND how IN (0, 1)'
)
NAMING = text(
    'SELECT DISTINCT page FROM filing WHERE volume = :volume AND key = :key COLLATE "C" AND how < 4'
)
HAVING = text(
    """SELECT page FROM field WHERE volume = :volume AND name = :name COLLATE "C" AND value = :value COLLATE "C" """
)
IS_FIELD = text(  # in an order that only the index has: without one, a name that nobody uses may read the whole table
    """SELECT 1 FROM field WHERE volume = :volume AND name = :name COLLATE "C" ORDER BY value, page LIMIT 1"""
)
WITH_FIELD = text(
    'SELECT DISTINCT page FROM field WHERE volume = :volume AND name = :name COLLATE "C" LIMIT :most'
)
ALL_FIELDS = text(
    """SELECT name, min(said) AS said, count(*) AS pages FROM field WHERE volume = :volume
    GROUP BY name, value ORDER BY name, pages DESC, value"""
)
FIELDS_OF = text(
    "SELECT page, name, said FROM field WHERE page = ANY(CAST(:pages AS bigint[])) ORDER BY page, name, value"
)
LISTED = text(
    """SELECT id, volume, key, title, revision, summary, to_char(changed, 'YYYY-MM-DD') AS day FROM page
    WHERE id = ANY(CAST(:pages AS bigint[]))"""
)
HEADS_AFTER = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision, p.summary FROM page p
    WHERE p.id = ANY(CAST(:ids AS bigint[])) AND p.key > :after COLLATE "C" ORDER BY p.key LIMIT :most"""
)
OF_PAGE = text("SELECT key, how, name, count AS number FROM filing WHERE page = :page ORDER BY key, how")
NAMES_OF = text(
    """SELECT DISTINCT page, key, name FROM filing WHERE page = ANY(CAST(:pages AS bigint[])) AND how IN (0, 1)
    AND key <> '' ORDER BY page, key"""
)
GIVEN_BY = text(
    """SELECT page, key, name FROM filing WHERE page = ANY(CAST(:templates AS bigint[])) AND how = 2
    ORDER BY page, key"""
)
TEMPLATES = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision, p.summary, f.count AS slots
    FROM filing f JOIN page p ON p.id = f.page WHERE f.volume = :volume AND f.key = '' AND f.how = 4
    ORDER BY p.key LIMIT :most"""
)
USED = text(
    """SELECT w.target, count(DISTINCT pn.page) AS pages
    FROM unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[])) AS w(target, name)
    JOIN page_name pn ON pn.name = w.name AND pn.kind = 1 GROUP BY w.target"""
)
UNFILED = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision FROM page p
    WHERE p.volume = :volume AND p.key > :after COLLATE "C"
    AND NOT EXISTS (SELECT 1 FROM filing f WHERE f.page = p.id AND f.how IN (0, 1) OFFSET 0)
    ORDER BY p.key LIMIT :most"""
)


@dataclass(frozen=True, slots=True)
class Named:
    """A category as a volume uses it in one way: its name as it is written most often, on how many pages, how often."""

    key: str
    how: Filing
    name: str
    pages: int
    number: int


@dataclass(frozen=True, slots=True)
class Giver:
    """A template that files every page that inserts it."""

    key: str
    name: str
    template: PageHead


def named(connection: Connection, volume: int) -> list[Named]:
    """All categories of a volume, in every way they are used."""
    rows = connection.execute(NAMED, {"volume": volume}).all()
    return [Named(row.key, Filing(row.how), row.name, row.pages, row.number) for row in rows]


def broader(connection: Connection, volume: int) -> dict[str, list[str]]:
    """Category → the broader ones that the page of its name gives."""
    found: dict[str, list[str]] = {}
    for row in connection.execute(BROADER, {"volume": volume}).all():
        found.setdefault(row.key, []).append(row.wider)
    return found


def givers(connection: Connection, visible: Collection[int]) -> list[Giver]:
    """The templates of these volumes that file pages."""
    rows = connection.execute(GIVING, {"volumes": array(visible)}).all()
    return [Giver(r.key, r.name, PageHead(r.id, r.volume, r.page_key, r.title, r.revision)) for r in rows]


def given(wiki: StoredWiki, givers_: Sequence[Giver], volume: int) -> dict[int, set[int]]:
    """For each of these templates (by its id) the pages of a volume that insert it. ``wiki`` is the whole one."""
    templates = {giver.template.id: giver.template for giver in givers_}
    if not templates:
        return {}
    leading = leading_to(wiki, list(templates.values()))
    found: dict[int, set[int]] = {}
    for id_, uses in leading.items():
        names = array(use.name for use in uses if use.kind == 1 and use.home == volume)
        if names != "{}":
            rows = wiki.connection.execute(INSERTING, {"names": names, "most": MOST_GIVEN})
            found[id_] = set(rows.scalars().all())
    return found


def filed_under(connection: Connection, volume: int, key: str) -> Mapping[int, dict[Filing, int]]:
    """The pages that are filed under a category themselves: how, and how often."""
    found: dict[int, dict[Filing, int]] = {}
    for row in connection.execute(FILED_IDS, {"volume": volume, "key": key}).all():
        found.setdefault(row.page, {})[Filing(row.how)] = row.number
    return found


def having(connection: Connection, volume: int, name: str, value: str) -> set[int]:
    """The pages of a volume whose field has a value, given as a key."""
    values = {"volume": volume, "name": name, "value": value}
    return set(connection.execute(HAVING, values).scalars().all())


def is_field(connection: Connection, volume: int, name: str) -> bool:
    """Whether any page of a volume has a field."""
    return connection.execute(IS_FIELD, {"volume": volume, "name": name}).first() is not None


def with_field(connection: Connection, volume: int, name: str, most: int) -> list[int]:
    """Pages of a volume that have a field, whatever it says."""
    values = {"volume": volume, "name": name, "most": most}
    return list(connection.execute(WITH_FIELD, values).scalars())


def fields_of(connection: Connection, pages: Collection[int]) -> dict[int, dict[str, list[str]]]:
    """The fields of pages, with all values of each."""
    found: dict[int, dict[str, list[str]]] = {}
    for row in connection.execute(FIELDS_OF, {"pages": array(pages)}).all():
        found.setdefault(row.page, {}).setdefault(row.name, []).append(row.said)
    return found


def listed(connection: Connection, pages: Collection[int]) -> list[tuple[PageHead, str, str]]:
    """Pages with summary and the day of their last change."""
    rows = connection.execute(LISTED, {"pages": array(pages)}).all()
    return [(PageHead(*row[:5]), row.summary, row.day) for row in rows]


def naming(connection: Connection, volume: int, key: str) -> list[int]:
    """The pages of a volume that name a category, in whatever way."""
    return list(connection.execute(NAMING, {"volume": volume, "key": key}).scalars().all())


def heads_after(
    connection: Connection, ids: Collection[int], after: str, most: int
) -> list[tuple[PageHead, str]]:
    """Some of these pages by key, from one on, with their summaries."""
    rows = connection.execute(HEADS_AFTER, {"ids": array(ids), "after": after, "most": most}).all()
    return [(PageHead(*row[:5]), row.summary) for row in rows]


def of_page(connection: Connection, page: int) -> list[tuple[str, Filing, str, int]]:
    """What a page names: key, how, name and how often."""
    rows = connection.execute(OF_PAGE, {"page": page}).all()
    return [(row.key, Filing(row.how), row.name, row.number) for row in rows]


def templates(connection: Connection, volume: int, most: int = 1_000) -> list[tuple[PageHead, str, int]]:
    """The templates of a volume by key, with summary and number of slots."""
    rows = connection.execute(TEMPLATES, {"volume": volume, "most": most}).all()
    return [(PageHead(*row[:5]), row.summary, row.slots) for row in rows]


def used(wiki: StoredWiki, pages: Sequence[PageHead], visible: Collection[int]) -> dict[int, int]:
    """On how many pages of these volumes each of these pages is put in; those that are nowhere are left out."""
    leading = leading_to(wiki, pages)
    flat = [
        (id_, use.name)
        for id_, uses in leading.items()
        for use in uses
        if use.kind == 1 and use.home in visible
    ]
    values = {"targets": array(id_ for id_, _ in flat), "names": array(name for _, name in flat)}
    return {row.target: row.pages for row in wiki.connection.execute(USED, values).all()} if flat else {}


def given_by(connection: Connection, templates: Collection[int]) -> list[tuple[int, str, str]]:
    """The categories under which templates file what inserts them: template, key and name."""
    if not templates:
        return []
    rows = connection.execute(GIVEN_BY, {"templates": array(templates)}).all()
    return [(row.page, row.key, row.name) for row in rows]


def unfiled(connection: Connection, volume: int, *, after: str = "", most: int = 200) -> list[PageHead]:
    """Pages of a volume without any category, by key."""
    rows = connection.execute(UNFILED, {"volume": volume, "after": after, "most": most}).all()
    return [PageHead(*row) for row in rows]


def names_of(connection: Connection, pages: Collection[int]) -> dict[int, list[str]]:
    """The categories that pages are filed under themselves, by page, as they are written."""
    rows = connection.execute(NAMES_OF, {"pages": list(pages)}).all() if pages else []
    found: dict[int, list[str]] = {}
    for row in rows:
        found.setdefault(row.page, []).append(row.name)
    return found


def all_fields(connection: Connection, volume: int) -> dict[str, list[tuple[str, int]]]:
    """The fields that pages of a volume have, with their values and how many pages say each, the most frequent
    first."""
    found: dict[str, list[tuple[str, int]]] = {}
    for row in connection.execute(ALL_FIELDS, {"volume": volume}):
        found.setdefault(row.name, []).append((row.said, row.pages))
    return found


def any_unfiled(connection: Connection) -> bool:
    """Whether there are pages of which it is not noted yet what they hold."""
    return connection.execute(text("SELECT 1 FROM unfiled LIMIT 1")).first() is not None
