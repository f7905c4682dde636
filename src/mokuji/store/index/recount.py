"""What upkeep knows, counted from scratch with the graph of the whole wiki.

Rows of a large wiki are not made objects of Python: the database sends pages,
names and who uses which as numbers in a few long values, arrays are made of
these, and only names that are not plainly a title of their volume are
resolved one by one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import (
    BigInteger,
    Boolean,
    ColumnElement,
    Connection,
    Integer,
    LargeBinary,
    and_,
    bindparam,
    cast,
    delete,
    func,
    literal_column,
    or_,
    outerjoin,
    select,
    text,
)
from sqlalchemy.sql.elements import SQLCoreOperations

from mokuji.core.model.graph import Bools, Graph, Ints, Meanings, ints, of_arrays
from mokuji.core.model.references import Resolver, lookups, volumes_by_id
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports import reach
from mokuji.store.index.led import COUNTED
from mokuji.store.index.upkeep_rows import keep_asked, keep_led, keep_orphans, keep_sizes, keep_unplaced
from mokuji.store.snapshot import StoredWiki, load_volumes, name_of
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import (
    asked,
    contents,
    led,
    name,
    orphan,
    page,
    page_name,
    unplaced,
    volume,
    volume_size,
)

# What is read here is read whole, and joined whole. With plans for any values the server may think that tables which
# were just filled hold little, and look up one row after the other; who folds has forbidden it to read whole tables.
# What is planned meanwhile is kept for later, so all is as before at once.
AS_THEY_ARE = text("SELECT current_setting('enable_nestloop'), current_setting('enable_seqscan')")
SET = text(
    "SELECT set_config('enable_nestloop', :nested, true), set_config('enable_seqscan', :sequential, true)"
)


def _packed(*columns: ColumnElement[int] | SQLCoreOperations[int]) -> ColumnElement[bytes]:
    """Numbers of all rows as one value, eight bytes each, the first byte the highest."""
    sent: ColumnElement[bytes] = func.int8send(columns[0], type_=LargeBinary())
    for column in columns[1:]:
        sent = sent.op("||", return_type=LargeBinary())(func.int8send(column, type_=LargeBinary()))
    return func.string_agg(sent, literal_column("''::bytea", LargeBinary()), type_=LargeBinary())


def _columns(packed: bytes | None, number: int) -> Ints:
    """The columns of what was packed, a row of the array each."""
    return np.frombuffer(packed or b"", dtype=">i8").astype(np.int64).reshape(-1, number).T


def _number(of: ColumnElement[bool]) -> ColumnElement[int]:
    return cast(of, Integer)


_places = select(contents.c.volume, contents.c.key).distinct().subquery()
PAGES = (
    select(
        _packed(
            page.c.id,
            cast(page.c.volume, BigInteger),
            _number(_places.c.key.is_not(None)),
            _number(func.coalesce(volume.c.front == page.c.key, literal_column("false", Boolean()))),
        )
    )
    .select_from(page)
    .join(volume, and_(volume.c.id == page.c.volume, volume.c.deleted_by.is_(None)))
    .outerjoin(_places, and_(_places.c.volume == page.c.volume, _places.c.key == page.c.key))
)
"""Of all pages: id, volume, whether they have a place in its contents, whether they are its front page."""
# A name without a volume before it that is a title where it is typed means that page, as a link and as an insert.
_plain = and_(name.c.vkey.is_(None), ~name.c.absolute)
_titled = and_(page.c.volume == name.c.home, page.c.key == name.c.key, _plain)
MEANINGS = select(
    _packed(name.c.id, func.coalesce(page.c.id, literal_column("-1", BigInteger())))
).select_from(outerjoin(name, page, _titled))
"""All names, and the pages that they plainly mean, -1 for those that do not."""
OTHER_NAMES = select(name.c.id, name.c.home, name.c.key, name.c.vkey, name.c.tkey, name.c.absolute).where(
    among(name.c.id, "ids")
)
# A use of a name is one number: its page, the name in as many bits as are asked for, and whether it is an insert.
_use = (
    page_name.c.page.op("<<")(bindparam("bits", type_=Integer))
    .op("|")(page_name.c.name.op("<<")(fixed(1)))
    .op("|")(page_name.c.kind)
)
# “+ 0”: most names are wanted, which a plan for any values does not know.
USES = select(_packed(_use)).where(page_name.c.name + fixed(0) <= value("last"))
LED = select(_packed(led.c.page, cast(led.c.home, BigInteger), cast(led.c.pages, BigInteger)))
UNPLACED = select(_packed(unplaced.c.page, _number(unplaced.c.reached)))
ORPHANS = select(orphan.c.page, orphan.c.homes)
# What stands with the key of a page goes when the page is called otherwise, or stands in another volume.
CLEAR_MOVED_ORPHANS = delete(orphan).where(
    page.c.id == orphan.c.page, or_(page.c.volume != orphan.c.volume, page.c.key != orphan.c.key)
)
CLEAR_MOVED_UNPLACED = delete(unplaced).where(
    page.c.id == unplaced.c.page, or_(page.c.volume != unplaced.c.volume, page.c.key != unplaced.c.key)
)
ASKED = select(asked.c.volume, asked.c.key, asked.c.home, asked.c.pages)
CLEAR_SIZES = delete(volume_size)


@dataclass(frozen=True)
class Linked:
    """The graph of the whole wiki; which of its pages have a place in the contents, and which are front pages."""

    graph: Graph
    placed: Bools
    fronts: Bools

    def out_of_reach(self, volumes: Mapping[str, Volume]) -> Ints:
        """The ids of the pages that are not come to from the front page or the contents of their volume."""
        closed = [each.id for each in volumes.values() if each.closed]
        return reach.out_of_reach(self.graph, self.graph.ids[self.placed | self.fronts], closed)


def load_graph(connection: Connection, volumes: Mapping[str, Volume]) -> Linked:
    """The graph of the whole wiki, of which these are all volumes."""
    nested, sequential = connection.execute(AS_THEY_ARE).one()
    connection.execute(SET, {"nested": "off", "sequential": "on"})
    pages = _columns(connection.execute(PAGES).scalar_one(), 4)
    ids, homes, placed, fronts = pages[:, np.argsort(pages[0])]
    names, leads = _columns(connection.execute(MEANINGS).scalar_one(), 2)
    last = int(names.max(initial=0))
    bits = last.bit_length() + 1
    (packed,) = _columns(connection.execute(USES, {"bits": bits, "last": last}).scalar_one(), 1)
    connection.execute(SET, {"nested": nested, "sequential": sequential})
    names, meanings, places = _meanings(StoredWiki(connection, every=volumes), names, leads)
    # Each statement sees a later moment: a name of which nothing is known yet came in between, and is stale.
    wanted = packed & ((1 << bits) - 1)
    used = np.minimum(np.searchsorted(names, wanted), max(0, len(names) - 1))
    known = names[used] == wanted if len(names) else np.zeros(len(used), dtype=bool)
    return Linked(
        of_arrays(ids, homes, meanings, packed[known] >> bits, used[known], places),
        placed.astype(np.bool_),
        fronts.astype(np.bool_),
    )


def _meanings(wiki: StoredWiki, names: Ints, leads: Ints) -> tuple[Ints, Ints, Sequence[Place]]:
    """What all names mean, of those that ``leads`` says nothing of too: twice their ids and one more as an insert,
    rising, and what each of these leads to; with the places that are meant."""
    plain = leads >= 0
    other = names[~plain].tolist()
    homes = volumes_by_id(wiki)
    typed = [
        (id_, home, name_of(key, vkey, tkey, absolute))
        for id_, home, key, vkey, tkey, absolute in (
            wiki.connection.execute(OTHER_NAMES, {"ids": other}) if other else ()
        )
        if home in homes
    ]
    places = {
        place for _, home, each in typed for place in lookups(each, homes[home], wiki.volumes, insert=True)
    }
    known = Meanings(Resolver(wiki.volumes, *wiki.titles_and_aliases(places)), wiki.volumes)
    twice = [
        (id_ * 2 + int(insert), known.of(home, each, insert=insert))
        for id_, home, each in typed
        for insert in (False, True)
    ]
    kinds = np.concatenate((names[plain] * 2, names[plain] * 2 + 1, ints(each for each, _ in twice)))
    meanings = np.concatenate((leads[plain], leads[plain], ints(to for _, to in twice)))
    order = np.argsort(kinds)
    return kinds[order], meanings[order], known.places


def recount(connection: Connection) -> None:
    """Counts everything anew, and writes what differs from what was known: after most acts that is little."""
    volumes = load_volumes(connection)
    linked = load_graph(connection, volumes)
    graph = linked.graph
    connection.execute(CLEAR_SIZES)
    keep_sizes(connection, [each.id for each in volumes.values()])
    _keep_led(connection, graph)
    _keep_orphans(connection, graph, volumes)
    _keep_asked(connection, graph)
    reached = ~np.isin(graph.ids, linked.out_of_reach(volumes))
    connection.execute(CLEAR_MOVED_UNPLACED)
    known = _columns(connection.execute(UNPLACED).scalar_one(), 2)
    touched, rows = _differing(known, np.stack((graph.ids, reached.astype(np.int64)))[:, ~linked.placed])
    keep_unplaced(connection, touched, {id_: bool(each) for id_, each in rows})


def _keep_led(connection: Connection, graph: Graph) -> None:
    targets, homes, numbers = graph.led_to_by_home()
    known = _columns(connection.execute(LED).scalar_one(), 3)
    counted = np.stack((graph.ids[targets], homes, np.minimum(numbers, COUNTED)))
    keep_led(connection, *_differing(known, counted))


def _keep_orphans(connection: Connection, graph: Graph, volumes: Mapping[str, Volume]) -> None:
    """Those that neither their own volume nor an open one leads to."""
    open_ = [each.id for each in volumes.values() if not each.closed]
    targets, homes, _ = graph.led_to_by_home()
    alone = np.ones(len(graph.ids), dtype=bool)
    alone[targets[(graph.homes[targets] == homes) | np.isin(homes, open_)]] = False
    counted: dict[int, list[int]] = {id_: [] for id_ in graph.ids[alone].tolist()}
    hidden = alone[targets]
    for id_, home in zip(graph.ids[targets[hidden]].tolist(), homes[hidden].tolist(), strict=True):
        counted[id_].append(home)
    connection.execute(CLEAR_MOVED_ORPHANS)
    known = {id_: list(homes) for id_, homes in connection.execute(ORPHANS)}
    touched = {id_ for id_ in known.keys() | counted.keys() if known.get(id_) != counted.get(id_)}
    keep_orphans(connection, touched, {id_: counted[id_] for id_ in touched if id_ in counted})


def _keep_asked(connection: Connection, graph: Graph) -> None:
    wanted, homes, numbers = (each.tolist() for each in graph.asked_by_home())
    counted = {
        (*graph.places[place], home, number)
        for place, home, number in zip(wanted, homes, numbers, strict=True)
    }
    known = {(volume, key, home, pages) for volume, key, home, pages in connection.execute(ASKED)}
    touched = {(volume, key) for volume, key, _, _ in known ^ counted}
    keep_asked(connection, touched, [row for row in counted if row[:2] in touched])


def _differing(known: Ints, counted: Ints) -> tuple[list[int], list[list[int]]]:
    """Of rows that begin with the id of a page: the pages whose rows are not those that are known, and their rows."""
    rows = np.concatenate((known, counted), axis=1)
    rows = rows[:, np.lexsort(rows)]
    twice = np.zeros(rows.shape[1], dtype=bool)
    twice[1:] = np.all(rows[:, 1:] == rows[:, :-1], axis=0)
    twice[:-1] |= twice[1:]
    touched = np.unique(rows[0, ~twice])
    return touched.tolist(), counted[:, np.isin(counted[0], touched)].T.tolist()
