"""Writes of pages: compare-and-set on the revision, and all indexes of a text with it.

What holds afterwards: ``page_refs``, ``page_name``, ``section_ref``, ``alias``
and ``page_search`` of a page say exactly what a scan of its newest text says.
The caller holds the write lock (``database.writing``).
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, TextClause, text

from mokuji.core.assembly.listing import fields
from mokuji.core.base import names
from mokuji.core.base.edits import Shift
from mokuji.core.base.errors import Conflict
from mokuji.core.base.names import Name
from mokuji.core.language.asset_mentions import asset_mentions
from mokuji.core.language.indexed_page import Flag, flags_of
from mokuji.core.language.page import PageHead
from mokuji.core.language.reference import Reference
from mokuji.core.language.scan import PageText
from mokuji.core.model.categories import filed
from mokuji.core.model.changes import PageChange
from mokuji.store.snapshot import stored_key
from mokuji.store.statements import array

WORDS_AT_ONCE = 50
"""An act in which references on more pages follow leaves their search words for later: making them takes most
of its time, and only the words of references differ."""
SEARCHED_BYTES = 400_000
"""How much of a text is indexed for search: PostgreSQL's vectors hold 1 MB at most."""


@dataclass(frozen=True, slots=True)
class Signature:
    """Who, when, and why. ``author`` is None for what the program does by itself."""

    author: int | None
    at: datetime
    note: str = ""


def open_change_set(
    connection: Connection,
    act: str,
    volume: int,
    page: int | None,
    signature: Signature,
    detail: Mapping[str, Any] | None = None,
    proposed: Sequence[Any] | None = None,
) -> int:
    """Logs an act; gives the number under which its revisions are kept together. ``proposed`` is the phrase of a note
    that was left as it was proposed, none of a note of one's own."""
    return int(
        connection.execute(
            text(
                """INSERT INTO change_set (act, volume, page, author, at, note, proposed, detail)
                VALUES (:act, :volume, :page, :author, :at, :note, CAST(:proposed AS jsonb), CAST(:detail AS jsonb))
                RETURNING id"""
            ),
            {
                "act": act,
                "volume": volume,
                "page": page,
                "author": signature.author,
                "at": signature.at,
                "note": signature.note,
                "proposed": None if proposed is None else json.dumps(list(proposed)),
                "detail": json.dumps(dict(detail or {})),
            },
        ).scalar_one()
    )


def set_page(connection: Connection, change_set: int, page: int) -> None:
    """Says of a change set which page it is about, once that has an id."""
    connection.execute(
        text("UPDATE change_set SET page = :page WHERE id = :id"), {"page": page, "id": change_set}
    )


def set_detail(connection: Connection, change_set: int, detail: Mapping[str, Any]) -> None:
    """What undoing a change set will need to know."""
    connection.execute(
        text("UPDATE change_set SET detail = CAST(:detail AS jsonb) WHERE id = :id"),
        {"detail": json.dumps(dict(detail)), "id": change_set},
    )


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


# ---- the indexes of a text -------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Use:
    """One reference as it is kept."""

    start: int
    end: int
    name: int
    flag: int
    section: str

    @property
    def as_named(self) -> tuple[int, int]:
        """Name and kind, as ``page_name`` counts them."""
        return self.name, self.flag & Flag.INSERT


def index_page(
    connection: Connection,
    head: PageHead,
    content: PageText,
    body: str,
    *,
    new: bool = False,
    words_later: bool = False,
) -> None:
    """Renews all that is derived from the text of one page; with ``words_later`` all but its search words, which
    take the longest: whoever searches next makes them (``catch_up``)."""
    ids = intern(connection, head.volume, {r.name for r in content.references if r.name is not None})
    uses = [_use(content, index, reference, ids) for index, reference in enumerate(content.references)]
    counts = Counter((head.id, *use.as_named) for use in uses if use.name)
    if not new:
        counts = _only_changed(connection, head.id, counts, words_later)
    _write_refs(connection, [_row(head.id, uses)])
    _write_page_names(connection, counts)
    _write_sections(connection, head.id, uses)
    aliases = {names.key(name): name for name in content.front_matter.names("aliases")}
    rows = [
        {"volume": head.volume, "key": key, "page": head.id, "name": each}
        for key, each in sorted(aliases.items())
        if names.is_key(key) and "\x00" not in each
    ]
    if rows:
        connection.execute(
            text("INSERT INTO alias (volume, key, page, name) VALUES (:volume, :key, :page, :name)"), rows
        )
    _file(connection, head, content)
    if new or not words_later:
        index_words(connection, [(head.id, head.title, body)])


def _file(connection: Connection, head: PageHead, content: PageText) -> None:
    rows = [
        {
            "volume": head.volume,
            "page": head.id,
            "key": f.key,
            "how": int(f.how),
            "name": f.name,
            "count": f.count,
        }
        for f in filed(content)
    ]
    told = {
        (name, names.key(said)): said
        for name, values in fields(content.front_matter).items()
        if name != "summary"
        for said in values
    }
    if told:
        connection.execute(
            text(
                """INSERT INTO field (volume, name, value, page, said)
                VALUES (:volume, :name, :value, :page, :said)"""
            ),
            [
                {"volume": head.volume, "page": head.id, "name": name, "value": value, "said": said}
                for (name, value), said in told.items()
            ],
        )
    if rows:
        connection.execute(
            text(
                """INSERT INTO filing (volume, key, how, page, name, count)
                VALUES (:volume, :key, :how, :page, :name, :count)"""
            ),
            rows,
        )
    _hold(connection, head, content)
    _write_tasks(connection, head, content)


def _hold(connection: Connection, head: PageHead, content: PageText) -> None:
    """What a page names of files, sources and people."""
    named = [
        {"page": head.id, "kind": int(kind), "key": key, "count": number}
        for (kind, key), number in asset_mentions(content).items()
    ]
    if named:
        connection.execute(
            text("INSERT INTO held (page, kind, key, count) VALUES (:page, :kind, :key, :count)"), named
        )


def _write_tasks(connection: Connection, head: PageHead, content: PageText) -> None:
    if content.tasks:
        connection.execute(
            text(
                """INSERT INTO task (page, number, done, priority, due, people)
                VALUES (:page, :number, :done, :priority, :due, CAST(:people AS text[]))"""
            ),
            [
                {
                    "page": head.id,
                    "number": number,
                    "done": each.done,
                    "priority": each.priority,
                    "due": each.due,
                    "people": list(each.people),
                }
                for number, each in enumerate(content.tasks)
            ],
        )


_CLEAR = text(
    """WITH sections AS (DELETE FROM section_ref WHERE page = :page),
        filings AS (DELETE FROM filing WHERE page = :page),
        fields AS (DELETE FROM field WHERE page = :page),
        named AS (DELETE FROM held WHERE page = :page),
        tasks AS (DELETE FROM task WHERE page = :page),
        aliases AS (DELETE FROM alias WHERE page = :page),
        waiting AS (INSERT INTO unsearched (page) SELECT :page WHERE :later ON CONFLICT DO NOTHING)
    SELECT name, kind, count AS number FROM page_name WHERE page = :page"""
)


def _only_changed(
    connection: Connection, page: int, counts: Mapping[tuple[int, int, int], int], words_later: bool
) -> Counter[tuple[int, int, int]]:
    """Takes away sections, aliases, and the names that a page uses no more, and gives the names that are to be
    written: a save changes few. Notes that its search words are to be made, if so wished."""
    rows = connection.execute(_CLEAR, {"page": page, "later": words_later}).all()
    known = {(page, row.name, row.kind): row.number for row in rows}
    gone = sorted(known.keys() - counts.keys())
    if gone:
        connection.execute(
            text(
                """DELETE FROM page_name p USING unnest(CAST(:names AS bigint[]), CAST(:kinds AS smallint[]))
                AS w(name, kind) WHERE p.page = :page AND p.name = w.name AND p.kind = w.kind"""
            ),
            {"page": page, "names": [name for _, name, _ in gone], "kinds": [kind for _, _, kind in gone]},
        )
    return Counter({key: number for key, number in counts.items() if known.get(key) != number})


def _row(page: int, uses: Sequence[_Use]) -> _Row:
    return _Row(
        page,
        [use.start for use in uses],
        [use.end for use in uses],
        [use.name for use in uses],
        [use.flag for use in uses],
    )


def _use(content: PageText, index: int, reference: Reference, ids: Mapping[Name, int]) -> _Use:
    name = ids[reference.name] if reference.name is not None else 0
    section = names.key(reference.section) if reference.section else ""
    return _Use(reference.span.start, reference.span.end, name, flags_of(content, index), section)


def intern(connection: Connection, home: int, wanted: Collection[Name]) -> dict[Name, int]:
    """The ids of names typed in a volume, made where they are new. Sorted, so that two savers never deadlock."""
    if not wanted:
        return {}
    ordered = sorted(wanted, key=lambda name: (stored_key(name), name.volume or "", name.title or ""))
    values = {
        "home": home,
        "keys": [stored_key(name) for name in ordered],
        "vkeys": [name.volume for name in ordered],
        "tkeys": [name.title for name in ordered],
        "absolutes": [name.absolute for name in ordered],
    }
    source = """unnest(CAST(:keys AS text[]), CAST(:vkeys AS text[]), CAST(:tkeys AS text[]),
        CAST(:absolutes AS boolean[])) WITH ORDINALITY AS w(key, vkey, tkey, absolute, nth)"""
    find = text(
        f"""SELECT w.nth, n.id FROM {source} JOIN name n ON n.home = :home AND n.key = w.key COLLATE "C"
        AND n.absolute = w.absolute AND n.vkey IS NOT DISTINCT FROM w.vkey COLLATE "C"
        AND n.tkey IS NOT DISTINCT FROM w.tkey COLLATE "C" """  # noqa: S608
    )
    found = {ordered[row.nth - 1]: row.id for row in connection.execute(find, values).all()}
    if len(found) < len(ordered):
        connection.execute(
            text(
                f"""INSERT INTO name (home, key, vkey, tkey, absolute)
                SELECT :home, w.key, w.vkey, w.tkey, w.absolute FROM {source} ORDER BY w.nth
                ON CONFLICT DO NOTHING"""  # noqa: S608
            ),
            values,
        )
        found = {ordered[row.nth - 1]: row.id for row in connection.execute(find, values).all()}
    return found


_PUT_REFS = text(
    """INSERT INTO page_refs (page, starts, ends, names, flags)
    SELECT w.page, CAST(w.starts AS int[]), CAST(w.ends AS int[]), CAST(w.names AS bigint[]),
        CAST(w.flags AS smallint[])
    FROM unnest(CAST(:pages AS bigint[]), string_to_array(:starts, ';'), string_to_array(:ends, ';'),
        string_to_array(:names, ';'), string_to_array(:flags, ';')) AS w(page, starts, ends, names, flags)
    ON CONFLICT (page) DO UPDATE SET
    starts = EXCLUDED.starts, ends = EXCLUDED.ends, names = EXCLUDED.names, flags = EXCLUDED.flags"""
)


@dataclass(frozen=True, slots=True)
class _Row:
    """A row of ``page_refs``."""

    page: int
    starts: Sequence[int]
    ends: Sequence[int]
    names: Sequence[int]
    flags: Sequence[int]


def _write_refs(connection: Connection, rows: Sequence[_Row]) -> None:
    """Writes all rows with one statement; arrays travel as PostgreSQL writes them, which the driver is slow at."""
    ordered = sorted(rows, key=lambda row: row.page)
    if ordered:
        connection.execute(
            _PUT_REFS,
            {
                "pages": array(row.page for row in ordered),
                "starts": ";".join(array(row.starts) for row in ordered),
                "ends": ";".join(array(row.ends) for row in ordered),
                "names": ";".join(array(row.names) for row in ordered),
                "flags": ";".join(array(row.flags) for row in ordered),
            },
        )


_PUT_NAMES = text(
    """INSERT INTO page_name (page, name, kind, count)
    SELECT * FROM unnest(CAST(:pages AS bigint[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[]),
        CAST(:counts AS int[])) ON CONFLICT (page, name, kind) DO UPDATE SET count = EXCLUDED.count"""
)


def _write_page_names(connection: Connection, counts: Mapping[tuple[int, int, int], int]) -> None:
    """How often each page uses each name, and as what; keys are page, name and kind."""
    ordered = sorted(counts)
    if ordered:
        columns = {"pages": 0, "names": 1, "kinds": 2}
        values = {column: array(key[at] for key in ordered) for column, at in columns.items()}
        connection.execute(_PUT_NAMES, {**values, "counts": array(counts[key] for key in ordered)})


def _write_sections(connection: Connection, page: int, uses: Iterable[_Use]) -> None:
    pairs = sorted({(use.name, use.section) for use in uses if use.name and use.section})
    if pairs:
        connection.execute(
            text(
                """INSERT INTO section_ref (page, name, section)
                SELECT :page, * FROM unnest(CAST(:names AS bigint[]), CAST(:sections AS text[]))"""
            ),
            {"page": page, "names": [name for name, _ in pairs], "sections": [each for _, each in pairs]},
        )


_WORDS = text(
    """INSERT INTO page_search (page, words) VALUES (:page,
        setweight(to_tsvector('english', :title), 'A') || setweight(to_tsvector('english', :body), 'D'))
    ON CONFLICT (page) DO UPDATE SET words = EXCLUDED.words"""
)


def index_words(connection: Connection, pages: Sequence[tuple[int, str, str]]) -> None:
    """Renews the search vectors of pages given as id, title and text."""
    rows = [{"page": page, "title": title, "body": _searched(body)} for page, title, body in pages]
    if rows:
        connection.execute(_WORDS, rows)


def index_words_later(connection: Connection, pages: Sequence[int]) -> None:
    """Notes pages whose search vectors are to be renewed by ``catch_up``."""
    connection.execute(
        text("INSERT INTO unsearched (page) SELECT unnest(CAST(:pages AS bigint[])) ON CONFLICT DO NOTHING"),
        {"pages": sorted(pages)},
    )


def catch_up(connection: Connection, read: Callable[[str], PageText], most: int = 100) -> int:
    """Renews the search vectors of some pages that wait for it; how many those were. ``read`` says what stands in a
    text."""
    rows = connection.execute(
        text(
            """WITH taken AS (DELETE FROM unsearched WHERE page IN
                (SELECT page FROM unsearched ORDER BY page LIMIT :most FOR UPDATE SKIP LOCKED) RETURNING page)
            SELECT p.id, p.title, r.text FROM taken t JOIN page p ON p.id = t.page
            JOIN revision r ON r.page = p.id AND r.number = p.revision"""
        ),
        {"most": most},
    ).all()
    index_words(connection, [(row.id, row.title, row.text) for row in rows])
    return len(rows) + _file_the_old(connection, read, most)


def _file_the_old(connection: Connection, read: Callable[[str], PageText], most: int) -> int:
    """Files some pages anew that are there from before all was noted that pages hold."""
    rows = connection.execute(
        text(
            """WITH taken AS (DELETE FROM unfiled WHERE page IN
                (SELECT page FROM unfiled ORDER BY page LIMIT :most FOR UPDATE SKIP LOCKED) RETURNING page)
            SELECT p.id, p.volume, p.key, p.title, r.text FROM taken t JOIN page p ON p.id = t.page
            JOIN revision r ON r.page = p.id AND r.number = p.revision"""
        ),
        {"most": most},
    ).all()
    for name in ("filing", "field", "held", "task"):
        connection.execute(
            text(f"DELETE FROM {name} WHERE page = ANY(CAST(:pages AS bigint[]))"),  # noqa: S608 - names of ours
            {"pages": [row.id for row in rows]},
        )
    for row in rows:
        _file(connection, PageHead(row.id, row.volume, row.key, row.title), read(row.text))
    return len(rows)


def _searched(body: str) -> str:
    # Slashes would make one file name of several words for PostgreSQL's parser.
    return body.encode()[:SEARCHED_BYTES].decode(errors="ignore").replace("/", " ").replace("|", " ")


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
    written: list[_Row] = []
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
        written.append(_Row(page, shift.all(row.starts), shift.all(row.ends), uses, row.flags))
        if touched:
            gone.update((page, name) for name in touched)
            for name, flag in zip(uses, row.flags, strict=True):
                if name in touched:
                    counts[page, name, flag & Flag.INSERT] += 1
    _write_refs(connection, written)
    if gone:
        connection.execute(
            text(
                """DELETE FROM page_name p USING unnest(CAST(:pages AS bigint[]), CAST(:names AS bigint[]))
                AS w(page, name) WHERE p.page = w.page AND p.name = w.name"""
            ),
            {"pages": array(page for page, _ in gone), "names": array(name for _, name in gone)},
        )
    _write_page_names(connection, counts)


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
