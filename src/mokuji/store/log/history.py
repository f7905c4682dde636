"""What was changed: revisions of a page, and change sets."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Connection,
    Integer,
    and_,
    cast,
    exists,
    func,
    insert,
    or_,
    select,
    update,
)

from mokuji.store.statements import among, fixed, numbers, value
from mokuji.store.tables import change_set, change_set_person, change_set_reach, page, person, trash, volume
from mokuji.store.tables import revision as states


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


_SEEN = (states.c.page == value("page"), among(states.c.written_in, "seen"))
_every = select(
    states.c.page,
    states.c.number,
    states.c.change_set,
    change_set.c.act,
    func.coalesce(person.c.name, "Mokuji"),
    states.c.at,
    states.c.note,
    states.c.title,
    func.length(states.c.text),
    change_set.c.volume,
    change_set.c.proposed,
).select_from(
    states.join(change_set, change_set.c.id == states.c.change_set).outerjoin(
        person, person.c.id == states.c.author
    )
)
_revisions = _every.where(*_SEEN)
_newest_first = _revisions.order_by(states.c.number.desc()).limit(value("most"))
REVISIONS = _newest_first.where(states.c.number < value("before"))
_ONE = _revisions.where(states.c.number == value("number"))
_named = (
    func.unnest(numbers("pages"), numbers("revisions")).table_valued("page", "number").render_derived("w")
)
SOME = _every.where(
    states.c.page == _named.c.page, states.c.number == _named.c.number, among(states.c.written_in, "seen")
)
TEXTS_OF_SOME = select(states.c.page, states.c.text).where(
    states.c.page == _named.c.page, states.c.number == _named.c.number, among(states.c.written_in, "seen")
)
TEXTS_BY_NUMBER = select(states.c.page, states.c.number, states.c.text).where(
    states.c.page == _named.c.page,
    states.c.number == _named.c.number,
    among(states.c.written_in, "seen"),
    func.length(states.c.text) <= value("longest"),
)
TEXTS_BELOW = (
    select(states.c.number, states.c.text)
    .where(*_SEEN, states.c.number < value("number"))
    .order_by(states.c.number.desc())
    .limit(value("most"))
)
ACT_OF = select(states.c.change_set).where(*_SEEN, states.c.number == value("number"))
_replaced = states.alias("r")
_of_act = (
    select(_replaced.c.page, (_replaced.c.number - fixed(1)).label("number"))
    .where(_replaced.c.change_set == value("act"), _replaced.c.page != value("page"))
    .union(
        select(trash.c.page, trash.c.revision).where(
            trash.c.change_set == value("act"), trash.c.page != value("page")
        )
    )
    .subquery("w")
)
REPLACED = (
    select(states.c.page, states.c.number, states.c.text)
    .where(
        states.c.page == _of_act.c.page,
        states.c.number == _of_act.c.number,
        among(states.c.written_in, "seen"),
    )
    .order_by(func.length(states.c.text).desc(), states.c.page)
    .limit(value("most"))
)
OLDEST = select(states.c.number).where(*_SEEN).order_by(states.c.number).limit(fixed(1))
TEXT = select(states.c.text).where(*_SEEN, states.c.number == value("number"))


Seen = Collection[int]
"""The volumes that a reader may read. Of a page that came from elsewhere they read the revisions that were written
there, or came along."""


def revisions(
    connection: Connection, page: int, seen: Seen, *, before: int = 2**31 - 1, most: int = 50
) -> list[Revision]:
    """The revisions of a page, newest first, from ``before`` on."""
    values = {"page": page, "seen": seen, "before": before, "most": most}
    rows = connection.execute(REVISIONS, values)
    return [Revision(*row) for row in rows]


def revision(connection: Connection, page: int, number: int, seen: Seen) -> Revision | None:
    """One revision without its text."""
    row = connection.execute(_ONE, {"page": page, "number": number, "seen": seen}).first()
    return Revision(*row) if row else None


def text_of(connection: Connection, page: int, number: int, seen: Seen) -> str | None:
    """The text of a revision."""
    return connection.execute(TEXT, {"page": page, "number": number, "seen": seen}).scalar()


def texts_of_some(connection: Connection, seen: Seen, wanted: Collection[tuple[int, int]]) -> dict[int, str]:
    """The texts of some revisions, by page; ``wanted`` are page and number, one of each page."""
    values = {
        "pages": [page for page, _ in wanted],
        "revisions": [number for _, number in wanted],
        "seen": seen,
    }
    rows = connection.execute(TEXTS_OF_SOME, values) if wanted else ()
    return {row.page: row.text for row in rows}


def some(connection: Connection, seen: Seen, wanted: Collection[tuple[int, int]]) -> list[Revision]:
    """Some revisions, by page and number."""
    values = {
        "pages": [page for page, _ in wanted],
        "revisions": [number for _, number in wanted],
        "seen": seen,
    }
    return [Revision(*row) for row in connection.execute(SOME, values)]


def texts_below(
    connection: Connection, page: int, number: int, seen: Seen, most: int
) -> list[tuple[int, str]]:
    """Numbers and texts of the revisions of a page below one, newest first."""
    values = {"page": page, "number": number, "seen": seen, "most": most}
    return [(number, text) for number, text in connection.execute(TEXTS_BELOW, values)]


def texts_by_number(
    connection: Connection, seen: Seen, wanted: Collection[tuple[int, int]], longest: int
) -> dict[tuple[int, int], str]:
    """The texts of some revisions, those that are not longer, by page and number."""
    values = {
        "pages": [page for page, _ in wanted],
        "revisions": [number for _, number in wanted],
        "seen": seen,
        "longest": longest,
    }
    rows = connection.execute(TEXTS_BY_NUMBER, values) if wanted else ()
    return {(page, number): text for page, number, text in rows}


def act_of(connection: Connection, page: int, number: int, seen: Seen) -> int | None:
    """The change set that wrote a revision."""
    return connection.execute(ACT_OF, {"page": page, "number": number, "seen": seen}).scalar()


def replaced(
    connection: Connection, change_set: int, page: int, seen: Seen, most: int
) -> list[tuple[int, int, str]]:
    """The revisions of other pages that a change set replaced or put into the trash, the longest first: page, number
    and text."""
    values = {"act": change_set, "page": page, "seen": seen, "most": most}
    return [(row[0], row[1], row[2]) for row in connection.execute(REPLACED, values)]


def oldest(connection: Connection, page: int, seen: Seen) -> int:
    """The number of the oldest revision of a page that may be read; 0 if there is none."""
    return connection.execute(OLDEST, {"page": page, "seen": seen}).scalar() or 0


@dataclass(frozen=True, slots=True)
class Month:
    """The revisions of a page that were written in one month (UTC): its first day, how many, the lowest and the highest
    number."""

    first_day: datetime
    count: int
    lowest: int
    highest: int


_FIRST_DAY = func.date_trunc("month", func.timezone("UTC", states.c.at)).label("first_day")
MONTHS = (
    select(_FIRST_DAY, func.count(), func.min(states.c.number), func.max(states.c.number))
    .where(*_SEEN)
    .group_by("first_day")
    .order_by(func.max(states.c.number).desc())
)
BETWEEN = _newest_first.where(states.c.number.between(value("lowest"), value("highest")))
NEWEST_BELOW = select(func.max(states.c.number)).where(*_SEEN, states.c.number < value("number"))

LOWEST_ABOVE = select(func.min(states.c.number)).where(*_SEEN, states.c.number > value("number"))


def months(connection: Connection, page: int, seen: Seen) -> list[Month]:
    """The months in which a page was written, newest first."""
    return [Month(*row) for row in connection.execute(MONTHS, {"page": page, "seen": seen})]


def between(
    connection: Connection, page: int, seen: Seen, lowest: int, highest: int, *, most: int
) -> list[Revision]:
    """The revisions of a page with these numbers, newest first."""
    values = {"page": page, "seen": seen, "lowest": lowest, "highest": highest, "most": most}
    return [Revision(*row) for row in connection.execute(BETWEEN, values)]


def newest_below(connection: Connection, page: int, number: int, seen: Seen) -> int | None:
    """The highest number of a revision below this one."""
    return connection.execute(NEWEST_BELOW, {"page": page, "number": number, "seen": seen}).scalar()


def lowest_above(connection: Connection, page: int, number: int, seen: Seen) -> int | None:
    """The lowest number of a revision above this one."""
    return connection.execute(LOWEST_ABOVE, {"page": page, "number": number, "seen": seen}).scalar()


@dataclass(frozen=True, slots=True)
class Kept:
    """Revisions of a page from ``lowest`` to ``highest``, and the volume whose readers read them."""

    page: int
    written_in: int
    lowest: int
    highest: int


_wanted = (
    func.unnest(numbers("pages"), numbers("volumes"), numbers("lowest"), numbers("highest"))
    .table_valued("page", "volume", "lowest", "highest")
    .render_derived("w")
)
_were = states.alias("o")
SETTLE = (
    update(states)
    .where(
        states.c.page == _wanted.c.page,
        states.c.number.between(_wanted.c.lowest, _wanted.c.highest),
        states.c.written_in != _wanted.c.volume,
        or_(cast(value("source"), Integer) == 0, states.c.written_in == value("source")),
        _were.c.page == states.c.page,
        _were.c.number == states.c.number,
    )
    .values(written_in=_wanted.c.volume)
    .returning(states.c.page, _were.c.written_in, states.c.number)
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
    for id_, home, number in sorted(tuple(row) for row in connection.execute(SETTLE, values)):
        last = found[-1] if found else None
        if last is not None and (last.page, last.written_in, last.highest + 1) == (id_, home, number):
            found[-1] = Kept(id_, home, last.lowest, number)
        else:
            found.append(Kept(id_, home, number, number))
    return found


WRITTEN_IN = select(func.count()).where(among(states.c.page, "pages"), among(states.c.written_in, "volumes"))


def number_written_in(connection: Connection, pages: Collection[int], volumes: Collection[int]) -> int:
    """How many revisions of these pages were written in these volumes."""
    return connection.execute(WRITTEN_IN, {"pages": pages, "volumes": volumes}).scalar_one()


_before = states.alias("b")
_THE_ONE_BEFORE = and_(_before.c.page == states.c.page, _before.c.number == states.c.number - 1)
BEGUN_ELSEWHERE = select(states.c.page, _before.c.written_in).where(
    _THE_ONE_BEFORE,
    page.c.id == states.c.page,
    states.c.change_set == value("id"),
    _before.c.written_in != page.c.volume,
)


def begun_elsewhere(connection: Connection, change_set: int) -> dict[int, int]:
    """Pages of a change set whose text before it was written in another volume than they are in now, and in which."""
    return dict(connection.execute(BEGUN_ELSEWHERE, {"id": change_set}).all())


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


act_rows = select(
    change_set.c.id,
    change_set.c.act,
    change_set.c.volume,
    change_set.c.page,
    page.c.title,
    page.c.key,
    page.c.volume,
    func.coalesce(person.c.name, "Mokuji"),
    change_set.c.at,
    change_set.c.note,
    change_set.c.proposed,
    change_set.c.detail,
    change_set.c.undone_by,
).select_from(
    change_set.outerjoin(page, page.c.id == change_set.c.page).outerjoin(
        person, person.c.id == change_set.c.author
    )
)
_latest = act_rows.order_by(change_set.c.id.desc()).limit(value("most"))


def visible(number: ColumnElement[int], home: ColumnElement[int]) -> ColumnElement[bool]:
    """Whether a change set, by its number and the volume in whose log it stands, changed something in some volumes, or
    was done about a person."""
    return or_(
        among(home, "volumes"),
        exists().where(change_set_reach.c.change_set == number, among(change_set_reach.c.volume, "volumes")),
        exists().where(
            change_set_person.c.change_set == number, change_set_person.c.person == value("person")
        ),
    )


_ACT = act_rows.where(change_set.c.id == value("id"), visible(change_set.c.id, change_set.c.volume))
BY_AUTHOR = _latest.where(
    change_set.c.author == value("author"),
    change_set.c.id < value("before"),
    among(change_set.c.volume, "volumes"),
)
DELETIONS = _latest.where(
    change_set.c.volume == value("volume"), change_set.c.id < value("before"), change_set.c.act == "delete"
)


def by_author(
    connection: Connection, author: int, volumes: Collection[int], *, before: int, most: int
) -> list[LoggedAct]:
    """The newest change sets of a person before an act, that stand in the logs of some volumes."""
    values = {"author": author, "volumes": volumes, "before": before, "most": most}
    return [LoggedAct(*tuple(row)) for row in connection.execute(BY_AUTHOR, values)]


def deletions(connection: Connection, volume: int, *, before: int, most: int) -> list[LoggedAct]:
    """The deletions in a volume before an act, newest first."""
    values = {"volume": volume, "before": before, "most": most}
    return [LoggedAct(*tuple(row)) for row in connection.execute(DELETIONS, values)]


def act(
    connection: Connection, id_: int, volumes: Collection[int], person: int | None = None
) -> LoggedAct | None:
    """One change set, if it changed something in one of those volumes or was done about the person."""
    values = {"id": id_, "volumes": volumes, "person": person or 0}
    row = connection.execute(_ACT, values).first()
    return LoggedAct(*tuple(row)) if row else None


_THERE = select(volume.c.id).where(among(volume.c.id, "volumes"))
_REACH = insert(change_set_reach)
_REACH_PERSON = insert(change_set_person)


def reach(connection: Connection, change_set: int, volumes: Collection[int], people: Collection[int]) -> None:
    """Says in the logs of which other volumes a change set stands too, and about which people it was done."""
    if volumes:
        there = connection.execute(_THERE, {"volumes": volumes}).scalars()
        rows = [{"volume": id_, "change_set": change_set} for id_ in there]
        if rows:
            connection.execute(_REACH, rows)
    if people:
        connection.execute(_REACH_PERSON, [{"person": id_, "change_set": change_set} for id_ in people])


@dataclass(frozen=True, slots=True)
class Touched:
    """A page that a change set wrote: as it is called now, and the revision that was made of it."""

    page: int
    number: int
    volume: int
    key: str
    title: str


TOUCHED = (
    select(states.c.page, states.c.number, page.c.volume, page.c.key, page.c.title)
    .where(
        page.c.id == states.c.page,
        states.c.change_set == value("id"),
        among(page.c.volume, "volumes"),
        among(states.c.written_in, "volumes"),
    )
    .order_by(page.c.volume, page.c.key)
    .limit(value("most"))
)


def touched(connection: Connection, change_set: int, volumes: Collection[int], most: int) -> list[Touched]:
    """The pages (of some volumes) that a change set wrote."""
    rows = connection.execute(TOUCHED, {"id": change_set, "volumes": volumes, "most": most})
    return [Touched(*row) for row in rows]


@dataclass(frozen=True, slots=True)
class Before:
    """A page of a change set: the revision it made, the text before it, and the text and title it made."""

    page: int
    number: int
    text: str
    after: str
    title: str


ACTS = act_rows.where(among(change_set.c.id, "ids"), visible(change_set.c.id, change_set.c.volume))


def acts(
    connection: Connection, ids: Collection[int], volumes: Collection[int], person: int | None = None
) -> dict[int, LoggedAct]:
    """Some change sets by their numbers, those that changed something in these volumes or were done about the
    person."""
    values = {"ids": ids, "volumes": volumes, "person": person or 0}
    return {row.id: LoggedAct(*tuple(row)) for row in connection.execute(ACTS, values)} if ids else {}


BEFORE = select(states.c.page, states.c.number, _before.c.text, states.c.text, states.c.title).where(
    _THE_ONE_BEFORE, states.c.change_set == value("id")
)
TITLE_SINCE = select(func.min(states.c.change_set)).where(
    states.c.page == value("page"), states.c.title == value("title"), states.c.change_set > value("after")
)


def before(connection: Connection, change_set: int) -> list[Before]:
    """All pages that a change set wrote and that were there before it, in all volumes."""
    return [Before(*row) for row in connection.execute(BEFORE, {"id": change_set})]


def title_since(connection: Connection, page: int, title: str, after: int) -> int | None:
    """The first change set after another one that called a page so."""
    return connection.execute(TITLE_SINCE, {"page": page, "title": title, "after": after}).scalar()


_STANDS = (change_set.c.id > value("after"), change_set.c.undone_by.is_(None))
VOLUME_SINCE = select(func.min(change_set.c.id)).where(
    change_set.c.volume == value("volume"), change_set.c.act == value("act"), *_STANDS
)


def volume_since(connection: Connection, volume: int, act: str, after: int) -> int | None:
    """The first change of this name in a volume after another one, that is not taken back."""
    values = {"volume": volume, "act": act, "after": after}
    return connection.execute(VOLUME_SINCE, values).scalar()


_later = select(change_set.c.id, change_set.c.detail).where(*_STANDS).order_by(change_set.c.id).limit(20_000)
_later_rows = _later.subquery("later")
CHANGED_ASSET = select(func.min(_later_rows.c.id)).where(_later_rows.c.detail.contains(value("thing")))
_MARK_UNDONE = (
    update(change_set)
    .where(change_set.c.id == value("of"), change_set.c.undone_by.is_(None))
    .values(undone_by=value("by"))
)


def asset_changed(connection: Connection, sort: str, id_: int, after: int) -> int | None:
    """The first change after another one that made something else of a file, a source or a person, and is not taken
    back."""
    wanted = {"things": [[{"sort": sort, "id": id_}]]}
    return connection.execute(CHANGED_ASSET, {"after": after, "thing": wanted}).scalar()


def mark_undone(connection: Connection, change_set: int, by: int) -> bool:
    """Notes that a change set was undone; False if that was so already."""
    return connection.execute(_MARK_UNDONE, {"of": change_set, "by": by}).rowcount == 1
