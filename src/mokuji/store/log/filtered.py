"""The log looked through for change sets of some kind: by who did them, what was done, to which pages, when, why.

However little fits, no question looks at more than ``LOOKED`` change sets, and each finds these by an index: by volume,
by author, or by the pages that were written.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, DateTime, Select, and_, cast, func, or_, select, union

from mokuji.store.log.history import LoggedAct, act_rows, of_volumes, visible
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import change_set, person
from mokuji.store.tables import revision as states

LOOKED = 4_000
"""Maximum number of change sets that one question looks at."""


@dataclass(frozen=True, slots=True)
class Filter:
    """What is looked for: change sets that changed something in ``volumes`` or were done about ``person``, of these
    ``authors``, of these ``kinds`` (names of acts), that wrote or were about these ``pages``, from ``since`` and before
    ``until``, with ``words`` in their notes. What is None, or empty words, is left open."""

    volumes: Collection[int]
    person: int | None = None
    authors: Collection[int] | None = None
    kinds: Collection[str] | None = None
    pages: Collection[int] | None = field(default=None, repr=False)
    since: datetime | None = None
    until: datetime | None = None
    words: str = ""


def _newest(known: Any) -> Select[Any]:
    return (
        select(change_set.c.id)
        .where(known, change_set.c.id < value("before"))
        .order_by(change_set.c.id.desc())
        .limit(value("looked"))
    )


_by_volume = of_volumes(value("looked"))
_by_author = _newest(among(change_set.c.author, "authors"))
_wrote = (
    select(states.c.change_set)
    .where(among(states.c.page, "pages"), states.c.change_set < value("before"))
    .distinct()
    .order_by(states.c.change_set.desc())
    .limit(value("looked"))
)
_by_page = union(_wrote, _newest(among(change_set.c.page, "pages")))
_FITS = and_(
    or_(func.cardinality(numbers("authors")) == fixed(0), among(change_set.c.author, "authors")),
    or_(func.cardinality(texts("kinds")) == fixed(0), change_set.c.act == func.any(texts("kinds"))),
    change_set.c.at >= cast(value("since"), DateTime(timezone=True)),
    change_set.c.at < cast(value("until"), DateTime(timezone=True)),
    or_(
        value("words") == "",
        func.strpos(func.lower(change_set.c.note), func.lower(value("words"))) > fixed(0),
    ),
)
_ROWS = act_rows.where(_FITS).order_by(change_set.c.id.desc()).limit(value("most"))
BY_VOLUME = _ROWS.where(change_set.c.id.in_(_by_volume))
BY_AUTHOR = _ROWS.where(change_set.c.id.in_(_by_author), visible)
BY_PAGE = _ROWS.where(change_set.c.id.in_(_by_page), visible)
"""What fits of the newest change sets."""
END_BY_VOLUME, END_BY_AUTHOR, END_BY_PAGE = (
    select(func.min(each.c[0]), func.count()).select_from(each)
    for each in (_by_volume.subquery(), _by_author.subquery(), _by_page.subquery())
)
"""The oldest of these, and how many they are."""
AT = (
    select(change_set.c.id)
    .where(change_set.c.at >= value("moment"))
    .order_by(change_set.c.at)
    .limit(fixed(1))
)
AUTHORS = select(person.c.id, person.c.handle, func.lower(person.c.name) == value("called")).where(
    or_(person.c.handle == value("handle"), func.lower(person.c.name) == value("called"))
)
NUMBERS = select(states.c.change_set, states.c.page, states.c.number).where(
    among(states.c.change_set, "change_sets"), among(states.c.page, "pages")
)
SLACK = 1_000
"""Number of change sets that may have been given their numbers in another order than their times."""


def found(
    connection: Connection, wanted: Filter, *, before: int, most: int
) -> tuple[list[LoggedAct], int | None]:
    """Up to ``most`` change sets before one that fit, newest first, and before which one to go on looking; None if all
    were looked at."""
    if wanted.authors is not None and not wanted.authors:
        return [], None
    values: dict[str, Any] = {
        "volumes": wanted.volumes,
        "person": wanted.person or 0,
        "authors": wanted.authors or (),
        "kinds": wanted.kinds or (),
        "pages": wanted.pages or (),
        "since": wanted.since or "-infinity",
        "until": wanted.until or "infinity",
        "words": wanted.words,
        "before": before,
        "looked": LOOKED,
    }
    rows, end = BY_VOLUME, END_BY_VOLUME
    if wanted.pages is not None:
        rows, end = BY_PAGE, END_BY_PAGE
    elif wanted.authors is not None:
        rows, end = BY_AUTHOR, END_BY_AUTHOR
    given = [LoggedAct(*tuple(row)) for row in connection.execute(rows, {**values, "most": most})]
    if len(given) == most:
        return given, given[-1].id
    oldest, looked = connection.execute(end, values).one()
    return given, oldest if looked >= LOOKED else None


def number_at(connection: Connection, moment: datetime) -> int | None:
    """The number of the first change set at or after a moment; None if there is none."""
    return connection.execute(AT, {"moment": moment}).scalar()


def authors(connection: Connection, typed: str) -> list[tuple[int, str, bool]]:
    """The people who are called so (in small letters), or have this handle: ids, handles, whether it is the name."""
    rows = connection.execute(AUTHORS, {"handle": typed, "called": typed})
    return [(row[0], row[1], row[2]) for row in rows]


def numbers_of(
    connection: Connection, change_sets: Collection[int], pages: Collection[int]
) -> dict[tuple[int, int], int]:
    """The revisions that change sets made of pages, by change set and page."""
    rows = connection.execute(NUMBERS, {"change_sets": change_sets, "pages": pages})
    return {(row[0], row[1]): row[2] for row in rows}
