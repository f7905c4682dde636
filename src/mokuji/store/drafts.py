"""Drafts: the text that a person is writing on a page, kept until it is saved or discarded."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, and_, case, delete, exists, or_, select
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.store.statements import among, value
from mokuji.store.tables import draft, page, person


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


# A page may have gone to another volume, which who wrote the draft may not read: then the draft is one of the name that
# the page had.
_HERE = page.c.volume == draft.c.volume
KEY = case((_HERE, page.c.key), else_=draft.c.key)
TITLE = case((_HERE, page.c.title), else_=draft.c.title)
_OF_PAGE = draft.c.page == value("page")
_there = page.alias("there")
_elsewhere = exists().where(_there.c.id == draft.c.page, _there.c.volume != draft.c.volume)
_OF_NAME = and_(
    draft.c.volume == value("volume"),
    draft.c.key == value("key"),
    or_(draft.c.page.is_(None), _elsewhere),
)
_mine = (
    select(
        draft.c.volume,
        draft.c.page,
        KEY,
        TITLE,
        draft.c.revision,
        case((_HERE, page.c.revision), else_=0),
        draft.c.changed,
        draft.c.text,
    )
    .select_from(draft.outerjoin(page, page.c.id == draft.c.page))
    .where(draft.c.person == value("person"))
)
ONE_OF_PAGE = _mine.where(_OF_PAGE)
ONE_OF_NAME = _mine.where(_OF_NAME).order_by(draft.c.page.nulls_first()).limit(1)
OF_PERSON = (
    _mine.where(among(draft.c.volume, "volumes")).order_by(draft.c.changed.desc()).limit(value("most"))
)
_new = insert_or_else(draft)
KEEP_PAGE = _new.on_conflict_do_update(
    index_elements=["person", "page"],
    index_where=draft.c.page.is_not(None),
    set_={name: _new.excluded[name] for name in ("text", "revision", "changed", "volume")},
)
KEEP_NAME = _new.on_conflict_do_update(
    index_elements=["person", "volume", "key"],
    index_where=draft.c.page.is_(None),
    set_={name: _new.excluded[name] for name in ("text", "title", "changed")},
)
DROP = delete(draft).where(draft.c.person == value("person"), or_(_OF_PAGE, _OF_NAME))
OTHERS = (
    select(person.c.name, draft.c.changed)
    .select_from(draft.join(person, person.c.id == draft.c.person))
    .where(_OF_PAGE, draft.c.person != value("person"), draft.c.changed > value("since"))
    .order_by(draft.c.changed.desc())
    .limit(10)
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
        "changed": now,
        "page": page,
    }
    if page is None:
        connection.execute(KEEP_NAME, {**values, "revision": 0})
    else:
        connection.execute(KEEP_PAGE, {**values, "revision": revision})


def drop(connection: Connection, person: int, volume: int, page: int | None, key: str) -> None:
    """Discards the draft of a page, and one of its name from before it was written."""
    connection.execute(DROP, {"person": person, "volume": volume, "page": page, "key": key})


def one(
    connection: Connection, person: int, volume: int, page: int | None, key: str
) -> tuple[Draft, str] | None:
    """The draft of a page or name, with its text."""
    if page is not None:
        row = connection.execute(ONE_OF_PAGE, {"person": person, "page": page}).first()
    else:
        row = connection.execute(ONE_OF_NAME, {"person": person, "volume": volume, "key": key}).first()
    return (Draft(*row[:7]), row[7]) if row is not None else None


def of_person(connection: Connection, person: int, volumes: Collection[int], most: int = 100) -> list[Draft]:
    """The drafts of a person in some volumes, newest first."""
    rows = connection.execute(OF_PERSON, {"person": person, "volumes": volumes, "most": most})
    return [Draft(*row[:7]) for row in rows]


def others(connection: Connection, page: int, person: int, since: datetime) -> list[tuple[str, datetime]]:
    """Who else has kept a draft of a page lately: names, newest first."""
    values = {"page": page, "person": person, "since": since}
    return [(name, changed) for name, changed in connection.execute(OTHERS, values)]
