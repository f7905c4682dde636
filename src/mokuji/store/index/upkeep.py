"""What upkeep knows of reach and of unwritten names, kept in step with every write without a full pass.

Triggers write into ``stale`` which names and places a write touched. ``fold``
looks at just these again; it runs before the numbers are shown, under a lock
of its own. ``recount`` does the same from scratch with the graph of the whole
wiki; both give the same rows (a property test holds them to it).

What a page of a closed volume does must not show to those who cannot read it,
so rows keep *from which volumes* something is led to or asked for.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from sqlalchemy import Connection, and_, delete, func, select, update

from mokuji.core.language.page import PageHead
from mokuji.core.model.references import lookups, unwritten_place, volumes_by_id
from mokuji.core.model.wiki import Place
from mokuji.store.index import led, name_uses
from mokuji.store.index.recount import load_graph, recount
from mokuji.store.index.upkeep_rows import keep_asked, keep_led, keep_orphans, keep_sizes, keep_unplaced
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.snapshot import StoredWiki, name_of
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import (
    contents,
    name,
    page,
    page_name,
    stale,
    unplaced,
    volume,
)

FOLD_LOCK = 0x4D4F4B02
"""The advisory lock under which one process at a time looks at what is stale."""
MOST_STALE = 20_000
"""With more stale rows than this the whole is counted anew: that is quicker."""
MOST_WALKED = 5_000
"""Number of pages that are walked back from those without a place before the whole graph is walked instead."""

IS_STALE = select(select(fixed(1)).select_from(stale).exists())
TRY_LOCK = select(func.pg_try_advisory_xact_lock(value("lock")))
TAKE_STALE = delete(stale).returning(stale.c.name, stale.c.volume, stale.c.key)
NAMES = select(name.c.home, name.c.key, name.c.vkey, name.c.tkey, name.c.absolute).where(
    among(name.c.id, "ids")
)


def is_stale(connection: Connection) -> bool:
    """Whether anything is to be looked at again."""
    return connection.execute(IS_STALE).scalar_one()


def fold(connection: Connection) -> None:
    """Looks at all that is stale again. Leaves it to whoever is at it already, if somebody is."""
    if not connection.execute(TRY_LOCK, {"lock": FOLD_LOCK}).scalar_one():
        return
    rows = connection.execute(TAKE_STALE).all()
    if not rows:
        return
    whole = any(row.name is None and row.key is None for row in rows)
    if whole or len(rows) > MOST_STALE:
        recount(connection)
        return
    wiki = StoredWiki(connection)
    touched = {row.volume for row in rows if row.key is not None}
    keep_sizes(connection, [volume.id for volume in wiki.volumes.values() if volume.id in touched])
    places = {(row.volume, row.key) for row in rows if row.key is not None}
    ids = {row.name for row in rows if row.name is not None}
    # What a name leads to by one place it no longer leads to by another: [[A/B]] may mean both.
    ids |= wiki.meaning(sorted(places)).keys() if places else set()
    places |= _places_of(wiki, ids)
    _look_at(wiki, sorted(places))


def _places_of(wiki: StoredWiki, ids: Collection[int]) -> set[Place]:
    """All places that names could mean: at one of them something came or went."""
    homes = volumes_by_id(wiki)
    found: set[Place] = set()
    for home, key, vkey, tkey, absolute in (
        wiki.connection.execute(NAMES, {"ids": sorted(ids)}) if ids else ()
    ):
        if home in homes:
            typed = name_of(key, vkey, tkey, absolute)
            found.update(lookups(typed, homes[home], wiki.volumes, insert=True))
            found.add(unwritten_place(typed, homes[home], wiki.volumes))
    return found


def _look_at(wiki: StoredWiki, places: Sequence[Place]) -> None:
    titles = wiki.titles(places)
    holders = wiki.aliases(places)
    pages = {
        head.id: head for head in (*titles.values(), *(h for holder in holders.values() for h in holder))
    }
    there = [head for head in pages.values() if head.volume in {v.id for v in wiki.volumes.values()}]
    _led(wiki, there)
    _asked(wiki, places)
    _unplaced(wiki, titles)


# ---- what leads to pages, and orphans ---------------------------------------------


def _led(wiki: StoredWiki, heads: Sequence[PageHead]) -> None:
    if not heads:
        return
    pages = [head.id for head in heads]
    counts = led.count(wiki, heads)
    rows = [(id_, home, number) for id_, homes in counts.items() for home, number in homes.items()]
    keep_led(wiki.connection, pages, rows)
    open_ = {volume.id for volume in wiki.volumes.values() if not volume.closed}
    orphans = {
        head.id: counts[head.id]
        for head in heads
        if not any(home == head.volume or home in open_ for home in counts[head.id])
    }
    keep_orphans(wiki.connection, pages, orphans)


# ---- unwritten names -------------------------------------------------------------

_asking = (
    func.unnest(numbers("volumes"), texts("keys"), numbers("homes"), numbers("names"), numbers("kinds"))
    .table_valued("volume", "key", "home", "name", "kind")
    .render_derived("w")
)
_place = (_asking.c.volume, _asking.c.key, _asking.c.home)
ASKING = (
    select(*_place, func.count(page_name.c.page.distinct()))
    .join(page_name, and_(page_name.c.name == _asking.c.name, page_name.c.kind == _asking.c.kind))
    .group_by(*_place)
)


def _asked(wiki: StoredWiki, places: Sequence[Place]) -> None:
    wanted = set(places)
    uses = [
        (resolution.place, use)
        for use, resolution in name_uses.resolved(wiki, places)
        if not resolution.written and resolution.place in wanted
    ]
    values = {
        "volumes": [place[0] for place, _ in uses],
        "keys": [place[1] for place, _ in uses],
        "homes": [use.home for _, use in uses],
        "names": [use.name for _, use in uses],
        "kinds": [use.kind for _, use in uses],
    }
    rows = wiki.connection.execute(ASKING, values).all() if uses else []
    keep_asked(wiki.connection, places, [(volume, key, home, pages) for volume, key, home, pages in rows])


# ---- what is out of reach ----------------------------------------------------------

_in_contents = select(fixed(1)).where(contents.c.volume == page.c.volume, contents.c.key == page.c.key)
PLACED = select(page.c.id).where(among(page.c.id, "pages"), _in_contents.exists())
FRONTS = select(volume.c.id, volume.c.front).where(volume.c.front.is_not(None), volume.c.deleted_by.is_(None))
UNPLACED = select(*HEAD_COLUMNS).join(unplaced, unplaced.c.page == page.c.id).order_by(page.c.id)
_is_reached_now = among(unplaced.c.page, "pages")
REACHED = update(unplaced).where(unplaced.c.reached != _is_reached_now).values(reached=_is_reached_now)
_walked = (
    func.unnest(numbers("targets"), numbers("names"), numbers("kinds"))
    .table_valued("target", "name", "kind")
    .render_derived("w")
)
_naming = (
    select(page_name.c.page)
    .where(page_name.c.name == _walked.c.name, page_name.c.kind == _walked.c.kind)
    .lateral("x")
)
LEADING_PAGES = (
    select(_walked.c.target, _in_contents.offset(fixed(0)).exists(), *HEAD_COLUMNS)
    .select_from(_walked, _naming)
    .where(page.c.id == _naming.c.page)
)


def _unplaced(wiki: StoredWiki, titles: Mapping[Place, PageHead]) -> None:
    """Notes which of the pages at the places in hand have no place, and looks again which of all such are reached."""
    connection = wiki.connection
    heads = list(titles.values())
    if heads:
        ids = [head.id for head in heads]
        placed = set(connection.execute(PLACED, {"pages": ids}).scalars())
        keep_unplaced(connection, ids, {id_: False for id_ in ids if id_ not in placed})
    waiting = [PageHead(*row) for row in connection.execute(UNPLACED)]
    if not waiting:
        return
    reached = _reached_by_walking_back(wiki, waiting)
    if reached is None:
        linked = load_graph(connection, wiki.volumes)
        reached = {head.id for head in waiting} - set(linked.out_of_reach(wiki.volumes).tolist())
    connection.execute(REACHED, {"pages": sorted(reached)})


def _reached_by_walking_back(wiki: StoredWiki, waiting: Sequence[PageHead]) -> set[int] | None:
    """Which of some pages are reached from the front page or contents of their volume, walking back from each;
    None if that walks too far."""
    closed = {volume.id for volume in wiki.volumes.values() if volume.closed}
    front_pages = {id_: key for id_, key in wiki.connection.execute(FRONTS) if key is not None}
    before: dict[int, list[PageHead]] = {}
    placed: set[int] = set()
    front = list(waiting)
    while front:
        if len(before) + len(front) > MOST_WALKED:
            return None
        uses = [(target, use) for target, each in name_uses.leading_to(wiki, front).items() for use in each]
        values = {
            "targets": [target for target, _ in uses],
            "names": [use.name for _, use in uses],
            "kinds": [use.kind for _, use in uses],
        }
        before.update({head.id: [] for head in front})
        found: dict[int, PageHead] = {}
        for target, is_placed, *columns in wiki.connection.execute(LEADING_PAGES, values) if uses else ():
            head = PageHead(*columns)
            before[target].append(head)
            found[head.id] = head
            if is_placed:
                placed.add(head.id)
        # A page that has a place in its volume need not be walked back from for the sake of that volume; for
        # others it must be.
        front = [head for id_, head in found.items() if id_ not in before]
        if all(any(h.volume == page.volume and h.id in placed for h in before[page.id]) for page in waiting):
            break
    return {page.id for page in waiting if _is_reached(page, before, placed, front_pages, closed)}


def _is_reached(
    page: PageHead,
    before: Mapping[int, Sequence[PageHead]],
    placed: Collection[int],
    front_pages: Mapping[int, str],
    closed: Collection[int],
) -> bool:
    seen = {page.id}
    stack = [page]
    while stack:
        here = stack.pop()
        if here.volume == page.volume and (here.id in placed or front_pages.get(page.volume) == here.key):
            return True
        for head in before.get(here.id, ()):
            # A page of another volume that is closed is not gone through: not every reader can.
            if head.id not in seen and (head.volume == page.volume or head.volume not in closed):
                seen.add(head.id)
                stack.append(head)
    return False
