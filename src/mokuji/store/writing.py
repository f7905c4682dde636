"""Writes of pages: compare-and-set on the revision, and all indexes of a text with it.

The caller holds the write lock (``database.writing``).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import Connection, TextClause, text

from mokuji.core.base import names
from mokuji.core.base.edits import Shift
from mokuji.core.base.errors import Conflict
from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import Flag
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import PageText
from mokuji.core.model.changes import PageChange
from mokuji.store.change_sets import Signature
from mokuji.store.page_index import (
    RefsRow,
    index_page,
    index_words,
    index_words_later,
    intern,
    write_page_names,
    write_refs,
)
from mokuji.store.snapshot import stored_key
from mokuji.store.statements import array

WORDS_AT_ONCE = 50
"""An act in which references on more pages follow leaves their search words for later: making them takes most
of its time, and only the words of references differ."""


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
    page = int(
        connection.execute(
            text(
                """INSERT INTO page (volume, key, title, revision, summary, changed, author, note)
                VALUES (:volume, :key, :title, 1, :summary, :at, :author, :note) RETURNING id"""
            ),
            {
                "volume": volume,
                "key": names.key(title),
                "title": title,
                "summary": content.front_matter.words("summary"),
                "at": by.at,
                "author": by.author,
                "note": by.note,
            },
        ).scalar_one()
    )
    head = PageHead(page, volume, names.key(title), title)
    _insert_revision(connection, head, body, change_set, by)
    index_page(connection, head, content, body, new=True)
    return page


def restore_page(
    connection: Connection, head: PageHead, content: PageText, body: str, change_set: int, by: Signature
) -> None:
    """Writes a page that was taken out of the trash, under its id and as its next revision ``head.revision``."""
    connection.execute(
        text(
            """INSERT INTO page (id, volume, key, title, revision, summary, changed, author, note)
            VALUES (:id, :volume, :key, :title, :revision, :summary, :at, :author, :note)"""
        ),
        {
            "id": head.id,
            "volume": head.volume,
            "key": head.key,
            "title": head.title,
            "revision": head.revision,
            "summary": content.front_matter.words("summary"),
            "at": by.at,
            "author": by.author,
            "note": by.note,
        },
    )
    _insert_revision(connection, head, body, change_set, by)
    index_page(connection, head, content, body, new=True)


_NEXT_REVISION = text(
    """WITH changed AS (UPDATE page SET revision = revision + 1, summary = :summary, changed = :at,
        author = :author, note = :note WHERE id = :page AND revision = :expected RETURNING id, revision, volume)
    INSERT INTO revision (page, number, change_set, author, at, note, title, text, written_in)
    SELECT id, revision, :change_set, :author, :at, :note, :title, :text, volume FROM changed"""
)


def save_page(
    connection: Connection,
    head: PageHead,
    content: PageText,
    body: str,
    change_set: int,
    by: Signature,
    *,
    words_later: bool = False,
) -> int:
    """Writes the next revision of a page; Conflict if its newest is not ``head.revision``."""
    changed = connection.execute(
        _NEXT_REVISION,
        {
            "page": head.id,
            "expected": head.revision,
            "summary": content.front_matter.words("summary"),
            "at": by.at,
            "author": by.author,
            "note": by.note,
            "change_set": change_set,
            "title": head.title,
            "text": body,
        },
    )
    if changed.rowcount != 1:
        raise Conflict(
            f"“{head.title}” was changed by somebody else while you were writing. Your text is still here: "
            "compare it with the newest revision, then save again.",
            code="edited_meanwhile",
        )
    index_page(connection, head, content, body, words_later=words_later)
    return head.revision + 1


def _insert_revision(
    connection: Connection, head: PageHead, body: str, change_set: int, by: Signature
) -> None:
    connection.execute(
        text(
            """INSERT INTO revision (page, number, change_set, author, at, note, title, text, written_in)
            VALUES (:page, :number, :change_set, :author, :at, :note, :title, :text, :volume)"""
        ),
        {
            "page": head.id,
            "number": head.revision,
            "volume": head.volume,
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
    _copy_revisions(connection, changes, change_set, by)
    rewritten = [change for change in changes if change.text_changed]
    whole = [c for c in changes if c.content is not None and (c.text_changed or c.volume != c.head.volume)]
    plain = [change for change in rewritten if change.content is None]
    _reindex(connection, plain, [change.head.id for change in whole])
    for change in whole:
        assert change.content is not None
        index_page(connection, change.head_after, change.content, change.after)
    _set_summaries(connection, whole)
    done = {change.head.id for change in whole}
    rest = [c for c in changes if c.head.id not in done]
    if len(rest) > WORDS_AT_ONCE:
        index_words_later(connection, [c.head.id for c in rest if c.head.key == names.key(c.title)])
        rest = [c for c in rest if c.head.key != names.key(c.title)]
    index_words(connection, [(c.head.id, c.title, c.after) for c in rest])


_BUMP = text(
    """UPDATE page p SET revision = p.revision + 1, changed = :at, author = :author, note = :note
    FROM unnest(CAST(:ids AS bigint[]), CAST(:expected AS int[])) AS w(id, expected)
    WHERE p.id = w.id AND p.revision = w.expected"""
)
_BUMP_AND_MOVE = text(
    """UPDATE page p SET revision = p.revision + 1, title = w.title, key = w.key, volume = w.volume,
    changed = :at, author = :author, note = :note
    FROM unnest(CAST(:ids AS bigint[]), CAST(:expected AS int[]), CAST(:titles AS text[]),
        CAST(:keys AS text[]), CAST(:volumes AS int[])) AS w(id, expected, title, key, volume)
    WHERE p.id = w.id AND p.revision = w.expected"""
)


def _bump(connection: Connection, changes: Sequence[PageChange], by: Signature) -> None:
    """The next revision of each page, under its new name if it gets one."""
    moved = [change for change in changes if change.moved]
    heads = [change.head_after for change in moved]
    names_after = {
        "titles": [head.title for head in heads],
        "keys": [head.key for head in heads],
        "volumes": array(head.volume for head in heads),
    }
    done = _number(connection, _BUMP, [change for change in changes if not change.moved], by, {})
    done += _number(connection, _BUMP_AND_MOVE, moved, by, names_after)
    if done != len(changes):
        raise Conflict("A page of this plan was changed meanwhile. Look at the new plan.", code="plan_stale")


def _number(
    connection: Connection,
    statement: TextClause,
    changes: Sequence[PageChange],
    by: Signature,
    more: Mapping[str, object],
) -> int:
    if not changes:
        return 0
    values = {
        "ids": array(change.head.id for change in changes),
        "expected": array(change.head.revision for change in changes),
        "at": by.at,
        "author": by.author,
        "note": by.note,
        **more,
    }
    return connection.execute(statement, values).rowcount


def _set_summaries(connection: Connection, changes: Sequence[PageChange]) -> None:
    """What a front matter says of its page, where an act can have changed it."""
    found = {c.head.id: c.content.front_matter.words("summary") for c in changes if c.own and c.content}
    if found:
        connection.execute(
            text(
                """UPDATE page p SET summary = w.summary
                FROM unnest(CAST(:ids AS bigint[]), CAST(:summaries AS text[])) AS w(id, summary)
                WHERE p.id = w.id AND p.summary <> w.summary"""
            ),
            {"ids": list(found), "summaries": list(found.values())},
        )


def _copy_revisions(
    connection: Connection, changes: Sequence[PageChange], change_set: int, by: Signature
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
                change.head_after.volume,
            )
            copy.write_row(row)


MANY_USES = 50
"""Number of pages that use a name from which on its row is changed instead of theirs, where all of them change."""


def _reindex(connection: Connection, changes: Sequence[PageChange], elsewhere: Collection[int]) -> None:
    """Shifts the ranges of pages in which plain names were exchanged, and exchanges the names.

    References with a section are never among them: ``following`` reads such pages again. ``elsewhere`` are
    pages of the same act that are indexed anew, after this.
    """
    if not changes:
        return
    rows = connection.execute(
        text("SELECT page, starts, ends, names, flags FROM page_refs WHERE page = ANY(:pages)"),
        {"pages": [change.head.id for change in changes]},
    ).all()
    stored = {row.page: row for row in rows}
    _exchange_names(connection, changes, {page: row.names for page, row in stored.items()}, elsewhere)
    ids: dict[int, dict[Name, int]] = {}
    for volume in sorted({change.head.volume for change in changes}):
        wanted = {n for c in changes if c.head.volume == volume for n in c.renamed.values()}
        ids[volume] = intern(connection, volume, wanted)
    written: list[RefsRow] = []
    gone: set[tuple[int, int]] = set()
    counts: Counter[tuple[int, int, int]] = Counter()
    for change in changes:
        page, row, shift = change.head.id, stored[change.head.id], Shift(change.edits)
        known = ids[change.head.volume]
        uses = list(row.names)
        touched: set[int] = set()
        for index, name in change.renamed.items():
            if uses[index] != known[name]:
                touched.update((uses[index], known[name]))
                uses[index] = known[name]
        written.append(RefsRow(page, shift.all(row.starts), shift.all(row.ends), uses, row.flags))
        if touched:
            gone.update((page, name) for name in touched)
            for name, flag in zip(uses, row.flags, strict=True):
                if name in touched:
                    counts[page, name, flag & Flag.INSERT] += 1
    write_refs(connection, written)
    if gone:
        connection.execute(
            text(
                """DELETE FROM page_name p USING unnest(CAST(:pages AS bigint[]), CAST(:names AS bigint[]))
                AS w(page, name) WHERE p.page = w.page AND p.name = w.name"""
            ),
            {"pages": array(page for page, _ in gone), "names": array(name for _, name in gone)},
        )
    write_page_names(connection, counts)


_USED_BESIDES = text(
    """SELECT DISTINCT pn.name FROM page_name pn WHERE pn.name = ANY(CAST(:names AS bigint[]))
    AND NOT EXISTS (SELECT 1 FROM unnest(CAST(:pages AS bigint[])) AS w(page) WHERE w.page = pn.page)"""
)
_TAKE_UNUSED = text(
    """DELETE FROM name n WHERE n.home = :home AND n.key = :key COLLATE "C" AND n.absolute = :absolute
    AND n.vkey IS NOT DISTINCT FROM CAST(:vkey AS text) COLLATE "C"
    AND n.tkey IS NOT DISTINCT FROM CAST(:tkey AS text) COLLATE "C"
    AND NOT EXISTS (SELECT 1 FROM page_name pn WHERE pn.name = n.id)"""
)
_RENAME_NAME = text(
    """WITH renamed AS (UPDATE name n SET key = :key, vkey = :vkey, tkey = :tkey, absolute = :absolute WHERE n.id = :id
        AND NOT EXISTS (SELECT 1 FROM name o WHERE o.home = n.home AND o.key = :key AND o.absolute = :absolute
            AND o.vkey IS NOT DISTINCT FROM CAST(:vkey AS text) COLLATE "C"
            AND o.tkey IS NOT DISTINCT FROM CAST(:tkey AS text) COLLATE "C")
        RETURNING n.id)
    INSERT INTO stale (name) SELECT id FROM renamed"""
)


def _exchange_names(
    connection: Connection,
    changes: Sequence[PageChange],
    uses: Mapping[int, Sequence[int]],
    elsewhere: Collection[int],
) -> None:
    """Renames a name itself where many pages use it and every use of it becomes one and the same other name,
    which nobody uses yet: then ``page_name`` need not change."""
    become: dict[int, set[tuple[int, Name]]] = {}
    numbers: Counter[int] = Counter()
    for change in changes:
        names_here = uses[change.head.id]
        for index, name in change.renamed.items():
            become.setdefault(names_here[index], set()).add((change.head.volume, name))
            numbers[names_here[index]] += 1
    for page in uses.values():
        numbers.subtract(each for each in page if each in become)
    on_pages: Counter[int] = Counter(each for page in uses.values() for each in set(page) if each in become)
    fit = [
        id_ for id_, to in become.items() if len(to) == 1 and not numbers[id_] and on_pages[id_] >= MANY_USES
    ]
    if not fit:
        return
    pages = array([*uses, *elsewhere])
    besides = set(connection.execute(_USED_BESIDES, {"names": fit, "pages": pages}).scalars())
    for id_ in sorted(set(fit) - besides):
        ((home, name),) = become[id_]
        values = {
            "key": stored_key(name),
            "vkey": name.volume,
            "tkey": name.title,
            "absolute": name.absolute,
        }
        connection.execute(_TAKE_UNUSED, {**values, "home": home})
        connection.execute(_RENAME_NAME, {**values, "id": id_})
