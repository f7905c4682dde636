"""Places in the contents: a tree that ``core.model.contents`` makes placings in, with few rows read and written.

Positions are fractional: a row that
moves gets one between its neighbours; when there is no room left, its level is
numbered anew.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import groupby
from operator import attrgetter
from typing import Any

from sqlalchemy import Connection, Double, Select, cast, delete, func, insert, select, text, update

from mokuji.core.base import names
from mokuji.core.model.contents import LAST, Placing, Put, Rekey, Row, Take, place_in
from mokuji.store.statements import value
from mokuji.store.tables import contents

NARROWEST = 1e-9
"""Positions closer to each other than this are spread out."""

_node = select(contents.c.id, contents.c.parent, contents.c.key, contents.c.title, contents.c.position)
_is = contents.c.id == value("id")
_in_volume = contents.c.volume == value("volume")
_levels = {False: contents.c.parent == value("parent"), True: contents.c.parent.is_(None)}
"""The siblings below one place (False), and those at the top (True): one condition for both would use no index."""
_FIND = _node.where(_in_volume, contents.c.key == value("key"))
_BY_ID = _node.where(_is)
_BELOW = _node.where(_in_volume, _levels[False]).order_by(contents.c.position)
# The walks are text: what they say is shorter so than in expressions.
_ABOVE = text(
    """WITH RECURSIVE up AS (SELECT id, parent, 0 AS step FROM contents WHERE id = :id
        UNION ALL SELECT c.id, c.parent, up.step + 1 FROM contents c JOIN up ON c.id = up.parent WHERE step < 100)
    SELECT id FROM up"""
)
_MOVE = (
    update(contents)
    .where(contents.c.id == value("of"))
    .values(parent=value("new_parent"), position=value("at"))
)
_INSERT = insert(contents)
_DROP = delete(contents).where(_is)
_CALL = (
    update(contents)
    .where(contents.c.id == value("of"))
    .values(key=value("new_key"), title=value("new_title"))
)
_BEFORE = {
    top: _node.where(_in_volume, level, contents.c.position < value("position"))
    .order_by(contents.c.position.desc())
    .limit(1)
    for top, level in _levels.items()
}
_position = contents.c.position
_LEVEL = {
    top: select(
        *(
            select(end(_position))
            .where(_in_volume, level, contents.c.id != value("own"), *more)
            .scalar_subquery()
            for end, more in (
                (func.min, ()),
                (func.max, ()),
                (func.min, (_position > cast(value("after"), Double),)),
            )
        )
    )
    for top, level in _levels.items()
}
_counted = {
    top: select(contents.c.id, func.row_number().over(order_by=_position).label("nth"))
    .where(_in_volume, level)
    .subquery("w")
    for top, level in _levels.items()
}
_SPREAD = {
    top: update(contents).where(contents.c.id == rows.c.id).values(position=rows.c.nth)
    for top, rows in _counted.items()
}
BRANCH = text(
    """WITH RECURSIVE down AS (
        SELECT id, parent, key, title, position, 0 AS depth, ARRAY[position] AS path FROM contents
            WHERE volume = :volume AND key = :key COLLATE "C"
        UNION ALL SELECT c.id, c.parent, c.key, c.title, c.position, d.depth + 1, d.path || c.position
            FROM contents c JOIN down d ON c.volume = :volume AND c.parent = d.id WHERE d.depth < 50)
    SELECT depth, title, key FROM down ORDER BY path LIMIT :most"""
)
_ALL = text(
    """WITH RECURSIVE down AS (
        SELECT id, key, title, 0 AS depth, ARRAY[position] AS path FROM contents
            WHERE volume = :volume AND parent IS NULL
        UNION ALL SELECT c.id, c.key, c.title, d.depth + 1, d.path || c.position
            FROM contents c JOIN down d ON c.volume = :volume AND c.parent = d.id WHERE d.depth < 50)
    SELECT depth, title, key FROM down ORDER BY path"""
)


def rows(connection: Connection, volume: int) -> list[Row]:
    """All contents of a volume, in order."""
    return [Row(*row) for row in connection.execute(_ALL, {"volume": volume}).all()]


def branch(connection: Connection, volume: int, key: str, most: int = 20_000) -> list[Row]:
    """A name and all that stands below it, in order; its own depth is 0."""
    if not names.is_storable(key):
        return []
    found = connection.execute(BRANCH, {"volume": volume, "key": key, "most": most})
    return [Row(*row) for row in found]


def place(connection: Connection, placings: Iterable[Placing]) -> tuple[Placing, ...]:
    """Makes placings; gives those that take them back, in the order in which to make them."""
    inverse: list[Placing] = []
    for volume, several in groupby(placings, attrgetter("volume")):
        inverse[:0] = place_in(_Stored(connection, volume), several)
    return tuple(inverse)


@dataclass(frozen=True, slots=True)
class _Node:
    """A row of the contents, as it was when it was found."""

    id: int
    above: int | None
    key: str
    title: str
    position: float


class _Stored:
    """The contents of a volume in the database, as placings are made in them, with few rows read for each."""

    def __init__(self, connection: Connection, volume: int) -> None:
        self._connection = connection
        self._volume = volume

    def _one(self, statement: Select[int, int | None, str, str, float], **values: Any) -> _Node | None:
        row = self._connection.execute(statement, {"volume": self._volume, **values}).first()
        return _Node(*row) if row is not None else None

    def find(self, key: str) -> _Node | None:
        return self._one(_FIND, key=key)

    def parent(self, node: _Node) -> _Node | None:
        return self._one(_BY_ID, id=node.above) if node.above is not None else None

    def before(self, node: _Node) -> _Node | None:
        return self._one(_BEFORE[node.above is None], parent=node.above, position=node.position)

    def below(self, node: _Node) -> Sequence[_Node]:
        values = {"volume": self._volume, "parent": node.id}
        return [_Node(*row) for row in self._connection.execute(_BELOW, values)]

    def holds(self, branch: _Node, node: _Node) -> bool:
        return branch.id in self._connection.execute(_ABOVE, {"id": node.id}).scalars().all()

    def put(self, node: _Node | None, put: Put, under: _Node | None) -> None:
        parent = under.id if under is not None else None
        position = self._position(put, parent, node.id if node is not None else 0)
        if node is None:
            values = {"volume": self._volume, "parent": parent, "position": position}
            self._connection.execute(_INSERT, {**values, "key": put.key, "title": put.title})
        else:
            self._connection.execute(_MOVE, {"of": node.id, "new_parent": parent, "at": position})

    def drop(self, node: _Node) -> None:
        self._connection.execute(_DROP, {"id": node.id})

    def call(self, node: _Node, key: str, title: str) -> None:
        self._connection.execute(_CALL, {"of": node.id, "new_key": key, "new_title": title})

    def _position(self, put: Put, parent: int | None, own: int) -> float:
        """A position right behind a sibling, before all, or behind all."""
        after = self.find(put.after) if put.after not in {None, LAST} else None
        sibling = after if after is not None and after.above == parent and after.id != own else None
        values: dict[str, Any] = {"volume": self._volume, "parent": parent, "own": own}
        values["after"] = sibling.position if sibling is not None else None
        first, last, following = self._connection.execute(_LEVEL[parent is None], values).one()
        if last is None:
            return 1.0
        if put.after is None:
            return float(first) - 1
        if sibling is None or following is None:
            return float(last) + 1
        if following - sibling.position < NARROWEST:
            self._connection.execute(_SPREAD[parent is None], values)
            return self._position(put, parent, own)
        return (sibling.position + float(following)) / 2


def as_data(placings: Iterable[Placing]) -> list[dict[str, Any]]:
    """Placings as plain data for the log."""
    found = []
    for placing in placings:
        kind = type(placing).__name__.lower()
        fields = {name: getattr(placing, name) for name in placing.__slots__ if hasattr(placing, name)}
        if fields.get("after") == LAST:
            fields["after"] = "*last*"
        found.append({"kind": kind, **fields})
    return found


_KINDS: Mapping[str, type[Put] | type[Take] | type[Rekey]] = {"put": Put, "take": Take, "rekey": Rekey}


def from_data(data: Iterable[Mapping[str, Any]]) -> tuple[Placing, ...]:
    """Placings as the log kept them."""
    found: list[Placing] = []
    for each in data:
        fields = {name: value for name, value in each.items() if name != "kind"}
        if fields.get("after") == "*last*":
            fields["after"] = LAST
        found.append(_KINDS[each["kind"]](**fields))
    return tuple(found)
