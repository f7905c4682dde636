"""Volumes: what is known of each, and the writing of a new one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy import Connection, text

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Volume


def rename_front(connection: Connection, volume: int, old: str, key: str) -> None:
    """A volume's front page stays its front page under another name."""
    connection.execute(
        text('UPDATE volume SET front = :key WHERE id = :volume AND front = :old COLLATE "C"'),
        {"volume": volume, "old": old, "key": key},
    )


def change_volume(connection: Connection, volume: Volume) -> None:
    """Writes down what a volume is called now and where its inserts look; one that was deleted is back."""
    connection.execute(
        text(
            """UPDATE volume SET key = :key, title = :title, closed = :closed, libraries = :libraries,
            language = :language, deleted_by = NULL WHERE id = :id"""
        ),
        {
            "id": volume.id,
            "key": volume.key,
            "title": volume.title,
            "closed": volume.closed,
            "libraries": list(volume.libraries),
            "language": volume.language,
        },
    )


def delete_volume(connection: Connection, volume: int, change_set: int) -> None:
    """A volume is no more, but can come back."""
    connection.execute(
        text("UPDATE volume SET deleted_by = :act WHERE id = :id"), {"act": change_set, "id": volume}
    )


def deleted_volumes(connection: Connection, volumes: Collection[int] | None) -> dict[int, Volume]:
    """Those of these volumes (None: of all) that were deleted, by id."""
    rows = connection.execute(
        text(
            """SELECT id, key, title, closed, libraries, language FROM volume
            WHERE (:all OR id = ANY(CAST(:volumes AS int[]))) AND deleted_by IS NOT NULL"""
        ),
        {"all": volumes is None, "volumes": list(volumes or ())},
    )
    return {r.id: Volume(r.id, r.key, r.title, r.closed, tuple(r.libraries), r.language) for r in rows}


@dataclass(frozen=True, slots=True)
class Deleted:
    """A volume that was deleted, and by which act."""

    title: str
    change_set: int
    at: datetime


def thrown_away(connection: Connection, volumes: Collection[int] | None, most: int = 100) -> list[Deleted]:
    """Those of these volumes (None: of all) that were deleted, newest first."""
    rows = connection.execute(
        text(
            """SELECT v.title, v.deleted_by, c.at FROM volume v JOIN change_set c ON c.id = v.deleted_by
            WHERE (:all OR v.id = ANY(CAST(:volumes AS int[]))) ORDER BY v.deleted_by DESC LIMIT :most"""
        ),
        {"all": volumes is None, "volumes": list(volumes or ()), "most": most},
    )
    return [Deleted(*row) for row in rows]


def remember_addresses(connection: Connection, heads: Sequence[PageHead]) -> None:
    """The names that pages had lead to them."""
    connection.execute(
        text(
            """INSERT INTO former (volume, key, page) SELECT * FROM unnest(CAST(:volumes AS int[]),
                CAST(:keys AS text[]), CAST(:pages AS bigint[]))
            ON CONFLICT (volume, key) DO UPDATE SET page = EXCLUDED.page"""
        ),
        {
            "volumes": [head.volume for head in heads],
            "keys": [head.key for head in heads],
            "pages": [head.id for head in heads],
        },
    )


def pass_on_addresses(
    connection: Connection, removed: Sequence[PageHead], successors: Mapping[int, int]
) -> None:
    """The names that pages had lead to those that took their references."""
    remember_addresses(connection, [replace(h, id=successors[h.id]) for h in removed if h.id in successors])
    connection.execute(
        text(
            """UPDATE former f SET page = w.successor
            FROM unnest(CAST(:pages AS bigint[]), CAST(:successors AS bigint[])) AS w(page, successor)
            WHERE f.page = w.page"""
        ),
        {"pages": list(successors), "successors": list(successors.values())},
    )


FORMER = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision FROM former f JOIN page p ON p.id = f.page
    WHERE f.volume = :volume AND f.key = :key COLLATE "C" """
)


def formerly(connection: Connection, volume: int, key: str) -> PageHead | None:
    """The page that had this name once, if it is there."""
    row = connection.execute(FORMER, {"volume": volume, "key": key}).first()
    return PageHead(*row) if row else None


def remember_volume(connection: Connection, key: str, volume: int) -> None:
    """The name that a volume had leads to it."""
    connection.execute(
        text(
            """INSERT INTO former_volume (key, volume) VALUES (:key, :volume)
            ON CONFLICT (key) DO UPDATE SET volume = EXCLUDED.volume"""
        ),
        {"key": key, "volume": volume},
    )


def former_volume(connection: Connection, key: str) -> int | None:
    """The volume that had this name once."""
    found = connection.execute(
        text(
            """SELECT v.id FROM former_volume f JOIN volume v ON v.id = f.volume
            WHERE f.key = :key COLLATE "C" AND v.deleted_by IS NULL"""
        ),
        {"key": key},
    ).scalar()
    return None if found is None else int(found)


def set_front(connection: Connection, volume: int, key: str | None) -> None:
    """Which page a volume opens on."""
    connection.execute(text("UPDATE volume SET front = :key WHERE id = :id"), {"key": key, "id": volume})


@dataclass(frozen=True, slots=True)
class VolumeRow:
    """A volume in the list of volumes."""

    id: int
    key: str
    title: str
    summary: str
    closed: bool
    front: str | None
    language: str
    pages: int
    changed: datetime | None


def volume_rows(connection: Connection, visible: Collection[int]) -> list[VolumeRow]:
    """The volumes an actor may read, each with its pages and last change."""
    rows = connection.execute(
        text(
            """SELECT v.id, v.key, v.title, v.summary, v.closed, v.front, v.language,
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


def set_language(connection: Connection, volume: int, language: str) -> None:
    """Says which language a volume is written in."""
    connection.execute(
        text("UPDATE volume SET language = :language WHERE id = :id"), {"language": language, "id": volume}
    )


def set_libraries(connection: Connection, volume: int, libraries: Sequence[int]) -> None:
    """In which volumes the inserts of this one look after its own, in order."""
    connection.execute(
        text("UPDATE volume SET libraries = :libraries WHERE id = :id"),
        {"libraries": list(libraries), "id": volume},
    )
