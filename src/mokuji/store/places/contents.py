"""The contents of a volume: the ordered tree of its pages, numbered, with how many pages lead to each.

A name may have a place before there is a page of it. Positions are
fractional, so that moving a branch writes one row.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import (
    ARRAY,
    BigInteger,
    ColumnElement,
    Connection,
    Double,
    FromClause,
    Integer,
    Select,
    bindparam,
    cast,
    column,
    func,
    select,
    text,
    true,
)
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.base.cache import BoundedCache
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import contents as stored
from mokuji.store.tables import led, page

WHOLE_CONTENTS = 150
"""Up to so many entries the contents of a volume are loaded whole, beyond level by level."""
LEVEL = 100
"""Maximum number of entries of one level that are loaded at once."""
NAMED = 100
"""Maximum number of names of a large volume that are found by a part of them at once."""


@dataclass(frozen=True, slots=True)
class ContentsEntry:
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

    @property
    def nth(self) -> int:
        """Its ordinal on its level, from 1."""
        return int(self.number.rpartition(".")[2])


@dataclass(frozen=True, slots=True)
class Gap:
    """Entries of a level that were not loaded: how many stand ``before`` those that were, or behind them. ``at`` is
    the key of the loaded entry next to them."""

    count: int
    before: bool
    depth: int
    at: str


@dataclass(frozen=True, slots=True)
class Level:
    """Entries of one level of the contents, and how many it has in all. ``under`` is the key of the name it stands
    below, empty for the topmost level. The entries' numbers are those on the level alone."""

    under: str
    total: int
    entries: tuple[ContentsEntry, ...]


@dataclass(frozen=True, slots=True)
class Contents:
    """The contents of a volume, in order. ``whole`` is False when only the levels that lead to a page were
    loaded, and of each at most ``LEVEL`` entries around it."""

    entries: tuple[ContentsEntry, ...]
    whole: bool
    totals: Mapping[int | None, int] = field(default_factory=dict)
    """How many entries each level has that was loaded in part, by the entry it stands below."""

    @property
    def rows(self) -> list[ContentsEntry | Gap]:
        """The entries, with the gaps between them."""
        by_id = {entry.id: entry for entry in self.entries}
        last: dict[int | None, ContentsEntry] = {entry.parent: entry for entry in self.entries}
        found: list[ContentsEntry | Gap] = []
        open_: list[ContentsEntry] = []

        def close(depth: int) -> None:
            while open_ and open_[-1].depth >= depth:
                done = open_.pop()
                behind = self.totals.get(done.parent, 0) - done.nth
                if behind > 0 and last[done.parent] is done:
                    found.append(Gap(behind, before=False, depth=done.depth, at=done.key))

        begun: set[int | None] = set()
        for entry in self.entries:
            close(entry.depth)
            if entry.parent not in begun:
                begun.add(entry.parent)
                if entry.nth > 1 and (entry.parent is None or entry.parent in by_id):
                    found.append(Gap(entry.nth - 1, before=True, depth=entry.depth, at=entry.key))
            found.append(entry)
            open_.append(entry)
        close(0)
        return found

    def of(self, key: str) -> ContentsEntry | None:
        """The entry with a key."""
        return next((entry for entry in self.entries if entry.key == key), None)

    def above(self, entry: ContentsEntry) -> ContentsEntry | None:
        """The entry below which another stands."""
        return next((each for each in self.entries if each.id == entry.parent), None)

    def ahead(self, entry: ContentsEntry) -> ContentsEntry | None:
        """The entry before another on its level."""
        level = [each for each in self.entries if each.parent == entry.parent]
        at = next(n for n, each in enumerate(level) if each.id == entry.id)
        return level[at - 1] if at else None


KEPT = 200_000
"""Number of entries that are kept as they were numbered."""
# By the rows that they are made of, so they are right as long as these are.
_kept: BoundedCache[Contents] = BoundedCache(KEPT, lambda contents: len(contents.entries) + 1)

_below = stored.alias("b")


def _shown(entries: FromClause, *more: ColumnElement[Any]) -> Select[*tuple[Any, ...]]:
    """The columns of some entries, each with its page, how many other pages of the visible volumes lead to that, and
    whether other entries stand below it. OFFSET 0 keeps all that a look-up for each row: joined, it would read all
    pages, and all contents."""
    below = select(fixed(1)).where(_below.c.volume == entries.c.volume, _below.c.parent == entries.c.id)
    its = (
        select(page.c.id, page.c.key, page.c.title)
        .where(page.c.volume == entries.c.volume, page.c.key == entries.c.key)
        .offset(fixed(0))
        .lateral("p")
    )
    leading = select(cast(func.sum(led.c.pages), Integer)).where(
        led.c.page == its.c.id, among(led.c.home, "visible")
    )
    return (
        select(
            *(entries.c[name] for name in ("id", "parent", "key", "title", "position")),
            its.c.id.label("page"),
            its.c.key.label("page_key"),
            its.c.title.label("page_title"),
            below.offset(fixed(0)).exists().label("branch"),
            func.coalesce(leading.scalar_subquery(), fixed(0)).label("led"),
            *more,
        )
        .select_from(entries)
        .outerjoin(its, true())
    )


_in_volume = stored.c.volume == value("volume")
_entries = _shown(stored).where(_in_volume)
_position = stored.c.position
CONTENTS_SIZE = select(func.count()).select_from(
    select(fixed(1)).where(_in_volume).limit(value("most")).subquery()
)
CONTENTS_WHOLE = _entries.order_by(stored.c.parent, _position).limit(value("most"))
_level_is = {False: stored.c.parent == value("parent"), True: stored.c.parent.is_(None)}
"""The entries below one (False), and those at the top (True): one condition for both would use no index."""
TOTAL = {top: select(func.count()).where(_in_volume, level) for top, level in _level_is.items()}
"""How many entries a level has."""
# Rows are passed over in the index alone, before anything is looked up for them.
_windows = {
    top: select(stored)
    .where(_in_volume, level)
    .order_by(_position)
    .offset(value("skip"))
    .limit(value("most"))
    .subquery("c")
    for top, level in _level_is.items()
}
WINDOW = {top: _shown(rows).order_by(rows.c.position) for top, rows in _windows.items()}
"""The entries of a level behind the first ``skip`` ones."""
ID_OF = select(stored.c.id).where(_in_volume, stored.c.key == value("key"))
_placed = (
    func.unnest(
        texts("keys"), texts("titles"), bindparam("parents", type_=ARRAY(BigInteger)), numbers("places")
    )
    .table_valued("key", "title", "parent", "place")
    .render_derived("placed")
)
PUT = (
    insert_or_else(stored)
    .from_select(
        ["volume", "parent", "key", "title", "position"],
        select(
            cast(value("home"), Integer),
            _placed.c.parent,
            _placed.c.key,
            _placed.c.title,
            cast(_placed.c.place, Double),
        ),
    )
    .on_conflict_do_nothing(index_elements=["volume", "key"])
    .returning(stored.c.key, stored.c.id)
)


def contents(
    connection: Connection,
    volume: int,
    visible: Collection[int],
    *,
    path_to: str | None = None,
    whole: bool | None = None,
) -> Contents:
    """The contents of a volume: whole if they are few (``whole`` says so if that is known), else the levels leading to
    ``path_to``. Pages of the ``visible`` volumes are counted, as they were when upkeep last looked (``index.led``)."""
    values = {"volume": volume, "visible": visible, "most": WHOLE_CONTENTS + 1}
    if whole is None:
        whole = connection.execute(CONTENTS_SIZE, values).scalar_one() <= WHOLE_CONTENTS
    first: dict[int | None, int] = {}
    totals: dict[int | None, int] = {}
    if whole:
        rows: Sequence[Any] = connection.execute(CONTENTS_WHOLE, values).all()
    else:
        rows, first, totals = _levels(connection, volume, visible, path_to)
    key = (whole, tuple(map(tuple, rows)))
    return _kept.made(key, lambda: Contents(tuple(_numbered(rows, first)), whole, totals))


# As text: a walk says less by expressions.
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


# As text: a walk, whose steps are levels of which some entries are taken. Its rows are given columns by an expression.
_AROUND = text(
    """WITH RECURSIVE up AS (
        SELECT id, parent, position, 0 AS step FROM contents WHERE volume = :volume AND key = :key COLLATE "C"
        UNION ALL SELECT c.id, c.parent, c.position, up.step + 1 FROM contents c JOIN up ON c.id = up.parent
        WHERE up.step < 100),
    wanted AS (SELECT step, parent, position AS at FROM up
        UNION ALL SELECT -1, (SELECT id FROM up WHERE step = 0), CAST('-Infinity' AS float8)),
    found AS (
        SELECT w.step, c.* FROM wanted w, LATERAL (
            (SELECT * FROM contents WHERE volume = :volume AND parent = w.parent AND position < w.at
                ORDER BY position DESC LIMIT :half)
            UNION ALL (SELECT * FROM contents WHERE volume = :volume AND parent = w.parent AND position >= w.at
                ORDER BY position LIMIT :half)) c
        UNION ALL SELECT w.step, c.* FROM wanted w, LATERAL (
            (SELECT * FROM contents WHERE volume = :volume AND parent IS NULL AND position < w.at
                ORDER BY position DESC LIMIT :half)
            UNION ALL (SELECT * FROM contents WHERE volume = :volume AND parent IS NULL AND position >= w.at
                ORDER BY position LIMIT :half)) c
        WHERE w.parent IS NULL),
    counted AS MATERIALIZED (SELECT w.step, CASE WHEN w.parent IS NULL
            THEN (SELECT count(*) FROM contents WHERE volume = :volume AND parent IS NULL)
            ELSE (SELECT count(*) FROM contents WHERE volume = :volume AND parent = w.parent) END AS total,
        CASE WHEN w.parent IS NULL
            THEN (SELECT count(*) FROM contents WHERE volume = :volume AND parent IS NULL AND position < f.first)
            ELSE (SELECT count(*) FROM contents WHERE volume = :volume AND parent = w.parent AND position < f.first)
            END AS ahead
        FROM wanted w JOIN (SELECT step, min(position) AS first FROM found GROUP BY step) f USING (step))
    SELECT f.id, f.volume, f.parent, f.key, f.title, f.position, c.total, c.ahead
    FROM found f JOIN counted c USING (step)"""
)
_around = _AROUND.columns(*stored.c, column("total", BigInteger), column("ahead", BigInteger)).subquery("c")
AROUND = _shown(_around, _around.c.total, _around.c.ahead).order_by(_around.c.position)
"""The entries around a name, and around all that it stands below, and the first ones below it; with each how many its
level has, and how many of them stand ahead of those that are given."""


def _levels(
    connection: Connection, volume: int, visible: Collection[int], path_to: str | None
) -> tuple[Sequence[Any], dict[int | None, int], dict[int | None, int]]:
    """The levels down to an entry and the one below it; of each the ordinal of the first loaded entry and how many it
    has."""
    values = {"volume": volume, "visible": visible, "key": path_to or "", "half": LEVEL // 2}
    rows = connection.execute(AROUND, values).all()
    first = {row.parent: row.ahead + 1 for row in rows}
    return rows, first, {row.parent: row.total for row in rows}


def level(
    connection: Connection, volume: int, visible: Collection[int], under: str, skip: int = 0
) -> Level | None:
    """At most ``LEVEL`` entries of the level below a name (topmost: an empty key), behind the first ``skip`` ones;
    None if the name has no place."""
    parent: int | None = None
    if under:
        parent = connection.execute(ID_OF, {"volume": volume, "key": under}).scalar()
        if parent is None:
            return None
    values = {"volume": volume, "visible": visible, "parent": parent, "skip": skip, "most": LEVEL}
    total = connection.execute(TOTAL[not under], values).scalar_one()
    rows = connection.execute(WINDOW[not under], values).all()
    return Level(under, total, tuple(_entry(row, str(n), 0) for n, row in enumerate(rows, skip + 1)))


# As text: a walk. Its rows are given columns by an expression.
_NAMED = text(
    """WITH RECURSIVE named AS (
        SELECT id, parent FROM contents WHERE volume = :volume AND strpos(key, :words) > 0
        ORDER BY strpos(key, :words), key LIMIT :most),
    up AS (SELECT id, parent FROM named UNION SELECT c.id, c.parent FROM contents c JOIN up ON c.id = up.parent),
    numbered AS (SELECT id, row_number() OVER (PARTITION BY parent ORDER BY position) AS nth
        FROM contents WHERE volume = :volume)
    SELECT c.*, n.nth FROM up JOIN numbered n USING (id) JOIN contents c USING (id)"""
)
_named = _NAMED.columns(*stored.c, column("nth", BigInteger)).subquery("c")
NAMED_SO = _shown(_named, _named.c.nth).order_by(_named.c.parent.nulls_first(), _named.c.position)


def named_so(
    connection: Connection, volume: int, visible: Collection[int], words: str
) -> tuple[list[Level], bool]:
    """The entries whose keys contain these words, with all that they stand below, level by level; and whether there
    are more than ``NAMED``, of which those are given in which the words come first."""
    values = {"volume": volume, "visible": visible, "words": words, "most": NAMED + 1}
    rows = connection.execute(NAMED_SO, values).all()
    keys = {row.id: row.key for row in rows}
    found: dict[int | None, list[ContentsEntry]] = {}
    for row in rows:
        found.setdefault(row.parent, []).append(_entry(row, str(row.nth), 0))
    levels = [
        Level(keys[parent] if parent is not None else "", len(entries), tuple(entries))
        for parent, entries in found.items()
    ]
    return levels, sum(words in row.key for row in rows) > NAMED


def levels_of(loaded: Contents) -> list[Level]:
    """The levels of loaded contents, the topmost first."""
    keys = {entry.id: entry.key for entry in loaded.entries}
    found: dict[int | None, list[ContentsEntry]] = {}
    for entry in loaded.entries:
        found.setdefault(entry.parent, []).append(entry)
    return [
        Level(
            keys[parent] if parent is not None else "",
            loaded.totals.get(parent, len(entries)),
            tuple(entries),
        )
        for parent, entries in found.items()
    ]


def _entry(row: Any, number: str, depth: int) -> ContentsEntry:
    return ContentsEntry(row.id, row.parent, row.key, row.title, number, depth, row.page, row.led, row.branch)


def _numbered(rows: Sequence[Any], first: Mapping[int | None, int]) -> list[ContentsEntry]:
    below: dict[int | None, list[Any]] = {}
    for row in rows:
        below.setdefault(row.parent, []).append(row)

    def level(parent: int | None, lead: str, depth: int) -> list[tuple[Any, str, int]]:
        start = first.get(parent, 1)
        numbered = [(row, f"{lead}{n}", depth) for n, row in enumerate(below.get(parent, ()), start)]
        return numbered[::-1]

    entries: list[ContentsEntry] = []
    pending = level(None, "", 0)
    while pending:
        row, number, depth = pending.pop()
        entries.append(_entry(row, number, depth))
        pending += level(row.id, f"{number}.", depth + 1)
    return entries


def write_contents(connection: Connection, volume: int, entries: Sequence[tuple[int, str, str]]) -> None:
    """Puts down the contents of a new volume: depth (from 0), title and key, in order. A name that comes twice has its
    first place."""
    levels: dict[int, list[tuple[str, str, str | None, int]]] = {}
    parents: list[str] = []
    depths: dict[str | None, int] = {None: -1}
    for nth, (depth, title, key) in enumerate(entries, 1):
        del parents[depth:]
        if key not in depths:
            parent = parents[-1] if parents else None
            depths[key] = depths[parent] + 1
            levels.setdefault(depths[key], []).append((key, title, parent, nth))
        parents.append(key)
    ids: dict[str | None, int | None] = {None: None}
    for _, level in sorted(levels.items()):
        values = {
            "home": volume,
            "keys": [key for key, _, _, _ in level],
            "titles": [title for _, title, _, _ in level],
            "parents": [ids[parent] for _, _, parent, _ in level],
            "places": [nth for _, _, _, nth in level],
        }
        ids |= {row.key: row.id for row in connection.execute(PUT, values)}
