"""What upkeep knows of reach and of unwritten names, kept in step with every write without a full pass.

Triggers write into ``stale`` which names and places a write touched. ``fold``
looks at just these again; it runs before the numbers are shown, under a lock
of its own. ``recount`` does the same from scratch with the graph of the whole
wiki; both give the same rows (a property test holds them to it).

What a page of a closed volume does must not show to those who cannot read it,
so rows keep *from which volumes* something is led to or asked for.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from sqlalchemy import Connection, text

from mokuji.core.language.page import PageHead
from mokuji.core.model import graph
from mokuji.core.model.graph import Graph, NameUse
from mokuji.core.model.references import lookups, unwritten_place, volumes_by_id
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports import reach
from mokuji.store.index import name_uses
from mokuji.store.snapshot import StoredWiki, load_volumes, name_of

FOLD_LOCK = 0x4D4F4B02
"""The advisory lock under which one process at a time looks at what is stale."""
MOST_STALE = 20_000
"""With more stale rows than this the whole is counted anew: that is quicker."""
MOST_WALKED = 5_000
"""Number of pages that are walked back from those without a place before the whole graph is walked instead."""

IS_STALE = text("SELECT EXISTS (SELECT 1 FROM stale)")
TAKE_STALE = text("DELETE FROM stale RETURNING name, volume, key")
NAMES = text("SELECT id, home, key, vkey, tkey, absolute FROM name WHERE id = ANY(:ids)")


def is_stale(connection: Connection) -> bool:
    """Whether anything is to be looked at again."""
    return bool(connection.execute(IS_STALE).scalar_one())


def fold(connection: Connection) -> None:
    """Looks at all that is stale again. Leaves it to whoever is at it already, if somebody is."""
    free = connection.execute(text("SELECT pg_try_advisory_xact_lock(:key)"), {"key": FOLD_LOCK}).scalar_one()
    if not free:
        return
    rows = connection.execute(TAKE_STALE).all()
    if not rows:
        return
    whole = any(row.name is None and row.key is None for row in rows)
    if whole or len(rows) > MOST_STALE:
        recount(connection)
        return
    wiki = StoredWiki(connection)
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
    for row in wiki.connection.execute(NAMES, {"ids": sorted(ids)}) if ids else ():
        if row.home in homes:
            name = name_of(row.key, row.vkey, row.tkey, row.absolute)
            found.update(lookups(name, homes[row.home], wiki.volumes, insert=True))
            found.add(unwritten_place(name, homes[row.home], wiki.volumes))
    return found


def _look_at(wiki: StoredWiki, places: Sequence[Place]) -> None:
    titles = wiki.titles(places)
    holders = wiki.aliases(places)
    pages = {
        head.id: head for head in (*titles.values(), *(h for holder in holders.values() for h in holder))
    }
    there = [head for head in pages.values() if head.volume in {v.id for v in wiki.volumes.values()}]
    _orphans(wiki, there)
    _asked(wiki, places)
    _unplaced(wiki, titles)


# ---- orphans -------------------------------------------------------------------

LED_FROM = text(
    """SELECT w.target, w.home FROM unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[]),
        CAST(:kinds AS smallint[]), CAST(:homes AS int[])) AS w(target, name, kind, home)
    WHERE EXISTS (SELECT 1 FROM page_name pn
        WHERE pn.name = w.name AND pn.kind = w.kind AND pn.page <> w.target OFFSET 0)"""
)
PUT_ORPHANS = text(
    """INSERT INTO orphan (page, volume, key, homes)
    SELECT w.page, w.volume, w.key, CAST(w.homes AS int[])
    FROM unnest(CAST(:pages AS bigint[]), CAST(:volumes AS int[]), CAST(:keys AS text[]), CAST(:homes AS text[]))
        AS w(page, volume, key, homes)"""
)


def _led_from(wiki: StoredWiki, heads: Sequence[PageHead]) -> dict[int, set[int]]:
    """From which volumes other pages lead to each page."""
    found: dict[int, set[int]] = {head.id: set() for head in heads}
    uses = [(target, use) for target, each in name_uses.leading_to(wiki, heads).items() for use in each]
    if uses:
        values = {
            "targets": [target for target, _ in uses],
            "names": [use.name for _, use in uses],
            "kinds": [use.kind for _, use in uses],
            "homes": [use.home for _, use in uses],
        }
        for row in wiki.connection.execute(LED_FROM, values):
            found[row.target].add(row.home)
    return found


def _orphans(wiki: StoredWiki, heads: Sequence[PageHead]) -> None:
    if not heads:
        return
    wiki.connection.execute(
        text("DELETE FROM orphan WHERE page = ANY(:pages)"), {"pages": [head.id for head in heads]}
    )
    _put_orphans(wiki.connection, wiki.volumes, heads, _led_from(wiki, heads))


def _put_orphans(
    connection: Connection,
    volumes: Mapping[str, Volume],
    heads: Iterable[PageHead],
    led_from: Mapping[int, Collection[int]],
) -> None:
    open_ = {volume.id for volume in volumes.values() if not volume.closed}
    rows = [
        (head, sorted(led_from[head.id]))
        for head in heads
        if not any(home == head.volume or home in open_ for home in led_from[head.id])
    ]
    if rows:
        connection.execute(
            PUT_ORPHANS,
            {
                "pages": [head.id for head, _ in rows],
                "volumes": [head.volume for head, _ in rows],
                "keys": [head.key for head, _ in rows],
                "homes": ["{" + ",".join(map(str, homes)) + "}" for _, homes in rows],
            },
        )


# ---- unwritten names -------------------------------------------------------------

ASKING = text(
    """SELECT w.volume, w.key, w.home, count(DISTINCT pn.page) AS pages
    FROM unnest(CAST(:volumes AS int[]), CAST(:keys AS text[]), CAST(:homes AS int[]), CAST(:names AS bigint[]),
        CAST(:kinds AS smallint[])) AS w(volume, key, home, name, kind)
    JOIN page_name pn ON pn.name = w.name AND pn.kind = w.kind GROUP BY w.volume, w.key, w.home"""
)
PUT_ASKED = text(
    """INSERT INTO asked (volume, key, home, pages) SELECT * FROM unnest(CAST(:volumes AS int[]),
        CAST(:keys AS text[]), CAST(:homes AS int[]), CAST(:pages AS int[]))"""
)


def _asked(wiki: StoredWiki, places: Sequence[Place]) -> None:
    wiki.connection.execute(
        text(
            """DELETE FROM asked a USING unnest(CAST(:volumes AS int[]), CAST(:keys AS text[])) AS w(volume, key)
            WHERE a.volume = w.volume AND a.key = w.key COLLATE "C" """
        ),
        {"volumes": [volume for volume, _ in places], "keys": [key for _, key in places]},
    )
    wanted = set(places)
    uses = [
        (resolution.place, use)
        for use, resolution in name_uses.resolved(wiki, places)
        if not resolution.written and resolution.place in wanted
    ]
    if not uses:
        return
    rows = wiki.connection.execute(
        ASKING,
        {
            "volumes": [place[0] for place, _ in uses],
            "keys": [place[1] for place, _ in uses],
            "homes": [use.home for _, use in uses],
            "names": [use.name for _, use in uses],
            "kinds": [use.kind for _, use in uses],
        },
    )
    _put_asked(wiki.connection, [((row.volume, row.key), row.home, row.pages) for row in rows])


def _put_asked(connection: Connection, rows: Sequence[tuple[Place, int, int]]) -> None:
    if rows:
        connection.execute(
            PUT_ASKED,
            {
                "volumes": [place[0] for place, _, _ in rows],
                "keys": [place[1] for place, _, _ in rows],
                "homes": [home for _, home, _ in rows],
                "pages": [pages for _, _, pages in rows],
            },
        )


# ---- what is out of reach ----------------------------------------------------------

PLACED = text(
    """SELECT p.id FROM page p JOIN contents c ON c.volume = p.volume AND c.key = p.key COLLATE "C"
    WHERE p.id = ANY(:pages)"""
)
UNPLACED = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision FROM unplaced u JOIN page p ON p.id = u.page
    ORDER BY p.id"""
)
LEADING_PAGES = text(
    """SELECT w.target, p.id, p.volume, p.key, p.title, p.revision,
        EXISTS (SELECT 1 FROM contents c WHERE c.volume = p.volume AND c.key = p.key OFFSET 0) AS placed
    FROM unnest(CAST(:targets AS bigint[]), CAST(:names AS bigint[]), CAST(:kinds AS smallint[]))
        AS w(target, name, kind),
    LATERAL (SELECT pn.page FROM page_name pn WHERE pn.name = w.name AND pn.kind = w.kind) x
    JOIN page p ON p.id = x.page"""
)


def _unplaced(wiki: StoredWiki, titles: Mapping[Place, PageHead]) -> None:
    """Notes which of the pages at the places in hand have no place, and looks again which of all such are reached."""
    connection = wiki.connection
    heads = list(titles.values())
    if heads:
        ids = [head.id for head in heads]
        placed = set(connection.execute(PLACED, {"pages": ids}).scalars())
        connection.execute(text("DELETE FROM unplaced WHERE page = ANY(:pages)"), {"pages": ids})
        _put_unplaced(connection, [(head, False) for head in heads if head.id not in placed])
    waiting = [PageHead(*row) for row in connection.execute(UNPLACED)]
    if not waiting:
        return
    reached = _reached_by_walking_back(wiki, waiting)
    if reached is None:
        linked = load_graph(connection)
        reached = {head.id for head in waiting} - _out_of_reach(connection, linked, wiki.volumes)
    connection.execute(
        text("UPDATE unplaced SET reached = (page = ANY(:pages)) WHERE reached <> (page = ANY(:pages))"),
        {"pages": sorted(reached)},
    )


def _put_unplaced(connection: Connection, rows: Sequence[tuple[PageHead, bool]]) -> None:
    if rows:
        connection.execute(
            text("INSERT INTO unplaced (page, volume, key, reached) VALUES (:page, :volume, :key, :reached)"),
            [{"page": h.id, "volume": h.volume, "key": h.key, "reached": reached} for h, reached in rows],
        )


def _fronts(connection: Connection) -> dict[int, str]:
    rows = connection.execute(
        text("SELECT id, front FROM volume WHERE front IS NOT NULL AND deleted_by IS NULL")
    )
    return {row.id: row.front for row in rows}


def _reached_by_walking_back(wiki: StoredWiki, waiting: Sequence[PageHead]) -> set[int] | None:
    """Which of some pages are reached from the front page or contents of their volume, walking back from each;
    None if that walks too far."""
    closed = {volume.id for volume in wiki.volumes.values() if volume.closed}
    fronts = _fronts(wiki.connection)
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
        for row in wiki.connection.execute(LEADING_PAGES, values) if uses else ():
            head = PageHead(*row[1:6])
            before[row.target].append(head)
            found[head.id] = head
            if row.placed:
                placed.add(head.id)
        # A page that has a place in its volume need not be walked back from for the sake of that volume; for
        # others it must be.
        front = [head for id_, head in found.items() if id_ not in before]
        if all(any(h.volume == page.volume and h.id in placed for h in before[page.id]) for page in waiting):
            break
    return {page.id for page in waiting if _is_reached(page, before, placed, fronts, closed)}


def _is_reached(
    page: PageHead,
    before: Mapping[int, Sequence[PageHead]],
    placed: Collection[int],
    fronts: Mapping[int, str],
    closed: Collection[int],
) -> bool:
    seen = {page.id}
    stack = [page]
    while stack:
        here = stack.pop()
        if here.volume == page.volume and (here.id in placed or fronts.get(page.volume) == here.key):
            return True
        for head in before.get(here.id, ()):
            # A page of another volume that is closed is not gone through: not every reader can.
            if head.id not in seen and (head.volume == page.volume or head.volume not in closed):
                seen.add(head.id)
                stack.append(head)
    return False


def _out_of_reach(connection: Connection, linked: Graph, volumes: Mapping[str, Volume]) -> set[int]:
    rows = connection.execute(text("SELECT volume, key FROM contents"))
    placed = {(row.volume, row.key) for row in rows}
    closed = [volume.id for volume in volumes.values() if volume.closed]
    return {head.id for head in reach.out_of_reach(linked, placed, _fronts(connection), closed)}


# ---- from scratch ----------------------------------------------------------------

EDGES = text(
    """SELECT n.id, n.home, n.key, n.vkey, n.tkey, n.absolute, e.kind, e.pages
    FROM (SELECT name, kind, array_agg(page) AS pages FROM page_name GROUP BY name, kind) e
    JOIN name n ON n.id = e.name"""
)


def load_graph(connection: Connection) -> Graph:
    """The graph of the whole wiki."""
    volumes = load_volumes(connection)
    there = {volume.id for volume in volumes.values()}
    rows = connection.execute(text("SELECT id, volume, key, title, revision FROM page"))
    heads = [PageHead(*row) for row in rows if row.volume in there]
    known = {head.id for head in heads}
    aliases = [
        (row.page, row.key)
        for row in connection.execute(text("SELECT page, key FROM alias"))
        if row.page in known
    ]
    uses = [
        NameUse(row.home, name_of(row.key, row.vkey, row.tkey, row.absolute), row.kind == 1, row.pages)
        for row in connection.execute(EDGES)
        if row.home in there
    ]
    return graph.build(volumes, heads, aliases, uses)


def recount(connection: Connection) -> None:
    """Counts everything anew. Seconds for 100,000 pages."""
    volumes = load_volumes(connection)
    linked = load_graph(connection)
    for table in ("orphan", "asked", "unplaced"):
        connection.execute(text(f"DELETE FROM {table}"))  # noqa: S608
    home_of = np.array([head.volume for head in linked.heads], dtype=np.int64)
    led_from: dict[int, set[int]] = {head.id: set() for head in linked.heads}
    if linked.sources.size:
        pairs = np.unique(np.stack([linked.targets, home_of[linked.sources]]), axis=1)
        for target, home in pairs.T.tolist():
            led_from[linked.heads[target].id].add(home)
    _put_orphans(connection, volumes, linked.heads, led_from)
    homes = {head.id: head.volume for head in linked.heads}
    rows: list[tuple[Place, int, int]] = []
    for place, pages in linked.asked.items():
        numbers: dict[int, int] = {}
        for page in pages:
            numbers[homes[page]] = numbers.get(homes[page], 0) + 1
        rows += [(place, home, number) for home, number in numbers.items()]
    _put_asked(connection, rows)
    away = _out_of_reach(connection, linked, volumes)
    without = connection.execute(
        text(
            """SELECT p.id, p.volume, p.key, p.title, p.revision FROM page p WHERE NOT EXISTS
            (SELECT 1 FROM contents c WHERE c.volume = p.volume AND c.key = p.key COLLATE "C")"""
        )
    )
    _put_unplaced(connection, [(PageHead(*row), row.id not in away) for row in without])


# ---- what is shown -----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Counts:
    """How much there is to mend in a volume, for one who may read some volumes."""

    orphans: int = 0
    out_of_reach: int = 0
    unwritten: int = 0

    @property
    def whole(self) -> int:
        """All together."""
        return self.orphans + self.out_of_reach + self.unwritten


WANTED = """(SELECT key, pages FROM asked WHERE volume = :volume AND home = ANY(:visible)
    UNION ALL SELECT '/' || key, pages FROM asked WHERE volume = 0 AND home = :volume
    UNION ALL SELECT n.key, count(DISTINCT pn.page)::int
        FROM (SELECT key FROM volume WHERE deleted_by IS NULL AND id <> ALL(:visible) OFFSET 0) v,
        LATERAL (SELECT id, key, absolute FROM name WHERE vkey = v.key COLLATE "C" AND home = :volume OFFSET 0) n,
        LATERAL (SELECT page FROM page_name WHERE name = n.id OFFSET 0) pn
        WHERE n.absolute OR NOT (
            EXISTS (SELECT 1 FROM page p WHERE p.volume = :volume AND p.key = n.key COLLATE "C" OFFSET 0)
            OR EXISTS (SELECT 1 FROM alias a WHERE a.volume = :volume AND a.key = n.key COLLATE "C" OFFSET 0))
        GROUP BY n.key)"""
# What is asked for in a volume (key, pages); in one that is not there, by the pages of this one; and in those closed to
# the reader, to whom they must look as if they were not there.
ASIDE = """NOT EXISTS (SELECT 1 FROM put_aside a
    WHERE a.volume = :volume AND a.report = '{}' AND a.what = {} COLLATE "C")"""
# What nobody put aside, by what names a finding of the report.
COUNTS = text(
    f"""SELECT
        (SELECT count(*) FROM orphan o WHERE o.volume = :volume AND NOT o.homes && CAST(:visible AS int[])
            AND {ASIDE.format("orphans", "CAST(o.page AS text)")}) AS orphans,
        (SELECT count(*) FROM unplaced u WHERE u.volume = :volume AND NOT u.reached
            AND {ASIDE.format("out-of-reach", "CAST(u.page AS text)")}) AS out_of_reach,
        (SELECT count(DISTINCT w.key) FROM {WANTED} w WHERE {ASIDE.format("unwritten", "w.key")}) AS unwritten"""  # noqa: S608
)
ORPHANS = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision FROM orphan o JOIN page p ON p.id = o.page
    WHERE o.volume = :volume AND NOT o.homes && CAST(:visible AS int[]) AND o.key > :after COLLATE "C"
    ORDER BY o.key LIMIT :most"""
)
OUT_OF_REACH = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision FROM unplaced u JOIN page p ON p.id = u.page
    WHERE u.volume = :volume AND NOT u.reached AND u.key > :after COLLATE "C" ORDER BY u.key LIMIT :most"""
)
ASKED = text(
    f"""SELECT key, sum(pages)::int AS pages FROM {WANTED} w GROUP BY key
    HAVING (-sum(pages)::int, key) > (CAST(:asked AS int), CAST(:after AS text) COLLATE "C")
    ORDER BY -sum(pages)::int, key LIMIT :most"""  # noqa: S608
)


def counts(connection: Connection, volume: int, visible: Collection[int]) -> Counts:
    """The numbers of a volume, as they were when it was last looked at."""
    return Counts(*connection.execute(COUNTS, {"volume": volume, "visible": list(visible)}).one())


def orphans(
    connection: Connection, volume: int, visible: Collection[int], *, after: str = "", most: int = 200
) -> list[PageHead]:
    """Pages to which no page leads that the reader may read, by key."""
    values = {"volume": volume, "visible": list(visible), "after": after, "most": most}
    return [PageHead(*row) for row in connection.execute(ORPHANS, values)]


def out_of_reach(connection: Connection, volume: int, *, after: str = "", most: int = 200) -> list[PageHead]:
    """Pages that are not come to from the front page or the contents, by key."""
    rows = connection.execute(OUT_OF_REACH, {"volume": volume, "after": after, "most": most})
    return [PageHead(*row) for row in rows]


def unwritten(
    connection: Connection,
    volume: int,
    visible: Collection[int],
    *,
    after: tuple[int, str] | None = None,
    most: int = 200,
) -> list[tuple[str, int]]:
    """Keys of names without a page with how many pages ask for them, those most asked for first; ``after`` is the last
    one of the page before (number and key). Keys in a volume that is not there begin with “/”."""
    number, key = after or (2**30, "")
    values = {"volume": volume, "visible": list(visible), "asked": -number, "after": key, "most": most}
    return [(row.key, row.pages) for row in connection.execute(ASKED, values)]


# ---- what reports that read texts ask ------------------------------------------------

WITH_SECTIONS = """EXISTS (SELECT 1 FROM page_refs x, unnest(x.flags) AS f(flag)
    WHERE x.page = p.id AND f.flag & 4 <> 0)"""
WITH_LINKS = """EXISTS (SELECT 1 FROM revision r WHERE r.page = p.id AND r.number = p.revision
    AND (r.text LIKE ANY(:origins) OR r.text LIKE '%](/%' OR r.text LIKE '%](</%'))"""

WITH_DESTINATIONS = "EXISTS (SELECT 1 FROM held h WHERE h.page = p.id AND h.kind = 0)"
WITH_INSERTS = "EXISTS (SELECT 1 FROM page_name n WHERE n.page = p.id AND n.kind = 1)"


def page_ids(
    connection: Connection, volume: int, start: str, most: int, condition: str, values: Mapping[str, object]
) -> list[int]:
    """The pages of a volume from a key on that meet a condition (one of the above, or none), by key."""
    rows = connection.execute(
        text(
            f"""SELECT p.id FROM page p WHERE p.volume = :volume AND p.key >= :start COLLATE "C" AND {condition}
            ORDER BY p.key LIMIT :most"""  # noqa: S608
        ),
        {"volume": volume, "start": start, "most": most, **values},
    )
    return list(rows.scalars())


def number_of_pages(connection: Connection, volume: int) -> int:
    """How many pages a volume has."""
    found = connection.execute(text("SELECT count(*) FROM page WHERE volume = :volume"), {"volume": volume})
    return int(found.scalar_one())


def heads(connection: Connection, volume: int) -> list[PageHead]:
    """All pages of a volume, by key."""
    rows = connection.execute(
        text("SELECT id, volume, key, title, revision FROM page WHERE volume = :volume ORDER BY key"),
        {"volume": volume},
    )
    return [PageHead(*row) for row in rows]


def alias_names(connection: Connection, volume: int) -> list[tuple[int, str, str]]:
    """The aliases in a volume: page, key, and name as typed; of equal ones the page that comes first by key."""
    rows = connection.execute(
        text(
            """SELECT DISTINCT ON (a.key) a.page, a.key, a.name FROM alias a JOIN page p ON p.id = a.page
            WHERE a.volume = :volume ORDER BY a.key, p.key"""
        ),
        {"volume": volume},
    )
    return [(row.page, row.key, row.name) for row in rows]


def page_names(connection: Connection, volume: int) -> dict[str, int]:
    """The names of a volume's pages, key to page; a title counts before an alias."""
    found = {key: page for page, key, _ in alias_names(connection, volume)}
    return found | {head.key: head.id for head in heads(connection, volume)}


def sample(connection: Connection, volume: int, most: int) -> list[int]:
    """Some pages of a volume, spread over all of them, the same ones each time."""
    rows = connection.execute(
        text("SELECT id FROM page WHERE volume = :volume ORDER BY hashint8(id) LIMIT :most"),
        {"volume": volume, "most": most},
    )
    return list(rows.scalars())
