"""Places in the contents, changed as ``core.model.contents`` says, with few rows written for each.

``place`` gives what would take it back. Positions are fractional: a row that
moves gets one between its neighbours; when there is no room left, its level is
numbered anew.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from sqlalchemy import Connection, text

from mokuji.core.base import names
from mokuji.core.model.contents import LAST, Placing, Put, Rekey, Row, Take

NARROWEST = 1e-9
"""Positions closer to each other than this are spread out."""

_FIND = text(
    """SELECT id, parent, key, title, position FROM contents WHERE volume = :volume AND key = :key COLLATE "C" """
)
_KEY = text("SELECT key FROM contents WHERE id = :id")
_ABOVE = text(
    """WITH RECURSIVE up AS (SELECT id, parent, 0 AS step FROM contents WHERE id = :id
        UNION ALL SELECT c.id, c.parent, up.step + 1 FROM contents c JOIN up ON c.id = up.parent WHERE step < 100)
    SELECT id FROM up"""
)
_MOVE = text("UPDATE contents SET parent = :parent, position = :position WHERE id = :id")
_INSERT = text(
    """INSERT INTO contents (volume, parent, key, title, position)
    VALUES (:volume, :parent, :key, :title, :position) RETURNING id"""
)
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
    for placing in placings:
        if isinstance(placing, Put):
            back = _put(connection, placing)
        elif isinstance(placing, Take):
            back = _take(connection, placing)
        else:
            back = _rekey(connection, placing)
        inverse[:0] = back
    return tuple(inverse)


def _find(connection: Connection, volume: int, key: str | None) -> Any:
    if key is None:
        return None
    return connection.execute(_FIND, {"volume": volume, "key": key}).first()


def _siblings(parent: int | None) -> str:
    return "parent IS NULL" if parent is None else "parent = :parent"


def _where(connection: Connection, volume: int, row: Any) -> Put:
    """The placing that would put a row where it stands now."""
    parent = connection.execute(_KEY, {"id": row.parent}).scalar() if row.parent is not None else None
    before = connection.execute(
        text(
            f"""SELECT key FROM contents WHERE volume = :volume AND {_siblings(row.parent)}
            AND position < :position ORDER BY position DESC LIMIT 1"""  # noqa: S608
        ),
        {"volume": volume, "parent": row.parent, "position": row.position},
    ).scalar()
    return Put(volume, row.key, row.title, parent, before)


def _put(connection: Connection, put: Put) -> list[Placing]:
    row = _find(connection, put.volume, put.key)
    under = _find(connection, put.volume, put.under)
    if row is not None:
        if put.new_only:
            return []
        if under is not None and row.id in connection.execute(_ABOVE, {"id": under.id}).scalars().all():
            return []  # a branch cannot go below itself
    parent = under.id if under is not None else None
    position = _position(connection, put, parent, row.id if row is not None else 0)
    values = {
        "volume": put.volume,
        "parent": parent,
        "key": put.key,
        "title": put.title,
        "position": position,
    }
    if row is None:
        connection.execute(_INSERT, values)
        return [Take(put.volume, put.key)]
    back = _where(connection, put.volume, row)
    connection.execute(_MOVE, {"parent": parent, "position": position, "id": row.id})
    return [back]


def _position(connection: Connection, put: Put, parent: int | None, own: int) -> float:
    """A position right behind a sibling, before all, or behind all."""
    level = f"volume = :volume AND {_siblings(parent)} AND id <> :own"
    values: dict[str, Any] = {"volume": put.volume, "parent": parent, "own": own}
    after = _find(connection, put.volume, put.after) if put.after not in {None, LAST} else None
    if put.after is None:
        first = connection.execute(text(f"SELECT min(position) FROM contents WHERE {level}"), values).scalar()  # noqa: S608
        return float(first) - 1 if first is not None else 1.0
    if after is None or after.parent != parent or after.id == own:
        last = connection.execute(text(f"SELECT max(position) FROM contents WHERE {level}"), values).scalar()  # noqa: S608
        return float(last) + 1 if last is not None else 1.0
    values["after"] = after.position
    following = connection.execute(
        text(f"SELECT min(position) FROM contents WHERE {level} AND position > :after"),  # noqa: S608
        values,
    ).scalar()
    if following is None:
        return float(after.position) + 1
    if following - after.position < NARROWEST:
        _spread(connection, put.volume, parent)
        return _position(connection, put, parent, own)
    return (float(after.position) + float(following)) / 2


def _spread(connection: Connection, volume: int, parent: int | None) -> None:
    """Numbers a level anew."""
    connection.execute(
        text(
            f"""UPDATE contents c SET position = w.nth FROM (SELECT id, row_number() OVER (ORDER BY position)
            AS nth FROM contents WHERE volume = :volume AND {_siblings(parent)}) w WHERE c.id = w.id"""  # noqa: S608
        ),
        {"volume": volume, "parent": parent},
    )


def _below(connection: Connection, volume: int, parent: int) -> Sequence[Any]:
    return connection.execute(
        text(
            """SELECT id, parent, key, title, position FROM contents
            WHERE volume = :volume AND parent = :parent ORDER BY position"""
        ),
        {"volume": volume, "parent": parent},
    ).all()


def _take(connection: Connection, take: Take) -> list[Placing]:
    row = _find(connection, take.volume, take.key)
    if row is None:
        return []
    back: list[Placing] = [_where(connection, take.volume, row)]
    below = _below(connection, take.volume, row.id)
    parent = connection.execute(_KEY, {"id": row.parent}).scalar() if row.parent is not None else None
    after, last = row.key, None
    for each in below:
        # Those below take the place, one behind the other.
        _put(connection, Put(take.volume, each.key, each.title, parent, after))
        back.append(Put(take.volume, each.key, each.title, row.key, last))
        after = last = each.key
    connection.execute(text("DELETE FROM contents WHERE id = :id"), {"id": row.id})
    return back


def _rekey(connection: Connection, rekey: Rekey) -> list[Placing]:
    row = _find(connection, rekey.volume, rekey.key)
    if row is None:
        return []
    back: list[Placing] = []
    if rekey.new != rekey.key:
        waiting = _find(connection, rekey.volume, rekey.new)
        if waiting is not None:
            back = _unite(connection, rekey.volume, row, waiting)
    connection.execute(
        text("UPDATE contents SET key = :key, title = :title WHERE id = :id"),
        {"key": rekey.new, "title": rekey.title, "id": row.id},
    )
    return [Rekey(rekey.volume, rekey.new, row.key, row.title), *back]


def _unite(connection: Connection, volume: int, row: Any, waiting: Any) -> list[Placing]:
    """A place waited for the new name: its branch goes to the page's own place, and it goes."""
    steps: list[Placing] = []
    if waiting.id in connection.execute(_ABOVE, {"id": row.id}).scalars().all():
        parent = connection.execute(_KEY, {"id": waiting.parent}).scalar() if waiting.parent else None
        steps.append(Put(volume, row.key, row.title, parent, waiting.key))
    steps += [
        Put(volume, each.key, each.title, row.key, LAST)
        for each in _below(connection, volume, waiting.id)
        if each.id != row.id
    ]
    return list(place(connection, [*steps, Take(volume, waiting.key)]))


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
