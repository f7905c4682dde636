"""Change sets as they stand in the log, whoever asks: for finding whom they concern, never for showing them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, func, select

from mokuji.store.statements import fixed, value
from mokuji.store.tables import change_set, change_set_reach
from mokuji.store.tables import revision as states

_before = states.alias("b")
_THE_ONE_BEFORE = and_(_before.c.page == states.c.page, _before.c.number == states.c.number - 1)


@dataclass(frozen=True, slots=True)
class Around:
    """The text of a page that a change set wrote, and the one before it (None: there was none)."""

    page: int
    before: str | None
    after: str


AROUND = (
    select(states.c.page, _before.c.text.label("old"), states.c.text)
    .select_from(states.outerjoin(_before, _THE_ONE_BEFORE))
    .where(states.c.change_set == value("id"), func.strpos(states.c.text, "@") > fixed(0))
    .order_by(states.c.page, states.c.number)
    .limit(value("most"))
)
_logged = select(
    change_set.c.act,
    change_set.c.volume,
    change_set.c.author,
    change_set.c.at,
    change_set.c.note,
    change_set.c.proposed,
    change_set.c.detail,
)
LOGGED = _logged.where(change_set.c.id == value("id"))
# What is undone is of the same volume, or stands in its log: looked for there.
UNDONE = _logged.where(change_set.c.volume == value("volume"), change_set.c.undone_by == value("by"))
REACHED = select(change_set_reach.c.volume).where(change_set_reach.c.change_set == value("id"))


@dataclass(frozen=True, slots=True)
class Logged:
    """A change set as it stands in the log, whoever asks; ``by`` is the id of its author."""

    act: str
    volume: int
    by: int | None
    at: datetime
    note: str
    proposed: Sequence[Any] | None
    detail: Mapping[str, Any]


def logged(connection: Connection, change_set: int) -> Logged | None:
    """A change set, to be told to others as far as they may know of it."""
    row = connection.execute(LOGGED, {"id": change_set}).first()
    return Logged(*tuple(row)) if row else None


def undone(connection: Connection, volume: int, by: int) -> list[Logged]:
    """The change sets in the log of a volume that one took back."""
    rows = connection.execute(UNDONE, {"volume": volume, "by": by})
    return [Logged(*tuple(row)) for row in rows]


def reached(connection: Connection, change_set: int) -> list[int]:
    """The other volumes in whose logs a change set stands."""
    return list(connection.execute(REACHED, {"id": change_set}).scalars())


def texts_around(connection: Connection, change_set: int, most: int) -> list[Around]:
    """The texts of a change set that may name people, each with the one before it."""
    return [Around(*row) for row in connection.execute(AROUND, {"id": change_set, "most": most})]
