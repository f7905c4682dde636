"""What the log holds of how a volume came to stand as it does, and of its pages at a moment."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import Connection, Text, and_, func, literal_column, or_, select, true, union
from sqlalchemy.dialects.postgresql import JSONB

from mokuji.core.model.rewinding import Step
from mokuji.store.places import placing
from mokuji.store.statements import fixed, numbers, value
from mokuji.store.tables import change_set, change_set_reach, page, trash
from mokuji.store.tables import revision as states

MOST = 50_000
"""Maximum number of acts that are taken back to find how a volume stood."""
_between = and_(change_set.c.id > value("after"), change_set.c.id <= value("until"))
_of_volume = union(
    select(change_set.c.id).where(change_set.c.volume == value("volume"), _between),
    select(change_set_reach.c.change_set).where(
        change_set_reach.c.volume == value("volume"),
        change_set_reach.c.change_set > value("after"),
        change_set_reach.c.change_set <= value("until"),
    ),
)
# Names within the detail belong to the statement: given as values they would have to be told apart at each use.
_parts = [
    change_set.c.detail.op("->", return_type=JSONB())(literal_column(f"'{name}'", Text()))
    for name in ("heads", "made", "gone", "contents")
]
_nothing = literal_column("'[]'::jsonb", JSONB())
STEPS = (
    select(change_set.c.id, *_parts)
    .where(change_set.c.id.in_(_of_volume), or_(*(part != _nothing for part in _parts)))
    .order_by(change_set.c.id.desc())
    .limit(value("most"))
)
THROWN = select(trash.c.change_set, trash.c.page, trash.c.volume, trash.c.title).where(
    trash.c.volume == value("volume"),
    trash.c.change_set > value("after"),
    trash.c.change_set <= value("until"),
)
FIRST = select(func.min(change_set.c.id)).where(change_set.c.volume == value("volume"))
PAGES = select(page.c.id, page.c.title).where(page.c.volume == value("volume"))
_asked = func.unnest(numbers("pages")).table_valued("page").render_derived("w")
_latest = (
    select(states.c.number, states.c.title, states.c.written_in)
    .where(states.c.page == _asked.c.page, states.c.change_set <= value("until"))
    .order_by(states.c.number.desc())
    .limit(fixed(1))
    .lateral("latest")
)
AT = select(_asked.c.page, _latest.c.number, _latest.c.title, _latest.c.written_in).select_from(
    _asked.join(_latest, true())
)
_pairs = (
    func.unnest(numbers("pages"), numbers("older"), numbers("newer"))
    .table_valued("page", "older", "newer")
    .render_derived("w")
)
_older, _newer = states.alias("o"), states.alias("n")
DIFFERING = select(_pairs.c.page).where(
    _older.c.page == _pairs.c.page,
    _older.c.number == _pairs.c.older,
    _newer.c.page == _pairs.c.page,
    _newer.c.number == _pairs.c.newer,
    _older.c.text != _newer.c.text,
)
_wanted = (
    func.unnest(numbers("pages"), numbers("revisions")).table_valued("page", "number").render_derived("w")
)
TEXTS = select(states.c.page, states.c.number, states.c.text).where(
    states.c.page == _wanted.c.page, states.c.number == _wanted.c.number
)


def steps(connection: Connection, volume: int, after: int, until: int) -> tuple[list[Step], bool]:
    """What the acts after one and up to another did to the pages and the contents of a volume, newest first; whether
    there are more of them than are looked at."""
    values = {"volume": volume, "after": after, "until": until}
    thrown: dict[int, list[tuple[int, int, str]]] = {}
    for number, id_, home, title in connection.execute(THROWN, values):
        thrown.setdefault(number, []).append((id_, home, title))
    found: list[tuple[int, Step]] = []
    for row in connection.execute(STEPS, {**values, "most": MOST + 1}):
        number, heads, made, gone, places = tuple(row)
        # What acts took away is told since they say so; before that, the trash says it as long as it lies there.
        away = [tuple(each) for each in gone] if gone is not None else thrown.pop(number, [])
        thrown.pop(number, None)
        # Acts from before the last of the four was kept changed the volume only if they moved it: that is in the log.
        moved = [(each[0], each[1], each[2], each[3] if len(each) > 3 else each[1]) for each in heads or ()]
        step = Step(moved, made or (), away, placing.from_data(places or ()))
        found.append((number, step))
    found += [(number, Step(gone=gone)) for number, gone in thrown.items()]
    found.sort(key=lambda each: -each[0])
    return [step for _, step in found[:MOST]], len(found) > MOST


def first(connection: Connection, volume: int) -> int | None:
    """The number of the first change set of a volume."""
    return connection.execute(FIRST, {"volume": volume}).scalar()


def pages(connection: Connection, volume: int) -> dict[int, str]:
    """The titles of the pages of a volume, by id."""
    return {row[0]: row[1] for row in connection.execute(PAGES, {"volume": volume})}


def latest(connection: Connection, wanted: Collection[int], until: int) -> dict[int, tuple[int, str, int]]:
    """The last revision of each page up to an act: its number, its title, and the volume whose readers read it."""
    rows = connection.execute(AT, {"pages": wanted, "until": until})
    return {row[0]: (row[1], row[2], row[3]) for row in rows}


def differing(connection: Connection, pairs: Collection[tuple[int, int, int]]) -> set[int]:
    """Of pages with two revisions each, those whose texts are not the same."""
    values = {name: [pair[n] for pair in pairs] for n, name in enumerate(("pages", "older", "newer"))}
    return set(connection.execute(DIFFERING, values).scalars()) if pairs else set()


def texts(connection: Connection, wanted: Collection[tuple[int, int]]) -> dict[tuple[int, int], str]:
    """The texts of some revisions, by page and number."""
    values: dict[str, Sequence[Any]] = {
        "pages": [page for page, _ in wanted],
        "revisions": [number for _, number in wanted],
    }
    rows = connection.execute(TEXTS, values) if wanted else ()
    return {(row[0], row[1]): row[2] for row in rows}
