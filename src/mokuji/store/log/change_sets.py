"""The log of acts: who did what, when and why. The revisions of an act are kept together by its number."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, bindparam, insert, select, update

from mokuji.store.statements import value
from mokuji.store.tables import change_set as log
from mokuji.store.tables import untold

_given = ("act", "volume", "page", "author", "at", "note", "proposed", "detail")
_opened = (
    insert(log)
    .values({name: bindparam(name, type_=log.c[name].type) for name in _given})
    .returning(log.c.id)
    .cte("opened")
)
# Who is told of it is found later, by whoever tells: that it is to be told is kept with it, in one way there and back.
_OPEN = insert(untold).from_select(["change_set"], select(_opened.c.id)).returning(untold.c.change_set)
_SET_PAGE = update(log).where(log.c.id == value("of")).values(page=value("about"))
_SET_DETAIL = update(log).where(log.c.id == value("of")).values(detail=value("told"))


@dataclass(frozen=True, slots=True)
class Signature:
    """Who, when, and why. ``author`` is None for what the program does by itself."""

    author: int | None
    at: datetime
    note: str = ""


def open_change_set(
    connection: Connection,
    act: str,
    volume: int,
    page: int | None,
    signature: Signature,
    detail: Mapping[str, Any] | None = None,
    proposed: Sequence[Any] | None = None,
) -> int:
    """Logs an act; gives the number under which its revisions are kept together. ``proposed`` is the phrase of a note
    that was left as it was proposed, none of a note of one's own."""
    values = {
        "act": act,
        "volume": volume,
        "page": page,
        "author": signature.author,
        "at": signature.at,
        "note": signature.note,
        "proposed": None if proposed is None else list(proposed),
        "detail": dict(detail or {}),
    }
    return connection.execute(_OPEN, values).scalar_one()


def set_page(connection: Connection, change_set: int, page: int) -> None:
    """Says of a change set which page it is about, once that has an id."""
    connection.execute(_SET_PAGE, {"about": page, "of": change_set})


def set_detail(connection: Connection, change_set: int, detail: Mapping[str, Any]) -> None:
    """What undoing a change set will need to know."""
    connection.execute(_SET_DETAIL, {"told": dict(detail), "of": change_set})
