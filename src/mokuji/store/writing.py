"""Writes of pages: compare-and-set on the revision, and all indexes of a text with it.

The caller holds the write lock (``database.writing``).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Connection,
    DateTime,
    Integer,
    Text,
    Update,
    cast,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.sql.dml import ReturningInsert

from mokuji.core.base import names
from mokuji.core.base.errors import Conflict
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import PageText
from mokuji.core.model.changes import PageChange
from mokuji.store.exchanged import Exchanged
from mokuji.store.log.change_sets import Signature
from mokuji.store.page_index import index_new, index_page
from mokuji.store.page_words import index_words_later
from mokuji.store.statements import fixed, numbers, texts, value
from mokuji.store.tables import change_set as log
from mokuji.store.tables import page as pages
from mokuji.store.tables import revision, untold

_new = (
    func.unnest(texts("keys"), texts("titles"), texts("summaries"))
    .table_valued("key", "title", "summary")
    .render_derived("new")
)
_CREATE = (
    insert(pages)
    .from_select(
        ["volume", "key", "title", "revision", "summary", "changed", "author", "note"],
        select(
            cast(value("home"), Integer),
            _new.c.key,
            _new.c.title,
            fixed(1),
            _new.c.summary,
            cast(value("at"), DateTime(timezone=True)),
            cast(value("by"), Integer),
            cast(value("why"), Text),
        ),
    )
    .returning(pages.c.id, pages.c.key)
)
_RESTORE = insert(pages)
_ADD_REVISION = insert(revision)


@dataclass(frozen=True, slots=True)
class NewPage:
    """A page that is to be written: its title, its text, and what stands in that."""

    title: str
    text: str
    content: PageText


def create_page(
    connection: Connection,
    volume: int,
    title: str,
    content: PageText,
    body: str,
    change_set: int,
    by: Signature,
) -> int:
    """Writes a page that is not there; Conflict (from the unique key) if somebody was quicker."""
    return create_pages(connection, volume, [NewPage(title, body, content)], change_set, by)[0]


def create_pages(
    connection: Connection,
    volume: int,
    new: Sequence[NewPage],
    change_set: int,
    by: Signature,
) -> list[int]:
    """Writes pages that are not there, of different keys; their ids in the same order."""
    keys = [names.key(each.title) for each in new]
    values = {
        "keys": keys,
        "titles": [each.title for each in new],
        "summaries": [each.content.front_matter.words("summary") for each in new],
        "home": volume,
        "at": by.at,
        "by": by.author,
        "why": by.note,
    }
    ids = {row.key: row.id for row in connection.execute(_CREATE, values)}
    heads = [PageHead(ids[key], volume, key, each.title) for key, each in zip(keys, new, strict=True)]
    signed = {"change_set": change_set, "author": by.author, "at": by.at, "note": by.note}
    connection.execute(
        _ADD_REVISION,
        [
            {
                "page": head.id,
                "number": head.revision,
                "written_in": volume,
                "title": head.title,
                "text": each.text,
                **signed,
            }
            for head, each in zip(heads, new, strict=True)
        ],
    )
    found = [(head, each.content) for head, each in zip(heads, new, strict=True)]
    index_new(connection, found)
    return [head.id for head in heads]


def restore_page(
    connection: Connection, head: PageHead, content: PageText, body: str, change_set: int, by: Signature
) -> None:
    """Writes a page that was taken out of the trash, under its id and as its next revision ``head.revision``."""
    known = {"id": head.id, "volume": head.volume, "key": head.key, "title": head.title}
    connection.execute(_RESTORE, {**known, "revision": head.revision, **_signed(content, by)})
    _insert_revision(connection, head, body, change_set, by)
    index_page(connection, head, content, new=True)


def _signed(content: PageText, by: Signature) -> dict[str, Any]:
    return {
        "summary": content.front_matter.words("summary"),
        "changed": by.at,
        "author": by.author,
        "note": by.note,
    }


_changed = (
    update(pages)
    .where(pages.c.id == value("page"), pages.c.revision == value("expected"))
    .values(
        revision=pages.c.revision + 1,
        summary=value("in_short"),
        changed=value("at"),
        author=value("by"),
        note=value("why"),
    )
    .returning(pages.c.id, pages.c.revision, pages.c.volume)
    .cte("changed")
)


def _next_revision(act: ColumnElement[int]) -> ReturningInsert[int]:
    """The next revision of a page, kept under the number of an act."""
    return (
        insert(revision)
        .from_select(
            ["page", "number", "written_in", "change_set", "at", "author", "note", "title", "text"],
            select(
                _changed.c.id,
                _changed.c.revision,
                _changed.c.volume,
                act,
                cast(value("at"), DateTime(timezone=True)),
                cast(value("by"), Integer),
                cast(value("why"), Text),
                cast(value("called"), Text),
                cast(value("body"), Text),
            ),
        )
        .returning(revision.c.number)
    )


_edit = (
    insert(log)
    .values(
        act="edit",
        volume=value("home"),
        page=value("page"),
        author=value("by"),
        at=value("at"),
        note=value("why"),
        detail={},
    )
    .returning(log.c.id)
    .cte("edit")
)
_NEXT_REVISION = _next_revision(cast(value("act"), BigInteger))
_to_tell = (
    insert(untold)
    .from_select(["change_set"], select(_edit.c.id))
    .returning(untold.c.change_set)
    .cte("to_tell")
)
_EDIT = _next_revision(select(_edit.c.id).scalar_subquery()).add_cte(_to_tell)
"""The next revision of a page, as an act of its own."""


def save_page(
    connection: Connection,
    head: PageHead,
    content: PageText,
    body: str,
    change_set: int | None,
    by: Signature,
) -> int:
    """Writes the next revision of a page; Conflict if its newest is not ``head.revision``. Without a change set it is
    an act of its own."""
    values = {
        "page": head.id,
        "expected": head.revision,
        "in_short": content.front_matter.words("summary"),
        "at": by.at,
        "by": by.author,
        "why": by.note,
        "called": head.title,
        "body": body,
    }
    if change_set is None:
        done = connection.execute(_EDIT, {**values, "home": head.volume})
    else:
        done = connection.execute(_NEXT_REVISION, {**values, "act": change_set})
    number = done.scalar_one_or_none()
    if number is None:
        raise Conflict(
            f"“{head.title}” was changed by somebody else while you were writing. Your text is still here: "
            "compare it with the newest revision, then save again.",
            code="edited_meanwhile",
        )
    index_page(connection, head, content)
    return number


def _insert_revision(
    connection: Connection, head: PageHead, body: str, change_set: int, by: Signature
) -> None:
    connection.execute(
        _ADD_REVISION,
        {
            "page": head.id,
            "number": head.revision,
            "written_in": head.volume,
            "change_set": change_set,
            "author": by.author,
            "at": by.at,
            "note": by.note,
            "title": head.title,
            "text": body,
        },
    )


# ---- acts on many pages ------------------------------------------------------


def apply_changes(
    connection: Connection, changes: Sequence[PageChange], change_set: int, by: Signature
) -> None:
    """Writes all pages of an act; Conflict, and nothing is written, if one has another revision by now."""
    if not changes:
        return
    _bump(connection, changes, by)
    rewritten = [change for change in changes if change.text_changed]
    whole = [c for c in changes if c.content is not None and (c.text_changed or c.volume != c.head.volume)]
    plain = [change for change in rewritten if change.content is None]
    exchanged = Exchanged(connection, plain, [change.head.id for change in whole])
    _copy_revisions(connection, exchanged.passing(changes), change_set, by)
    exchanged.write()
    for change in whole:
        assert change.content is not None
        index_page(connection, change.head_after, change.content)
    _set_summaries(connection, whole)
    done = {change.head.id for change in whole}
    index_words_later(connection, [c.head.id for c in changes if c.head.id not in done])


_next = {
    "revision": pages.c.revision + 1,
    "changed": value("at"),
    "author": value("by"),
    "note": value("why"),
}
_read = func.unnest(numbers("ids"), numbers("expected")).table_valued("id", "expected").render_derived("w")
_BUMP = update(pages).where(pages.c.id == _read.c.id, pages.c.revision == _read.c.expected).values(_next)
_moved = (
    func.unnest(numbers("ids"), numbers("expected"), texts("titles"), texts("keys"), numbers("volumes"))
    .table_valued("id", "expected", "title", "key", "volume")
    .render_derived("w")
)
_BUMP_AND_MOVE = (
    update(pages)
    .where(pages.c.id == _moved.c.id, pages.c.revision == _moved.c.expected)
    .values({**_next, "title": _moved.c.title, "key": _moved.c.key, "volume": _moved.c.volume})
)


def _bump(connection: Connection, changes: Sequence[PageChange], by: Signature) -> None:
    """The next revision of each page, under its new name if it gets one."""
    moved = [change for change in changes if change.moved]
    heads = [change.head_after for change in moved]
    names_after = {
        "titles": [head.title for head in heads],
        "keys": [head.key for head in heads],
        "volumes": [head.volume for head in heads],
    }
    done = _number(connection, _BUMP, [change for change in changes if not change.moved], by, {})
    done += _number(connection, _BUMP_AND_MOVE, moved, by, names_after)
    if done != len(changes):
        raise Conflict("A page of this plan was changed meanwhile. Look at the new plan.", code="plan_stale")


def _number(
    connection: Connection,
    statement: Update,
    changes: Sequence[PageChange],
    by: Signature,
    more: Mapping[str, object],
) -> int:
    if not changes:
        return 0
    values = {
        "ids": [change.head.id for change in changes],
        "expected": [change.head.revision for change in changes],
        "at": by.at,
        "by": by.author,
        "why": by.note,
        **more,
    }
    return connection.execute(statement, values).rowcount


_short = func.unnest(numbers("ids"), texts("summaries")).table_valued("id", "summary").render_derived("w")
_SUMMARIES = (
    update(pages)
    .where(pages.c.id == _short.c.id, pages.c.summary != _short.c.summary)
    .values(summary=_short.c.summary)
)


def _set_summaries(connection: Connection, changes: Sequence[PageChange]) -> None:
    """What a front matter says of its page, where an act can have changed it."""
    found = {c.head.id: c.content.front_matter.words("summary") for c in changes if c.own and c.content}
    if found:
        connection.execute(_SUMMARIES, {"ids": found.keys(), "summaries": found.values()})


def _copy_revisions(
    connection: Connection, changes: Iterable[PageChange], change_set: int, by: Signature
) -> None:
    driver = connection.connection.driver_connection
    assert driver is not None
    with (
        driver.cursor() as cursor,
        cursor.copy(
            "COPY revision (page, number, change_set, author, at, note, title, text, written_in) "
            "FROM STDIN (FORMAT BINARY)"
        ) as copy,
    ):
        copy.set_types(["int8", "int4", "int8", "int4", "timestamptz", "text", "text", "text", "int4"])
        for change in changes:
            head = change.head
            row = (
                head.id,
                head.revision + 1,
                change_set,
                by.author,
                by.at,
                by.note,
                change.title,
                change.after,
                change.volume_after,
            )
            copy.write_row(row)
