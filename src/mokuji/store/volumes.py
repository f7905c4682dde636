"""Volumes: what is known of each, and the writing of a new one."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, text

from mokuji.core import names


def rename_front(connection: Connection, volume: int, old: str, key: str) -> None:
    """A volume's front page stays its front page under another name."""
    connection.execute(
        text('UPDATE volume SET front = :key WHERE id = :volume AND front = :old COLLATE "C"'),
        {"volume": volume, "old": old, "key": key},
    )


@dataclass(frozen=True, slots=True)
class VolumeRow:
    """A volume in the list of volumes."""

    id: int
    key: str
    title: str
    summary: str
    closed: bool
    front: str | None
    pages: int
    changed: datetime | None


def volume_rows(connection: Connection, visible: Collection[int]) -> list[VolumeRow]:
    """The volumes an actor may read, each with its pages and last change."""
    rows = connection.execute(
        text(
            """SELECT v.id, v.key, v.title, v.summary, v.closed, v.front,
                (SELECT count(*) FROM page p WHERE p.volume = v.id) AS pages,
                (SELECT c.at FROM change_set c WHERE c.volume = v.id ORDER BY c.id DESC LIMIT 1) AS changed
            FROM volume v WHERE v.id = ANY(:visible) ORDER BY v.id"""
        ),
        {"visible": list(visible)},
    )
    return [VolumeRow(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class Cover:
    """What stands on the cover of a volume: one sentence, and the key of its front page."""

    summary: str
    front: str | None


def cover(connection: Connection, volume: int) -> Cover:
    """The cover of a volume that is there."""
    row = connection.execute(text("SELECT summary, front FROM volume WHERE id = :id"), {"id": volume}).one()
    return Cover(row.summary, row.front)


def add_volume(
    connection: Connection, title: str, *, summary: str = "", closed: bool = False, front: str | None = None
) -> int:
    """A new volume; ``front`` is the key of its front page. Conflict (from the unique key) if the name is taken."""
    return int(
        connection.execute(
            text(
                """INSERT INTO volume (key, title, summary, closed, front)
                VALUES (:key, :title, :summary, :closed, :front) RETURNING id"""
            ),
            {"key": names.key(title), "title": title, "summary": summary, "closed": closed, "front": front},
        ).scalar_one()
    )


def set_libraries(connection: Connection, volume: int, libraries: Sequence[int]) -> None:
    """In which volumes the inserts of this one look after its own, in order."""
    connection.execute(
        text("UPDATE volume SET libraries = :libraries WHERE id = :id"),
        {"libraries": list(libraries), "id": volume},
    )
