"""Questions that people keep by a name, for themselves or for all who may read a volume."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.statements import among, value
from mokuji.store.tables import kept_question, person


@dataclass(frozen=True, slots=True)
class Kept:
    """A question as it is kept: whose it is, what it is called, the line, the volume that it asks (None: all), whether
    others see it."""

    id: int
    person: int
    by: str
    name: str
    line: str
    volume: int | None
    shared: bool


_COLUMNS = (
    kept_question.c.id,
    kept_question.c.person,
    person.c.name.label("by"),
    kept_question.c.name,
    kept_question.c.line,
    kept_question.c.volume,
    kept_question.c.shared,
)
_SEEN = or_(kept_question.c.volume.is_(None), among(kept_question.c.volume, "volumes"))
_listed = select(*_COLUMNS).join(person, person.c.id == kept_question.c.person)
SEEN = (
    _listed.where(_SEEN, or_(kept_question.c.person == value("reader"), kept_question.c.shared))
    .order_by(kept_question.c.key, kept_question.c.id)
    .limit(value("most"))
)
CALLED = (
    _listed.where(_SEEN, kept_question.c.shared, kept_question.c.key == value("key"))
    .order_by(kept_question.c.volume.is_(None), kept_question.c.id)
    .limit(1)
)
ONE = _listed.where(kept_question.c.id == value("number"))
NUMBER = select(func.count()).where(kept_question.c.person == value("reader"))
_new = insert_or_else(kept_question)
_KEEP = _new.on_conflict_do_update(
    index_elements=["person", "key"],
    set_={each: getattr(_new.excluded, each) for each in ("name", "line", "volume", "shared", "at")},
).returning(kept_question.c.id)
_FORGET = delete(kept_question).where(kept_question.c.id == value("number"))


def seen(connection: Connection, reader: int, volumes: Collection[int], most: int) -> list[Kept]:
    """The questions that somebody keeps, and those that others share with readers of these volumes; 0 is nobody."""
    rows = connection.execute(SEEN, {"reader": reader, "volumes": volumes, "most": most})
    return [Kept(*row) for row in rows]


def called(connection: Connection, key: str, volumes: Collection[int]) -> Kept | None:
    """The shared question of a name that asks one of these volumes, else one that asks all."""
    row = connection.execute(CALLED, {"key": key, "volumes": volumes}).first()
    return Kept(*row) if row is not None else None


def one(connection: Connection, number: int) -> Kept | None:
    """A question by its number."""
    row = connection.execute(ONE, {"number": number}).first()
    return Kept(*row) if row is not None else None


def number_of(connection: Connection, reader: int) -> int:
    """How many questions somebody keeps."""
    return connection.execute(NUMBER, {"reader": reader}).scalar_one()


def keep(
    connection: Connection,
    reader: int,
    key: str,
    name: str,
    line: str,
    volume: int | None,
    at: datetime,
    *,
    shared: bool,
) -> int:
    """Keeps a question in the place of the person's one of the same name; its number."""
    values = {
        "person": reader,
        "key": key,
        "name": name,
        "line": line,
        "volume": volume,
        "shared": shared,
        "at": at,
    }
    number: int = connection.execute(_KEEP, values).scalar_one()
    return number


def forget(connection: Connection, number: int) -> None:
    """Keeps a question no more."""
    connection.execute(_FORGET, {"number": number})
