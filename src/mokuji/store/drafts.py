"""Drafts: the text that a person is writing on a page, kept until it is saved or discarded."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, text

from mokuji.store.snapshot import array


@dataclass(frozen=True, slots=True)
class Draft:
    """A draft without its text. ``page`` is None for a name that is not written yet; ``key`` and ``title`` are those of
    the page as it is called now. ``revision`` is the one that was begun with, ``newest`` that of the page now."""

    volume: int
    page: int | None
    key: str
    title: str
    revision: int
    newest: int
    changed: datetime


_MINE = """SELECT d.volume, d.page, coalesce(p.key, d.key) AS key, coalesce(p.title, d.title) AS title, d.revision,
        coalesce(p.revision, 0) AS newest, d.changed, d.text
    FROM draft d LEFT JOIN page p ON p.id = d.page"""
KEEP_PAGE = text(
    """INSERT INTO draft (person, volume, page, key, title, text, revision, changed)
    VALUES (:person, :volume, :page, :key, :title, :text, :revision, :now)
    ON CONFLICT (person, page) WHERE page IS NOT NULL DO UPDATE
    SET text = EXCLUDED.text, revision = EXCLUDED.revision, changed = EXCLUDED.changed, volume = EXCLUDED.volume"""
)
KEEP_NAME = text(
    """INSERT INTO draft (person, volume, page, key, title, text, revision, changed)
    VALUES (:person, :volume, NULL, :key, :title, :text, 0, :now)
    ON CONFLICT (person, volume, key) WHERE page IS NULL DO UPDATE
    SET text = EXCLUDED.text, title = EXCLUDED.title, changed = EXCLUDED.changed"""
)
DROP = text(
    """DELETE FROM draft WHERE person = :person
    AND (page = :page OR (page IS NULL AND volume = :volume AND key = :key))"""
)
OTHERS = text(
    """SELECT w.name, d.changed FROM draft d JOIN person w ON w.id = d.person
    WHERE d.page = :page AND d.person <> :person AND d.changed > :since ORDER BY d.changed DESC LIMIT 10"""
)


def keep(
    connection: Connection,
    person: int,
    volume: int,
    page: int | None,
    named: tuple[str, str],
    text_: str,
    revision: int,
    now: datetime,
) -> None:
    """Keeps a draft in the place of the one that the person had; ``named`` are key and title."""
    values = {
        "person": person,
        "volume": volume,
        "key": named[0],
        "title": named[1],
        "text": text_,
        "now": now,
    }
    if page is None:
        connection.execute(KEEP_NAME, values)
    else:
        connection.execute(KEEP_PAGE, {**values, "page": page, "revision": revision})


def drop(connection: Connection, person: int, volume: int, page: int | None, key: str) -> None:
    """Discards the draft of a page, and one of its name from before it was written."""
    connection.execute(DROP, {"person": person, "volume": volume, "page": page, "key": key})


def one(
    connection: Connection, person: int, volume: int, page: int | None, key: str
) -> tuple[Draft, str] | None:
    """The draft of a page or name, with its text."""
    where = "d.page = :page" if page is not None else "d.page IS NULL AND d.volume = :volume AND d.key = :key"
    values = {"person": person, "volume": volume, "key": key} | ({"page": page} if page is not None else {})
    row = connection.execute(text(f"{_MINE} WHERE d.person = :person AND {where}"), values).first()
    return (Draft(*row[:7]), row.text) if row is not None else None


def of_person(connection: Connection, person: int, volumes: Collection[int], most: int = 100) -> list[Draft]:
    """The drafts of a person in some volumes, newest first."""
    rows = connection.execute(
        text(
            f"{_MINE} WHERE d.person = :person AND d.volume = ANY(CAST(:volumes AS bigint[])) "
            "ORDER BY d.changed DESC LIMIT :most"
        ),
        {"person": person, "volumes": array(volumes), "most": most},
    )
    return [Draft(*row[:7]) for row in rows]


def others(connection: Connection, page: int, person: int, since: datetime) -> list[tuple[str, datetime]]:
    """Who else has kept a draft of a page lately: names, newest first."""
    values = {"page": page, "person": person, "since": since}
    return [(row.name, row.changed) for row in connection.execute(OTHERS, values)]
