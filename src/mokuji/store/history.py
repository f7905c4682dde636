"""What was changed: revisions of a page, and change sets."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text


@dataclass(frozen=True, slots=True)
class Revision:
    """One state of a page; ``size`` in code points."""

    page: int
    number: int
    change_set: int
    act: str
    author: str
    at: datetime
    note: str
    title: str
    size: int


_REVISIONS = """SELECT r.page, r.number, r.change_set, c.act, coalesce(w.name, 'Mokuji') AS author, r.at,
    r.note, r.title, length(r.text) AS size FROM revision r JOIN change_set c ON c.id = r.change_set
    LEFT JOIN person w ON w.id = r.author WHERE r.page = :page"""
REVISIONS = text(f"{_REVISIONS} AND r.number < :before ORDER BY r.number DESC LIMIT :most")
_ONE = text(f"{_REVISIONS} AND r.number = :number")


def revisions(
    connection: Connection, page: int, *, before: int = 2**31 - 1, most: int = 50
) -> list[Revision]:
    """The revisions of a page, newest first, from ``before`` on."""
    rows = connection.execute(REVISIONS, {"page": page, "before": before, "most": most})
    return [Revision(*row) for row in rows]


def revision(connection: Connection, page: int, number: int) -> Revision | None:
    """One revision without its text."""
    row = connection.execute(_ONE, {"page": page, "number": number}).first()
    return Revision(*row) if row else None


def text_of(connection: Connection, page: int, number: int) -> str | None:
    """The text of a revision."""
    found = connection.execute(
        text("SELECT text FROM revision WHERE page = :page AND number = :number"),
        {"page": page, "number": number},
    ).scalar()
    return str(found) if found is not None else None


@dataclass(frozen=True, slots=True)
class LoggedAct:
    """A change set as listed."""

    id: int
    act: str
    volume: int
    page: int | None
    page_title: str | None
    page_key: str | None
    author: str
    at: datetime
    note: str
    detail: Mapping[str, Any]
    undone_by: int | None

    @property
    def is_import(self) -> bool:
        """Whether pages were brought in from a folder, which is logged as one (formerly as a page without a name)."""
        return self.act == "import" or (self.act == "create" and self.page is None and not self.detail)


_ACTS = """SELECT c.id, c.act, c.volume, c.page, p.title AS page_title, p.key AS page_key,
    coalesce(w.name, 'Mokuji') AS author, c.at, c.note, c.detail, c.undone_by FROM change_set c
    LEFT JOIN page p ON p.id = c.page LEFT JOIN person w ON w.id = c.author"""
ACTS = text(f"{_ACTS} WHERE c.volume = ANY(:volumes) AND c.id < :before ORDER BY c.id DESC LIMIT :most")
_ACT = text(f"{_ACTS} WHERE c.id = :id AND c.volume = ANY(:volumes)")


def acts(
    connection: Connection, volumes: Collection[int], *, before: int = 2**62, most: int = 40
) -> list[LoggedAct]:
    """The newest change sets of some volumes."""
    rows = connection.execute(ACTS, {"volumes": list(volumes), "before": before, "most": most})
    return [LoggedAct(*row) for row in rows]


def act(connection: Connection, id_: int, volumes: Collection[int]) -> LoggedAct | None:
    """One change set, if its volume is among those."""
    row = connection.execute(_ACT, {"id": id_, "volumes": list(volumes)}).first()
    return LoggedAct(*row) if row else None


@dataclass(frozen=True, slots=True)
class Touched:
    """A page that a change set wrote: as it is called now, and the revision that was made of it."""

    page: int
    number: int
    volume: int
    key: str
    title: str


TOUCHED = text(
    """SELECT r.page, r.number, p.volume, p.key, p.title FROM revision r JOIN page p ON p.id = r.page
    WHERE r.change_set = :id AND p.volume = ANY(:volumes) ORDER BY p.volume, p.key LIMIT :most"""
)


def touched(connection: Connection, change_set: int, volumes: Collection[int], most: int) -> list[Touched]:
    """The pages (of some volumes) that a change set wrote."""
    rows = connection.execute(TOUCHED, {"id": change_set, "volumes": list(volumes), "most": most})
    return [Touched(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class Before:
    """A page of a change set: the revision it made, the text before it, and the text it made."""

    page: int
    number: int
    text: str
    after: str


BEFORE = text(
    """SELECT r.page, r.number, b.text, r.text AS after FROM revision r
    JOIN revision b ON b.page = r.page AND b.number = r.number - 1 WHERE r.change_set = :id"""
)


def before(connection: Connection, change_set: int) -> list[Before]:
    """All pages that a change set wrote and that were there before it, in all volumes."""
    return [Before(*row) for row in connection.execute(BEFORE, {"id": change_set})]


def mark_undone(connection: Connection, change_set: int, by: int) -> bool:
    """Notes that a change set was undone; False if that was so already."""
    done = connection.execute(
        text("UPDATE change_set SET undone_by = :by WHERE id = :id AND undone_by IS NULL"),
        {"id": change_set, "by": by},
    )
    return done.rowcount == 1
