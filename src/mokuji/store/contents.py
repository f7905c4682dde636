"""The contents of a volume: the ordered tree of its pages, numbered, with how many pages lead to each.

A name may have a place before there is a page of it. Positions are
fractional, so that moving a branch writes one row.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Connection, TextClause, text

from mokuji.core.wiki import PageHead
from mokuji.store.leading import NameUse, leading_to, led_to_by
from mokuji.store.snapshot import StoredWiki

WHOLE_CONTENTS = 400
"""Up to so many entries the contents of a volume are loaded whole, beyond level by level."""
LEVEL = 200
"""Most entries of one level that are loaded at once."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A row of the contents. ``page`` is None for a name that is placed but unwritten; ``led_to_by`` is how
    many other pages lead to it; ``branch`` says that entries stand below it, loaded or not."""

    id: int
    parent: int | None
    key: str
    title: str
    number: str
    depth: int
    page: int | None
    led_to_by: int
    branch: bool


@dataclass(frozen=True, slots=True)
class Contents:
    """The contents of a volume, in order. ``whole`` is False when only the levels that lead to a page were
    loaded, and of each at most ``LEVEL`` entries around it."""

    entries: tuple[Entry, ...]
    whole: bool
    leading: Mapping[int, Sequence[NameUse]] = field(default_factory=dict)
    """The names in use that lead to each of the pages."""

    def of(self, key: str) -> Entry | None:
        """The entry with a key."""
        return next((entry for entry in self.entries if entry.key == key), None)

    def above(self, entry: Entry) -> Entry | None:
        """The entry below which another stands."""
        return next((each for each in self.entries if each.id == entry.parent), None)

    def ahead(self, entry: Entry) -> Entry | None:
        """The entry before another on its level."""
        level = [each for each in self.entries if each.parent == entry.parent]
        at = next(n for n, each in enumerate(level) if each.id == entry.id)
        return level[at - 1] if at else None


# OFFSET 0 keeps the question for a branch a look-up for each row: joined, it would read all contents.
_CONTENTS = """SELECT c.id, c.parent, c.key, c.title, c.position,
    p.id AS page, p.key AS page_key, p.title AS page_title,
    EXISTS (SELECT 1 FROM contents b WHERE b.volume = c.volume AND b.parent = c.id OFFSET 0) AS branch
    FROM contents c LEFT JOIN page p ON p.volume = c.volume AND p.key = c.key WHERE c.volume = :volume"""
CONTENTS_SIZE = text("SELECT count(*) FROM (SELECT 1 FROM contents WHERE volume = :volume LIMIT :most) c")
CONTENTS_WHOLE = text(f"{_CONTENTS} ORDER BY c.parent, c.position LIMIT :most")


def _level(parent: str) -> tuple[TextClause, TextClause]:
    """The entries of one level around a position, and how many stand before a position."""
    around = f"""(SELECT * FROM ({_CONTENTS} AND c.parent {parent} AND c.position < :at
            ORDER BY c.position DESC LIMIT :half) b ORDER BY position)
        UNION ALL ({_CONTENTS} AND c.parent {parent} AND c.position >= :at ORDER BY c.position LIMIT :half)"""  # noqa: S608
    before = f"""SELECT count(*) FROM contents c
        WHERE c.volume = :volume AND c.parent {parent} AND c.position < :at"""  # noqa: S608
    return text(around), text(before)


TOP_LEVEL, BEFORE_AT_TOP = _level("IS NULL")
ONE_LEVEL, BEFORE_AT_LEVEL = _level("= :parent")


def contents(
    wiki: StoredWiki,
    volume: int,
    visible: Collection[int],
    *,
    path_to: str | None = None,
) -> Contents:
    """The contents of a volume: whole if it is small, else the levels that lead to ``path_to``. ``wiki`` is the
    whole one; pages of the ``visible`` volumes are counted."""
    connection = wiki.connection
    values = {"volume": volume, "most": WHOLE_CONTENTS + 1}
    whole = connection.execute(CONTENTS_SIZE, values).scalar_one() <= WHOLE_CONTENTS
    first: dict[int | None, int] = {}
    if whole:
        rows = list(connection.execute(CONTENTS_WHOLE, values))
    else:
        rows, first = _levels(connection, volume, path_to)
    pages = [PageHead(row.page, volume, row.page_key, row.page_title) for row in rows if row.page is not None]
    leading = leading_to(wiki, pages)
    counts = led_to_by(connection, leading, visible)
    return Contents(tuple(_numbered(rows, counts, first)), whole, leading)


PATH = text(
    """WITH RECURSIVE up AS (
        SELECT id, parent, position, title, 0 AS step FROM contents WHERE volume = :volume AND key = :key COLLATE "C"
        UNION ALL SELECT c.id, c.parent, c.position, c.title, up.step + 1 FROM contents c JOIN up ON c.id = up.parent
        WHERE up.step < 100)
    SELECT id, parent, position, title FROM up ORDER BY step DESC"""
)


def above(connection: Connection, volume: int, key: str) -> tuple[str, ...]:
    """The names that stand above one in the contents, the top first."""
    return tuple(row.title for row in connection.execute(PATH, {"volume": volume, "key": key}).all())[:-1]


def _levels(
    connection: Connection, volume: int, path_to: str | None
) -> tuple[list[Any], dict[int | None, int]]:
    """The levels down to an entry and the one below it; and the ordinal of each level's first loaded entry."""
    path = connection.execute(PATH, {"volume": volume, "key": path_to or ""}).all()
    wanted: list[tuple[int | None, float]] = [(step.parent, step.position) for step in path]
    wanted.append((path[-1].id if path else None, float("-inf")))
    rows: list[Any] = []
    first: dict[int | None, int] = {}
    for parent, at in wanted:
        level, before = (TOP_LEVEL, BEFORE_AT_TOP) if parent is None else (ONE_LEVEL, BEFORE_AT_LEVEL)
        values = {"volume": volume, "parent": parent, "at": at, "half": LEVEL // 2}
        found = connection.execute(level, values).all()
        if found:
            rows += found
            values["at"] = found[0].position
            first[parent] = connection.execute(before, values).scalar_one() + 1
    return rows, first


def _numbered(rows: Sequence[Any], counts: Mapping[int, int], first: Mapping[int | None, int]) -> list[Entry]:
    below: dict[int | None, list[Any]] = {}
    for row in rows:
        below.setdefault(row.parent, []).append(row)

    def level(parent: int | None, lead: str, depth: int) -> list[tuple[Any, str, int]]:
        start = first.get(parent, 1)
        numbered = [(row, f"{lead}{n}", depth) for n, row in enumerate(below.get(parent, ()), start)]
        return numbered[::-1]

    found: list[Entry] = []
    pending = level(None, "", 0)
    while pending:
        row, number, depth = pending.pop()
        led = counts.get(row.page, 0) if row.page is not None else 0
        found.append(Entry(row.id, row.parent, row.key, row.title, number, depth, row.page, led, row.branch))
        pending += level(row.id, f"{number}.", depth + 1)
    return found


def write_contents(connection: Connection, volume: int, entries: Sequence[tuple[int, str, str]]) -> None:
    """Puts down the contents of a new volume: depth (from 0), title and key, in order."""
    parents: list[int] = []
    for nth, (depth, title, key) in enumerate(entries, 1):
        del parents[depth:]
        id_ = connection.execute(
            text(
                """INSERT INTO contents (volume, parent, key, title, position)
                VALUES (:volume, :parent, :key, :title, :position)
                ON CONFLICT (volume, key) DO UPDATE SET title = contents.title RETURNING id"""
            ),
            {
                "volume": volume,
                "parent": parents[-1] if parents else None,
                "key": key,
                "title": title,
                "position": float(nth),
            },
        ).scalar_one()
        parents.append(id_)
