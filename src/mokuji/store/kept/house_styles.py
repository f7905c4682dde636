"""The house style of each volume, as data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.statements import value
from mokuji.store.tables import house_style, person


@dataclass(frozen=True, slots=True)
class StoredStyle:
    """The rules of a volume as plain data (``core.style.style.read_style`` reads it), who changed them last, and when.
    ``revision`` counts from 1; 0 says that there never were any."""

    rules: Mapping[str, Any] = field(default_factory=dict)
    revision: int = 0
    name: str | None = None
    changed: datetime | None = None


OF = (
    select(house_style.c.rules, house_style.c.revision, person.c.name, house_style.c.changed)
    .select_from(house_style.outerjoin(person, person.c.id == house_style.c.person))
    .where(house_style.c.volume == value("volume"))
)
_PUT = insert_or_else(house_style)
_PUT = _PUT.on_conflict_do_update(
    index_elements=["volume"],
    set_={
        "rules": _PUT.excluded.rules,
        "revision": house_style.c.revision + 1,
        "person": _PUT.excluded.person,
        "changed": _PUT.excluded.changed,
    },
)


def of(connection: Connection, volume: int) -> StoredStyle:
    """The house style of a volume."""
    row = connection.execute(OF, {"volume": volume}).one_or_none()
    return StoredStyle(*row) if row else StoredStyle()


def put(
    connection: Connection, volume: int, rules: Mapping[str, Any], person: int | None, now: datetime
) -> None:
    """Replaces the house style of a volume."""
    values = {"volume": volume, "rules": dict(rules), "revision": 1, "person": person, "changed": now}
    connection.execute(_PUT, values)
