"""What was changed: revisions of a page, and change sets."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
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
    home: int  # the volume in whose log the change set stands
    proposed: Sequence[Any] | None


_REVISIONS = """SELECT r.page, r.number, r.change_set, c.act, coalesce(w.name, 'Mokuji') AS author, r.at,
    r.note, r.title, length(r.text) AS size, c.volume AS home, c.proposed
    FROM revision r JOIN change_set c ON c.id = r.change_set
    LEFT JOIN person w ON w.id = r.author WHERE r.page = :page AND r.written_in = ANY(:seen)"""
REVISIONS = text(f"{_REVISIONS} AND r.number < :before ORDER BY r.number DESC LIMIT :most")
_ONE = text(f"{_REVISIONS} AND r.number = :number")


Seen = Collection[int]
"""The volumes that a reader may read. Of a page that came from elsewhere they read the revisions that were written
there, or came along."""


def revisions(
    connection: Connection, page: int, seen: Seen, *, before: int = 2**31 - 1, most: int = 50
) -> list[Revision]:
    """The revisions of a page, newest first, from ``before`` on."""
    values = {"page": page, "seen": list(seen), "before": before, "most": most}
    rows = connection.execute(REVISIONS, values)
    return [Revision(*row) for row in rows]


def revision(connection: Connection, page: int, number: int, seen: Seen) -> Revision | None:
    """One revision without its text."""
    row = connection.execute(_ONE, {"page": page, "number": number, "seen": list(seen)}).first()
    return Revision(*row) if row else None


def text_of(connection: Connection, page: int, number: int, seen: Seen) -> str | None:
    """The text of a revision."""
    found = connection.execute(
        text("SELECT text FROM revision WHERE page = :page AND number = :number AND written_in = ANY(:seen)"),
        {"page": page, "number": number, "seen": list(seen)},
    ).scalar()
    return str(found) if found is not None else None


@dataclass(frozen=True, slots=True)
class Month:
    """The revisions of a page that were written in one month (UTC): its first day, how many, the lowest and the highest
    number."""

    first_day: datetime
    count: int
    lowest: int
    highest: int


MONTHS = text(
    """SELECT date_trunc('month', at AT TIME ZONE 'UTC') AS first_day, count(*), min(number), max(number)
    FROM revision WHERE page = :page AND written_in = ANY(:seen) GROUP BY 1 ORDER BY max(number) DESC"""
)
BETWEEN = text(f"{_REVISIONS} AND r.number BETWEEN :lowest AND :highest ORDER BY r.number DESC LIMIT :most")


def months(connection: Connection, page: int, seen: Seen) -> list[Month]:
    """The months in which a page was written, newest first."""
    return [Month(*row) for row in connection.execute(MONTHS, {"page": page, "seen": list(seen)})]


def between(
    connection: Connection, page: int, seen: Seen, lowest: int, highest: int, *, most: int
) -> list[Revision]:
    """The revisions of a page with these numbers, newest first."""
    values = {"page": page, "seen": list(seen), "lowest": lowest, "highest": highest, "most": most}
    return [Revision(*row) for row in connection.execute(BETWEEN, values)]


def newest_below(connection: Connection, page: int, number: int, seen: Seen) -> int | None:
    """The highest number of a revision below this one."""
    statement = text(
        """SELECT max(number) FROM revision
        WHERE page = :page AND number < :number AND written_in = ANY(:seen)"""
    )
    return connection.execute(statement, {"page": page, "number": number, "seen": list(seen)}).scalar()


@dataclass(frozen=True, slots=True)
class Kept:
    """Revisions of a page from ``lowest`` to ``highest``, and the volume whose readers read them."""

    page: int
    written_in: int
    lowest: int
    highest: int


SETTLE = text(
    """UPDATE revision r SET written_in = w.volume
    FROM unnest(CAST(:pages AS bigint[]), CAST(:volumes AS int[]), CAST(:lowest AS int[]), CAST(:highest AS int[]))
        AS w(page, volume, lowest, highest), revision o
    WHERE r.page = w.page AND r.number BETWEEN w.lowest AND w.highest AND r.written_in <> w.volume
        AND (CAST(:source AS int) = 0 OR r.written_in = :source) AND o.page = r.page AND o.number = r.number
    RETURNING r.page, o.written_in, r.number"""
)


def settle(connection: Connection, wanted: Collection[Kept], source: int = 0) -> list[Kept]:
    """Gives revisions to the readers of other volumes, with ``source`` only those that were written there; what takes
    it back."""
    values = {
        "pages": [each.page for each in wanted],
        "volumes": [each.written_in for each in wanted],
        "lowest": [each.lowest for each in wanted],
        "highest": [each.highest for each in wanted],
        "source": source,
    }
    found: list[Kept] = []
    for page, volume, number in sorted(tuple(row) for row in connection.execute(SETTLE, values)):
        last = found[-1] if found else None
        if last is not None and (last.page, last.written_in, last.highest + 1) == (page, volume, number):
            found[-1] = Kept(page, volume, last.lowest, number)
        else:
            found.append(Kept(page, volume, number, number))
    return found


WRITTEN_IN = text(
    """SELECT count(*) FROM revision
    WHERE page = ANY(CAST(:pages AS bigint[])) AND written_in = ANY(CAST(:volumes AS int[]))"""
)


def number_written_in(connection: Connection, pages: Collection[int], volumes: Collection[int]) -> int:
    """How many revisions of these pages were written in these volumes."""
    values = {"pages": list(pages), "volumes": list(volumes)}
    return int(connection.execute(WRITTEN_IN, values).scalar_one())


BEGUN_ELSEWHERE = text(
    """SELECT r.page, b.written_in FROM revision r JOIN revision b ON b.page = r.page AND b.number = r.number - 1
    JOIN page p ON p.id = r.page WHERE r.change_set = :id AND b.written_in <> p.volume"""
)


def begun_elsewhere(connection: Connection, change_set: int) -> dict[int, int]:
    """Pages of a change set whose text before it was written in another volume than they are in now, and in which."""
    return {row.page: row.written_in for row in connection.execute(BEGUN_ELSEWHERE, {"id": change_set})}


@dataclass(frozen=True, slots=True)
class LoggedAct:
    """A change set as listed. ``volume`` is the one in whose log it stands first; ``page_volume`` is where the page
    that it is about is now."""

    id: int
    act: str
    volume: int
    page: int | None
    page_title: str | None
    page_key: str | None
    page_volume: int | None
    author: str
    at: datetime
    note: str
    proposed: Sequence[Any] | None
    detail: Mapping[str, Any]
    undone_by: int | None

    @property
    def is_import(self) -> bool:
        """Whether pages were brought in from a folder, which is logged as one (formerly as a page without a name)."""
        return self.act == "import" or (self.act == "create" and self.page is None and not self.detail)


_ACTS = """SELECT c.id, c.act, c.volume, c.page, p.title AS page_title, p.key AS page_key, p.volume AS page_volume,
    coalesce(w.name, 'Mokuji') AS author, c.at, c.note, c.proposed, c.detail, c.undone_by FROM change_set c
    LEFT JOIN page p ON p.id = c.page LEFT JOIN person w ON w.id = c.author"""
# Each way to find one has an index of its own, and gives no more than a screen holds.
_OF_VOLUMES = """WHERE c.id IN (
        (SELECT id FROM change_set WHERE volume = ANY(:volumes) AND id < :before ORDER BY id DESC LIMIT :most)
        UNION (SELECT change_set FROM change_set_reach WHERE volume = ANY(:volumes) AND change_set < :before
            ORDER BY change_set DESC LIMIT :most)
        UNION (SELECT change_set FROM change_set_person WHERE person = :person AND change_set < :before
            ORDER BY change_set DESC LIMIT :most)
    ) ORDER BY c.id DESC LIMIT :most"""
_KNOWN = """WHERE c.id = :id AND (c.volume = ANY(:volumes)
        OR EXISTS (SELECT 1 FROM change_set_reach g WHERE g.change_set = c.id AND g.volume = ANY(:volumes))
        OR EXISTS (SELECT 1 FROM change_set_person g WHERE g.change_set = c.id AND g.person = :person))"""
ACTS = text(f"{_ACTS} {_OF_VOLUMES}")
_ACT = text(f"{_ACTS} {_KNOWN}")


def acts(
    connection: Connection,
    volumes: Collection[int],
    person: int | None = None,
    *,
    before: int = 2**62,
    most: int = 40,
) -> list[LoggedAct]:
    """The newest change sets that changed something in some volumes, or were done about a person."""
    values = {"volumes": list(volumes), "person": person or 0, "before": before, "most": most}
    return [LoggedAct(*row) for row in connection.execute(ACTS, values)]


DELETIONS = text(
    f"""{_ACTS} WHERE c.volume = :volume AND c.id < :before AND c.act = 'delete' ORDER BY c.id DESC LIMIT :most"""
)


def deletions(connection: Connection, volume: int, *, before: int, most: int) -> list[LoggedAct]:
    """The deletions in a volume before an act, newest first."""
    values = {"volume": volume, "before": before, "most": most}
    return [LoggedAct(*row) for row in connection.execute(DELETIONS, values)]


def act(
    connection: Connection, id_: int, volumes: Collection[int], person: int | None = None
) -> LoggedAct | None:
    """One change set, if it changed something in one of those volumes or was done about the person."""
    values = {"id": id_, "volumes": list(volumes), "person": person or 0}
    row = connection.execute(_ACT, values).first()
    return LoggedAct(*row) if row else None


def reach(connection: Connection, change_set: int, volumes: Collection[int], people: Collection[int]) -> None:
    """Says in the logs of which other volumes a change set stands too, and about which people it was done."""
    if volumes:
        connection.execute(
            text(
                """INSERT INTO change_set_reach (volume, change_set)
                SELECT id, :change_set FROM volume WHERE id = ANY(CAST(:volumes AS int[]))"""
            ),
            {"volumes": list(volumes), "change_set": change_set},
        )
    if people:
        connection.execute(
            text(
                """INSERT INTO change_set_person (person, change_set)
                SELECT unnest(CAST(:people AS int[])), :change_set"""
            ),
            {"people": list(people), "change_set": change_set},
        )


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
    WHERE r.change_set = :id AND p.volume = ANY(:volumes) AND r.written_in = ANY(:volumes)
    ORDER BY p.volume, p.key LIMIT :most"""
)


def touched(connection: Connection, change_set: int, volumes: Collection[int], most: int) -> list[Touched]:
    """The pages (of some volumes) that a change set wrote."""
    rows = connection.execute(TOUCHED, {"id": change_set, "volumes": list(volumes), "most": most})
    return [Touched(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class Before:
    """A page of a change set: the revision it made, the text before it, and the text and title it made."""

    page: int
    number: int
    text: str
    after: str
    title: str


BEFORE = text(
    """SELECT r.page, r.number, b.text, r.text AS after, r.title FROM revision r
    JOIN revision b ON b.page = r.page AND b.number = r.number - 1 WHERE r.change_set = :id"""
)


def before(connection: Connection, change_set: int) -> list[Before]:
    """All pages that a change set wrote and that were there before it, in all volumes."""
    return [Before(*row) for row in connection.execute(BEFORE, {"id": change_set})]


def title_since(connection: Connection, page: int, title: str, after: int) -> int | None:
    """The first change set after another one that called a page so."""
    statement = text(
        "SELECT min(change_set) FROM revision WHERE page = :page AND title = :title AND change_set > :after"
    )
    return connection.execute(statement, {"page": page, "title": title, "after": after}).scalar()


VOLUME_SINCE = text(
    "SELECT min(id) FROM change_set WHERE volume = :volume AND id > :after AND act = :act AND undone_by IS NULL"
)


def volume_since(connection: Connection, volume: int, act: str, after: int) -> int | None:
    """The first change of this name in a volume after another one, that is not taken back."""
    values = {"volume": volume, "act": act, "after": after}
    return connection.execute(VOLUME_SINCE, values).scalar()


CHANGED_ASSET = text(
    """SELECT min(id) FROM (SELECT id, detail FROM change_set WHERE id > :after AND undone_by IS NULL
        ORDER BY id LIMIT 20000) later
    WHERE detail @> CAST(:thing AS jsonb)"""
)


def asset_changed(connection: Connection, sort: str, id_: int, after: int) -> int | None:
    """The first change after another one that made something else of a file, a source or a person, and is not taken
    back."""
    wanted = json.dumps({"things": [[{"sort": sort, "id": id_}]]})
    return connection.execute(CHANGED_ASSET, {"after": after, "thing": wanted}).scalar()


def mark_undone(connection: Connection, change_set: int, by: int) -> bool:
    """Notes that a change set was undone; False if that was so already."""
    done = connection.execute(
        text("UPDATE change_set SET undone_by = :by WHERE id = :id AND undone_by IS NULL"),
        {"id": change_set, "by": by},
    )
    return done.rowcount == 1
