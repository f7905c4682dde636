"""What is kept of references, where an act exchanges plain names: their ranges shift, and they name something else.

Nothing of such a page is read again, and no row of ``page_name`` is written where the name itself can be called
otherwise. The caller holds the write lock alone.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence

from sqlalchemy import Connection, delete, exists, func, select, text

from mokuji.core.base.edits import Shift
from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import INSERT
from mokuji.core.model.changes import PageChange
from mokuji.store.page_index import RefsRow, intern, write_page_names
from mokuji.store.snapshot import stored_key
from mokuji.store.statements import among, array, as_sent, numbers, value
from mokuji.store.tables import name as interned
from mokuji.store.tables import page_name, page_refs

MANY_USES = 50
"""Number of pages that use a name from which on its row is changed instead of theirs, where all of them change."""

_REFS = select(
    page_refs.c.page,
    as_sent(page_refs.c.starts),
    as_sent(page_refs.c.ends),
    as_sent(page_refs.c.names),
    as_sent(page_refs.c.flags),
).where(among(page_refs.c.page, "pages"))
_apart = func.unnest(numbers("elsewhere")).table_valued("page").render_derived("w")
_USES = (
    select(page_name.c.name, func.sum(page_name.c["count"]), func.count(page_name.c.page.distinct()))
    .where(among(page_name.c.name, "names"), ~exists().where(_apart.c.page == page_name.c.page))
    .group_by(page_name.c.name)
)
_TAKE_UNUSED = delete(interned).where(
    interned.c.home == value("home"),
    interned.c.key == value("key"),
    interned.c.absolute == value("absolute"),
    interned.c.vkey.is_not_distinct_from(value("vkey")),
    interned.c.tkey.is_not_distinct_from(value("tkey")),
    ~exists().where(page_name.c.name == interned.c.id),
)
# As text: a change of rows and what is noted of them in one go.
_RENAME_NAME = text(
    """WITH renamed AS (UPDATE name n SET key = :key, vkey = :vkey, tkey = :tkey, absolute = :absolute WHERE n.id = :id
        AND NOT EXISTS (SELECT 1 FROM name o WHERE o.home = n.home AND o.key = :key AND o.absolute = :absolute
            AND o.vkey IS NOT DISTINCT FROM CAST(:vkey AS text) COLLATE "C"
            AND o.tkey IS NOT DISTINCT FROM CAST(:tkey AS text) COLLATE "C")
        RETURNING n.id)
    INSERT INTO stale (name) SELECT id FROM renamed"""
)
# As text: a list of lists of different lengths is no array, so each comes as the words of one.
_SHIFT = text(
    """UPDATE page_refs r SET starts = CAST(w.starts AS int[]), ends = CAST(w.ends AS int[]),
        names = CASE w.names WHEN 'same' THEN r.names ELSE CAST(w.names AS bigint[]) END
    FROM unnest(CAST(:pages AS bigint[]), string_to_array(:starts, ';'), string_to_array(:ends, ';'),
        string_to_array(:names, ';')) AS w(page, starts, ends, names)
    WHERE r.page = w.page"""
)
_gone = func.unnest(numbers("pages"), numbers("names")).table_valued("page", "name").render_derived("w")
_TAKE_NAMES = delete(page_name).where(page_name.c.page == _gone.c.page, page_name.c.name == _gone.c.name)


class Exchanged:
    """The pages of an act in which plain names are exchanged.

    References with a section are never among them: ``following`` reads such pages again. ``elsewhere`` are
    pages of the same act that are indexed anew, after this.
    """

    def __init__(
        self, connection: Connection, changes: Sequence[PageChange], elsewhere: Collection[int]
    ) -> None:
        self._connection = connection
        self._elsewhere = elsewhere
        self._refs = _refs(connection, changes)
        self._changes: list[PageChange] = []
        self._starts: list[str] = []
        self._ends: list[str] = []
        self._become: dict[int, set[tuple[int, Name]]] = {}
        self._uses: Counter[int] = Counter()

    def passing(self, changes: Iterable[PageChange]) -> Iterator[PageChange]:
        """The changes of the whole act. Each of these pages is worked out once it was handed on: meanwhile the database
        writes what it was sent."""
        for change in changes:
            yield change
            if change.content is None and change.head.id in self._refs:
                self._work_out(change)

    def _work_out(self, change: PageChange) -> None:
        row, home, shift = self._refs[change.head.id], change.head.volume, Shift(change.edits)
        self._changes.append(change)
        self._starts.append(_written(shift.all(row.starts)))
        self._ends.append(_written(shift.all(row.ends)))
        for index, name in change.renamed.items():
            id_ = row.names[index]
            self._become.setdefault(id_, set()).add((home, name))
            self._uses[id_] += 1

    def write(self) -> None:
        """Writes what was worked out."""
        if not self._changes:
            return
        _rename_names(self._connection, self._become, self._uses, self._elsewhere)
        names_after = self._names_after()
        self._connection.execute(
            _SHIFT,
            {
                "pages": array(change.head.id for change in self._changes),
                "starts": ";".join(self._starts),
                "ends": ";".join(self._ends),
                "names": ";".join(_written(names) if names else "same" for names in names_after),
            },
        )
        self._write_uses(names_after)

    def _names_after(self) -> list[list[int] | None]:
        """What the references of each page name by number now; None where that is as it was."""
        wanted: dict[int, set[Name]] = {}
        for to in self._become.values():
            for home, name in to:
                wanted.setdefault(home, set()).add(name)
        known = {home: intern(self._connection, home, wanted[home]) for home in sorted(wanted)}
        found: list[list[int] | None] = []
        for change in self._changes:
            ids, names = known.get(change.head.volume, {}), self._refs[change.head.id].names
            other = {index: ids[name] for index, name in change.renamed.items() if names[index] != ids[name]}
            found.append([other.get(index, id_) for index, id_ in enumerate(names)] if other else None)
        return found

    def _write_uses(self, names_after: Sequence[list[int] | None]) -> None:
        """Writes how often the names are used now, of which there were more or fewer."""
        gone: list[tuple[int, int]] = []
        counts: Counter[tuple[int, int, int]] = Counter()
        for change, after in zip(self._changes, names_after, strict=True):
            if after is None:
                continue
            row = self._refs[change.head.id]
            touched = {
                id_ for pair in zip(row.names, after, strict=True) if pair[0] != pair[1] for id_ in pair
            }
            gone += [(row.page, id_) for id_ in sorted(touched)]
            counts.update(
                (row.page, id_, flag & INSERT)
                for id_, flag in zip(after, row.flags, strict=True)
                if id_ in touched
            )
        if gone:
            values = {"pages": [page for page, _ in gone], "names": [id_ for _, id_ in gone]}
            self._connection.execute(_TAKE_NAMES, values)
            write_page_names(self._connection, counts)


def _written(numbers: list[int]) -> str:
    """Numbers as PostgreSQL writes an array of them: by Python all at once, since there are many."""
    return f"{{{repr(numbers)[1:-1]}}}"


def _refs(connection: Connection, changes: Sequence[PageChange]) -> dict[int, RefsRow]:
    """What is kept of the references of pages, by page; asked for only where the plan has not read it."""
    found: dict[int, RefsRow] = {}
    missing: list[int] = []
    for change in changes:
        page = change.read
        if page is None:
            missing.append(change.head.id)
        else:
            found[page.head.id] = RefsRow(page.head.id, page.starts, page.ends, page.name_ids, page.flags)
    rows = connection.execute(_REFS, {"pages": missing}) if missing else ()
    return found | {row[0]: RefsRow(*row) for row in rows}


def _rename_names(
    connection: Connection,
    become: Mapping[int, Collection[tuple[int, Name]]],
    uses: Mapping[int, int],
    elsewhere: Collection[int],
) -> None:
    """Renames a name itself where many pages use it and every use of it becomes one and the same other name,
    which nobody uses yet: then ``page_name`` need not change. ``uses`` says how many become another."""
    alike = [id_ for id_, to in become.items() if len(to) == 1 and uses[id_] >= MANY_USES]
    if not alike:
        return
    used = connection.execute(_USES, {"names": alike, "elsewhere": elsewhere})
    fit = [id_ for id_, count, pages in used if count == uses[id_] and pages >= MANY_USES]
    for id_ in sorted(fit):
        ((home, name),) = become[id_]
        values = {
            "key": stored_key(name),
            "vkey": name.volume,
            "tkey": name.title,
            "absolute": name.absolute,
        }
        connection.execute(_TAKE_UNUSED, {**values, "home": home})
        connection.execute(_RENAME_NAME, {**values, "id": id_})
