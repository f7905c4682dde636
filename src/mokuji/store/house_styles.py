"""The house style of each volume, as data."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text


@dataclass(frozen=True, slots=True)
class StoredStyle:
    """The rules of a volume as plain data (``core.style.style.read_style`` reads it), who changed them last, and when.
    ``revision`` counts from 1; 0 says that there never were any."""

    rules: Mapping[str, Any] = field(default_factory=dict)
    revision: int = 0
    name: str | None = None
    changed: datetime | None = None


OF = text(
    """SELECT s.rules, s.revision, w.name, s.changed FROM house_style s
    LEFT JOIN person w ON w.id = s.person WHERE s.volume = :volume"""
)
_PUT = text(
    """INSERT INTO house_style (volume, rules, revision, person, changed)
    VALUES (:volume, CAST(:rules AS json), 1, :person, :now)
    ON CONFLICT (volume) DO UPDATE SET rules = EXCLUDED.rules, revision = house_style.revision + 1,
        person = EXCLUDED.person, changed = EXCLUDED.changed"""
)


def of(connection: Connection, volume: int) -> StoredStyle:
    """The house style of a volume."""
    row = connection.execute(OF, {"volume": volume}).one_or_none()
    return StoredStyle(row.rules, row.revision, row.name, row.changed) if row else StoredStyle()


def put(
    connection: Connection, volume: int, rules: Mapping[str, Any], person: int | None, now: datetime
) -> None:
    """Replaces the house style of a volume."""
    connection.execute(_PUT, {"volume": volume, "rules": json.dumps(rules), "person": person, "now": now})
