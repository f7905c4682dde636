"""What is derived from the text of a page, and kept beside it so that it can be asked for.

What holds afterwards: ``page_refs``, ``page_name``, ``section_ref``, ``alias``, ``filing``, ``field``, ``held``,
``task`` and ``page_search`` of a page say exactly what a reading of its newest text says. The caller holds the write
lock (``database.writing``).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

from sqlalchemy import (
    ARRAY,
    CTE,
    Boolean,
    Connection,
    Insert,
    Integer,
    Table,
    Text,
    bindparam,
    cast,
    delete,
    func,
    insert,
    select,
    text,
)
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.assembly.listing import fields
from mokuji.core.base import names
from mokuji.core.base.names import Name
from mokuji.core.language.asset_mentions import asset_mentions
from mokuji.core.language.indexed_page import INSERT, flags_of
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import PageText
from mokuji.core.model.categories import filed
from mokuji.core.syntax.reference import Reference
from mokuji.store.page_words import index_words, index_words_later
from mokuji.store.snapshot import stored_key
from mokuji.store.statements import among, array, arrays, numbers, value
from mokuji.store.tables import (
    alias,
    field,
    filing,
    held,
    name,
    page_name,
    revision,
    section_ref,
    task,
    unfiled,
    unsearched,
)
from mokuji.store.tables import page as pages


class _Use(NamedTuple):
    """One reference as it is kept."""

    start: int
    end: int
    name: int
    flag: int
    section: str

    @property
    def as_named(self) -> tuple[int, int]:
        """Name and kind, as ``page_name`` counts them."""
        return self.name, self.flag & INSERT


def index_page(
    connection: Connection,
    head: PageHead,
    content: PageText,
    *,
    new: bool = False,
) -> None:
    """Renews all that is derived from the text of one page, but for what it is found by, which takes the longest:
    whoever looks for something next makes that (``catch_up``)."""
    if not new:
        uses = _uses(content, intern(connection, head.volume, _names_of([content])))
        counts = _only_changed(connection, head.id, _counted(head.id, uses))
        write_refs(connection, [_row(head.id, uses)])
        write_page_names(connection, counts)
        _put(connection, _PUT_SECTIONS, _sections(head.id, uses))
        _put(connection, _PUT_ALIASES, _aliases(head, content))
        _file(connection, [(head, content)])
    else:
        index_new(connection, [(head, content)])


def index_new(connection: Connection, found: Sequence[tuple[PageHead, PageText]]) -> None:
    """As ``index_page``, of pages of one volume that were not there."""
    if not found:
        return
    ids = intern(connection, found[0][0].volume, _names_of(content for _, content in found))
    uses = {head.id: _uses(content, ids) for head, content in found}
    write_refs(connection, [_row(page, each) for page, each in uses.items()])
    counts: Counter[tuple[int, int, int]] = Counter()
    for page, each in uses.items():
        counts.update(_counted(page, each))
    write_page_names(connection, counts)
    _put(connection, _PUT_SECTIONS, [row for page, each in uses.items() for row in _sections(page, each)])
    _put(connection, _PUT_ALIASES, [row for head, content in found for row in _aliases(head, content)])
    _file(connection, [(head, content) for head, content in found])
    index_words_later(connection, [head.id for head, _ in found])


def _names_of(found: Iterable[PageText]) -> set[Name]:
    return {each.name for content in found for each in content.references if each.name is not None}


def _uses(content: PageText, ids: Mapping[Name, int]) -> list[_Use]:
    return [_use(content, index, reference, ids) for index, reference in enumerate(content.references)]


def _counted(page: int, uses: Iterable[_Use]) -> Counter[tuple[int, int, int]]:
    return Counter((page, *use.as_named) for use in uses if use.name)


Rows = list[dict[str, Any]]


def _put(connection: Connection, statement: Insert, rows: Rows) -> None:
    if rows:
        connection.execute(statement, rows)


def _file(connection: Connection, found: Sequence[tuple[PageHead, PageText]]) -> None:
    """Categories, fields, what is named, tasks."""
    for statement, rows_of in (
        (_PUT_FIELDS, _fields),
        (_PUT_FILINGS, _filings),
        (_PUT_HELD, _held),
        (_PUT_TASKS, _tasks),
    ):
        _put(connection, statement, [row for head, content in found for row in rows_of(head, content)])


def _aliases(head: PageHead, content: PageText) -> Rows:
    aliases = {names.key(name): name for name in content.front_matter.names("aliases")}
    return [
        {"volume": head.volume, "key": key, "page": head.id, "name": each}
        for key, each in sorted(aliases.items())
        if names.is_key(key) and "\x00" not in each
    ]


def _filings(head: PageHead, content: PageText) -> Rows:
    known = {"volume": head.volume, "page": head.id}
    return [
        {**known, "key": f.key, "how": int(f.how), "name": f.name, "count": f.count} for f in filed(content)
    ]


def _fields(head: PageHead, content: PageText) -> Rows:
    told = {
        (name, names.key(said)): said
        for name, values in fields(content.front_matter).items()
        if name != "summary"
        for said in values
    }
    return [
        {"volume": head.volume, "page": head.id, "name": name, "value": value, "said": said}
        for (name, value), said in told.items()
    ]


def _held(head: PageHead, content: PageText) -> Rows:
    """What a page names of files, sources and people."""
    return [
        {"page": head.id, "kind": int(kind), "key": key, "count": number}
        for (kind, key), number in asset_mentions(content).items()
    ]


def _tasks(head: PageHead, content: PageText) -> Rows:
    return [
        {
            "page": head.id,
            "number": number,
            "done": each.done,
            "priority": each.priority,
            "due": each.due,
            "people": list(each.people),
        }
        for number, each in enumerate(content.tasks)
    ]


_PUT_ALIASES = insert(alias)
_PUT_FIELDS = insert(field)
_PUT_FILINGS = insert(filing)
_PUT_HELD = insert(held)
_PUT_TASKS = insert(task)
_gone = func.unnest(numbers("names"), numbers("kinds")).table_valued("name", "kind").render_derived("w")
_TAKE_NAMES = delete(page_name).where(
    page_name.c.page == value("page"),
    page_name.c.name == _gone.c.name,
    page_name.c.kind == _gone.c.kind,
)
# As text: seven changes and a question in one go, which is read there and then.
_CLEAR = text(
    """WITH sections AS (DELETE FROM section_ref WHERE page = :page),
        filings AS (DELETE FROM filing WHERE page = :page),
        fields AS (DELETE FROM field WHERE page = :page),
        named AS (DELETE FROM held WHERE page = :page),
        tasks AS (DELETE FROM task WHERE page = :page),
        aliases AS (DELETE FROM alias WHERE page = :page),
        waiting AS (INSERT INTO unsearched (page) SELECT :page ON CONFLICT DO NOTHING)
    SELECT name, kind, count AS number FROM page_name WHERE page = :page"""
)


def _only_changed(
    connection: Connection, page: int, counts: Mapping[tuple[int, int, int], int]
) -> Counter[tuple[int, int, int]]:
    """Takes away sections, aliases, and the names that a page uses no more, and gives the names that are to be
    written: a save changes few. Notes that what it is found by is to be made."""
    rows = connection.execute(_CLEAR, {"page": page})
    known = {(page, name, kind): number for name, kind, number in rows}
    gone = sorted(known.keys() - counts.keys())
    if gone:
        connection.execute(
            _TAKE_NAMES,
            {"page": page, "names": [name for _, name, _ in gone], "kinds": [kind for _, _, kind in gone]},
        )
    return Counter({key: number for key, number in counts.items() if known.get(key) != number})


def _row(page: int, uses: Sequence[_Use]) -> RefsRow:
    return RefsRow(
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
    found = {ordered[nth - 1]: id_ for nth, id_ in connection.execute(NAMES_HELD, values)}
    if len(found) < len(ordered):
        connection.execute(_HOLD_NAMES, values)
        found = {ordered[nth - 1]: id_ for nth, id_ in connection.execute(NAMES_HELD, values)}
    return found


_names = (
    func.unnest(
        bindparam("keys", type_=ARRAY(Text)),
        bindparam("vkeys", type_=ARRAY(Text)),
        bindparam("tkeys", type_=ARRAY(Text)),
        bindparam("absolutes", type_=ARRAY(Boolean)),
    )
    .table_valued("key", "vkey", "tkey", "absolute", with_ordinality="nth")
    .render_derived("w")
)
NAMES_HELD = select(_names.c.nth, name.c.id).where(
    name.c.home == value("home"),
    name.c.key == _names.c.key,
    name.c.absolute == _names.c.absolute,
    name.c.vkey.is_not_distinct_from(_names.c.vkey),
    name.c.tkey.is_not_distinct_from(_names.c.tkey),
)
_HOLD_NAMES = (
    insert_or_else(name)
    .from_select(
        ["home", "key", "vkey", "tkey", "absolute"],
        select(
            cast(value("home"), Integer), _names.c.key, _names.c.vkey, _names.c.tkey, _names.c.absolute
        ).order_by(_names.c.nth),
    )
    .on_conflict_do_nothing()
)
# As text: a list of lists of different lengths is no array, so each comes as the words of one.
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
class RefsRow:
    """A row of ``page_refs``."""

    page: int
    starts: Sequence[int]
    ends: Sequence[int]
    names: Sequence[int]
    flags: Sequence[int]


def write_refs(connection: Connection, rows: Sequence[RefsRow]) -> None:
    """Writes all rows with one statement; arrays travel as PostgreSQL writes them, which the driver is slow at."""
    ordered = sorted(rows, key=lambda row: row.page)
    if ordered:
        connection.execute(
            _PUT_REFS,
            {
                "pages": array(row.page for row in ordered),
                "starts": arrays(row.starts for row in ordered),
                "ends": arrays(row.ends for row in ordered),
                "names": arrays(row.names for row in ordered),
                "flags": arrays(row.flags for row in ordered),
            },
        )


_used = (
    func.unnest(numbers("pages"), numbers("names"), numbers("kinds"), numbers("counts"))
    .table_valued("page", "name", "kind", "count")
    .render_derived("w")
)
_PUT_NAMES = insert_or_else(page_name).from_select(
    ["page", "name", "kind", "count"], select(_used.c.page, _used.c.name, _used.c.kind, _used.c["count"])
)
_PUT_NAMES = _PUT_NAMES.on_conflict_do_update(
    index_elements=["page", "name", "kind"], set_={"count": _PUT_NAMES.excluded["count"]}
)


def write_page_names(connection: Connection, counts: Mapping[tuple[int, int, int], int]) -> None:
    """How often each page uses each name, and as what; keys are page, name and kind."""
    ordered = sorted(counts)
    if ordered:
        columns = {"pages": 0, "names": 1, "kinds": 2}
        values = {column: [key[at] for key in ordered] for column, at in columns.items()}
        connection.execute(_PUT_NAMES, {**values, "counts": [counts[key] for key in ordered]})


_PUT_SECTIONS = insert(section_ref)


def _sections(page: int, uses: Iterable[_Use]) -> Rows:
    pairs = sorted({(use.name, use.section) for use in uses if use.name and use.section})
    return [{"page": page, "name": name, "section": section} for name, section in pairs]


def _taken(queue: Table) -> CTE:
    """Some pages that wait, which wait no more. What somebody else has taken is passed over."""
    waiting = (
        select(queue.c.page).order_by(queue.c.page).limit(value("most")).with_for_update(skip_locked=True)
    )
    return delete(queue).where(queue.c.page.in_(waiting)).returning(queue.c.page).cte("taken")


_newest = (revision.c.page == pages.c.id) & (revision.c.number == pages.c.revision)
_searchable, _fileable = _taken(unsearched), _taken(unfiled)
TAKE_UNSEARCHED = (
    select(pages.c.id, pages.c.volume, pages.c.key, pages.c.title, revision.c.text)
    .join(_searchable, _searchable.c.page == pages.c.id)
    .join(revision, _newest)
)
TAKE_UNFILED = (
    select(pages.c.id, pages.c.volume, pages.c.key, pages.c.title, revision.c.text)
    .join(_fileable, _fileable.c.page == pages.c.id)
    .join(revision, _newest)
)


def catch_up(connection: Connection, read: Callable[[str], PageText], most: int = 100) -> int:
    """Renews the search vectors of some pages that wait for it; how many those were. ``read`` says what stands in a
    text."""
    rows = connection.execute(TAKE_UNSEARCHED, {"most": most}).all()
    index_words(
        connection, [Page(PageHead(row.id, row.volume, row.key, row.title), row.text) for row in rows]
    )
    return len(rows) + _file_the_old(connection, read, most)


_TAKE_FILINGS = {
    table.name: delete(table).where(among(table.c.page, "pages")) for table in (filing, field, held, task)
}


def _file_the_old(connection: Connection, read: Callable[[str], PageText], most: int) -> int:
    """Files some pages anew that are there from before all was noted that pages hold."""
    rows = connection.execute(TAKE_UNFILED, {"most": most}).all()
    for table in _TAKE_FILINGS.values():
        connection.execute(table, {"pages": [row.id for row in rows]})
    _file(
        connection,
        [(PageHead(row.id, row.volume, row.key, row.title), read(row.text)) for row in rows],
    )
    return len(rows)
