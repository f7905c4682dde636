"""The log looked through for change sets of some kind: by who did them, what was done, to which pages, when, why.

However little fits, no question looks at more than ``LOOKED`` change sets, and each finds these by an index: by volume,
by author, or by the pages that were written.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import (
    CompoundSelect,
    Connection,
    DateTime,
    Select,
    Subquery,
    and_,
    cast,
    func,
    or_,
    select,
    true,
    union,
)

from mokuji.store.log.history import LoggedAct, act_rows, visible
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import change_set, change_set_person, change_set_reach, person
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


_of = func.unnest(numbers("volumes")).table_valued("volume").render_derived("of")
_listed, _reaching = change_set.alias("listed"), change_set_reach.alias("reaching")
# Of each volume by itself: of several at once, the database would sort all that was ever done in them.
_standing, _reached = (
    select(id_)
    .where(home == _of.c.volume, id_ < value("before"))
    .order_by(id_.desc())
    .limit(value("looked"))
    .lateral(name)
    for name, home, id_ in (
        ("standing", _listed.c.volume, _listed.c.id),
        ("reached", _reaching.c.volume, _reaching.c.change_set),
    )
)
_of_volumes = union(
    *(
        select(each.c[0])
        .select_from(_of.join(each, true()))
        .order_by(each.c[0].desc())
        .limit(value("looked"))
        for each in (_standing, _reached)
    ),
    select(change_set_person.c.change_set)
    .where(change_set_person.c.person == value("person"), change_set_person.c.change_set < value("before"))
    .order_by(change_set_person.c.change_set.desc())
    .limit(value("looked")),
)
_by_author = _newest(among(change_set.c.author, "authors"))
_wrote = (
    select(states.c.change_set)
    .where(among(states.c.page, "pages"), states.c.change_set < value("before"))
    .distinct()
    .order_by(states.c.change_set.desc())
    .limit(value("looked"))
)
_of_pages = union(_wrote, _newest(among(change_set.c.page, "pages")))


def _newest_of(several: CompoundSelect[int]) -> Subquery:
    """The newest of what was found in several ways: one way may reach further back than another, and what lies between
    was not looked at there."""
    ids = several.subquery("every")
    return select(ids.c[0]).order_by(ids.c[0].desc()).limit(value("looked")).subquery("ids")


def _fitting(ids: Subquery, *, look_again: bool) -> Select[int]:
    """Those of some change sets that fit. Each is read by its number and then looked at: if the conditions were known
    when it is read, the database would go through another index for each of them, or through the whole log."""
    one = (
        select(*(change_set.c[name] for name in ("id", "author", "act", "at", "note", "volume")))
        .where(change_set.c.id == ids.c[0])
        .offset(fixed(0))
        .lateral("one")
    )
    fits = and_(
        or_(func.cardinality(numbers("authors")) == fixed(0), among(one.c.author, "authors")),
        or_(func.cardinality(texts("kinds")) == fixed(0), one.c.act == func.any(texts("kinds"))),
        one.c.at >= cast(value("since"), DateTime(timezone=True)),
        one.c.at < cast(value("until"), DateTime(timezone=True)),
        or_(value("words") == "", func.strpos(func.lower(one.c.note), func.lower(value("words"))) > fixed(0)),
    )
    found = select(one.c.id).select_from(ids.join(one, true())).where(fits)
    if look_again:
        found = found.where(visible(one.c.id, one.c.volume))
    return found.order_by(one.c.id.desc()).limit(value("most"))


_volumes, _authors, _pages = _newest_of(_of_volumes), _by_author.subquery("ids"), _newest_of(_of_pages)
BY_VOLUME, BY_AUTHOR, BY_PAGE = (
    _fitting(_volumes, look_again=False),
    _fitting(_authors, look_again=True),
    _fitting(_pages, look_again=True),
)
"""What fits of the newest change sets."""
ROWS = act_rows.where(among(change_set.c.id, "ids")).order_by(change_set.c.id.desc())
END_BY_VOLUME, END_BY_AUTHOR, END_BY_PAGE = (
    select(func.min(each.c[0]), func.count()).select_from(each) for each in (_volumes, _authors, _pages)
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
    connection: Connection, wanted: Filter, *, before: int, most: int, looked: int | None = None
) -> tuple[list[LoggedAct], int | None]:
    """Up to ``most`` change sets before one that fit, of the newest ``looked`` (``LOOKED`` without), newest first, and
    before which one to go on looking; None if all were looked at."""
    look_at = looked or LOOKED
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
        "looked": look_at,
    }
    rows, end = BY_VOLUME, END_BY_VOLUME
    if wanted.pages is not None:
        rows, end = BY_PAGE, END_BY_PAGE
    elif wanted.authors is not None:
        rows, end = BY_AUTHOR, END_BY_AUTHOR
    ids = connection.execute(rows, {**values, "most": most}).scalars().all()
    given = [LoggedAct(*tuple(row)) for row in connection.execute(ROWS, {"ids": ids})] if ids else []
    if len(ids) == most:
        return given, ids[-1]
    oldest, number = connection.execute(end, values).one()
    return given, oldest if number >= look_at else None


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
