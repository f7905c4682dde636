"""Lists around a page: who leads to it, the contents of its volume, what is unwritten.

Each list is paged by key and uses an index for every row it reads (tested
with EXPLAIN). Each takes ``visible``, the volumes that the actor may read:
what lies elsewhere is neither shown nor counted.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, text

from mokuji.core import names
from mokuji.core.references import Resolver, volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.text.excerpt import REACH, Excerpt, excerpt
from mokuji.core.text.reference import Kind, Reference
from mokuji.core.wiki import PageHead, Place, Volume
from mokuji.store.snapshot import StoredWiki

WHOLE_CONTENTS = 400
"""Up to so many entries the contents of a volume are loaded whole, beyond level by level."""
LEVEL = 200
"""Most entries of one level that are loaded at once."""

BACKLINK_PAGES = text(
    """SELECT DISTINCT x.page FROM unnest(CAST(:names AS bigint[])) AS n(name), LATERAL (
        SELECT pn.page FROM page_name pn JOIN page u ON u.id = pn.page
        WHERE pn.name = n.name AND pn.page > :after AND pn.page <> :page AND u.volume = ANY(:visible)
        ORDER BY pn.page LIMIT :most) x ORDER BY x.page LIMIT :most"""
)
BACKLINK_COUNT = text(
    """SELECT count(DISTINCT pn.page) AS pages, coalesce(sum(pn.count), 0) AS places FROM page_name pn
    JOIN page u ON u.id = pn.page
    WHERE pn.name = ANY(:names) AND pn.page <> :page AND u.volume = ANY(:visible)"""
)
_RANGES = text(
    """SELECT p.id, p.volume, p.key, p.title, p.revision, x.starts, x.ends, x.names FROM page p
    JOIN page_refs x ON x.page = p.id WHERE p.id = ANY(:pages)"""
)
_WINDOWS = text(
    """SELECT w.page, w.nth, substr(r.text, greatest(w.start - :reach, 0) + 1,
        w.stop - greatest(w.start - :reach, 0) + :reach) AS words
    FROM unnest(CAST(:pages AS bigint[]), CAST(:nths AS int[]), CAST(:starts AS int[]), CAST(:stops AS int[]))
        AS w(page, nth, start, stop)
    JOIN page p ON p.id = w.page JOIN revision r ON r.page = p.id AND r.number = p.revision"""
)


@dataclass(frozen=True, slots=True)
class Sentence:
    """One place that leads to a page: the reference's index on its page, and its sentence."""

    index: int
    excerpt: Excerpt


@dataclass(frozen=True, slots=True)
class Backlink:
    """A page that leads here, with how often, and the first of its sentences."""

    page: PageHead
    places: int
    sentences: tuple[Sentence, ...]


@dataclass(frozen=True, slots=True)
class Backlinks:
    """One page of the list; ``more_after`` is the key of the next one, if there is one."""

    pages: int
    places: int
    entries: tuple[Backlink, ...]
    more_after: int | None


def names_leading_to(connection: Connection, page: PageHead) -> list[int]:
    """The ids of all names in use that lead to a page, by title or alias."""
    wiki = StoredWiki(connection)
    aliases = connection.execute(text("SELECT key FROM alias WHERE page = :id"), {"id": page.id}).scalars()
    return _leading(wiki, page, [(page.volume, page.key), *((page.volume, key) for key in aliases)])


def _leading(wiki: StoredWiki, page: PageHead, places: Sequence[Place]) -> list[int]:
    candidates = {id_: found for place in places for id_, found in wiki.meaning(place).items()}
    homes = volumes_by_id(wiki)
    nowhere = Span(0, 0)
    uses = [(homes[home], Reference(Kind.LINK, nowhere, name, nowhere, nowhere)) for home, name in candidates.values()]
    resolver = Resolver.of(wiki, uses)
    leading = []
    for id_, (home, name) in candidates.items():
        found = resolver.resolve(name, homes[home]).page
        if found is not None and found.id == page.id:
            leading.append(id_)
    return leading


def backlinks(
    connection: Connection,
    page: PageHead,
    visible: Collection[int],
    *,
    after: int = 0,
    most: int = 8,
    sentences: int = 3,
) -> Backlinks:
    """The pages that lead to one, from key ``after`` on, each with its first sentences."""
    leading = names_leading_to(connection, page)
    if not leading:
        return Backlinks(0, 0, (), None)
    values: dict[str, Any] = {"names": leading, "page": page.id, "visible": list(visible), "after": after}
    counts = connection.execute(BACKLINK_COUNT, values).one()
    ids = connection.execute(BACKLINK_PAGES, {**values, "most": most + 1}).scalars().all()
    entries = _with_sentences(connection, ids[:most], frozenset(leading), sentences)
    return Backlinks(counts.pages, counts.places, entries, ids[most - 1] if len(ids) > most else None)


def _with_sentences(
    connection: Connection, ids: Sequence[int], leading: frozenset[int], most: int
) -> tuple[Backlink, ...]:
    rows = {row.id: row for row in connection.execute(_RANGES, {"pages": list(ids)})}
    places = {
        id_: [(n, s, e) for n, (s, e, name) in enumerate(zip(row.starts, row.ends, row.names, strict=True)) if name in leading]
        for id_, row in rows.items()
    }
    wanted = [(id_, *place) for id_ in ids if id_ in rows for place in places[id_][:most]]
    values = dict(zip(("pages", "nths", "starts", "stops"), map(list, zip(*wanted, strict=True)), strict=False))
    windows = (
        {(row.page, row.nth): row.words for row in connection.execute(_WINDOWS, {**values, "reach": REACH})}
        if wanted
        else {}
    )
    found: list[Backlink] = []
    for id_ in ids:
        if id_ not in rows:
            continue
        sentences = []
        for nth, start, end in places[id_][:most]:
            lead = min(start, REACH)
            window = windows.get((id_, nth), "")
            sentences.append(Sentence(nth, excerpt(window, Span(lead, lead + end - start))))
        found.append(Backlink(PageHead(*rows[id_][:5]), len(places[id_]), tuple(sentences)))
    return tuple(found)


# ---- contents ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Entry:
    """A row of the contents. ``page`` is None for a name that is placed but unwritten;
    ``led_to_by`` is how many other pages lead to it."""

    id: int
    parent: int | None
    key: str
    title: str
    number: str
    depth: int
    page: int | None
    led_to_by: int
    has_more_below: bool = False


@dataclass(frozen=True, slots=True)
class Contents:
    """The contents of a volume, in order. ``whole`` is False when folded branches were left out."""

    entries: tuple[Entry, ...]
    whole: bool

    def of(self, key: str) -> Entry | None:
        """The entry with a key."""
        return next((entry for entry in self.entries if entry.key == key), None)


_CONTENTS = """SELECT c.id, c.parent, c.key, c.title, p.id AS page FROM contents c
    LEFT JOIN page p ON p.volume = c.volume AND p.key = c.key WHERE c.volume = :volume"""
CONTENTS_WHOLE = text(f"{_CONTENTS} ORDER BY c.parent, c.position LIMIT :most")
CONTENTS_TOP = text(f"{_CONTENTS} AND c.parent IS NULL ORDER BY c.position LIMIT :most")
CONTENTS_BELOW = text(f"{_CONTENTS} AND c.parent = :parent ORDER BY c.position LIMIT :most")
LED_TO_BY = text(
    """SELECT x.id, count(DISTINCT x.page) AS pages FROM (
        SELECT p.id, pn.page FROM page p JOIN name n ON n.home = p.volume AND n.key = p.key AND NOT n.absolute
            JOIN page_name pn ON pn.name = n.id WHERE p.id = ANY(:pages)
        UNION SELECT p.id, pn.page FROM page p JOIN name n ON n.vkey = :volume_key COLLATE "C" AND n.tkey = p.key
            AND n.vkey IS NOT NULL JOIN page_name pn ON pn.name = n.id WHERE p.id = ANY(:pages)
            AND NOT EXISTS (SELECT 1 FROM page q WHERE q.volume = n.home AND q.key = n.key AND NOT n.absolute)
            AND NOT EXISTS (SELECT 1 FROM alias b WHERE b.volume = n.home AND b.key = n.key AND NOT n.absolute)
        UNION SELECT a.page AS id, pn.page FROM alias a JOIN name n ON n.home = a.volume AND n.key = a.key
            AND NOT n.absolute JOIN page_name pn ON pn.name = n.id WHERE a.page = ANY(:pages)
            AND NOT EXISTS (SELECT 1 FROM page q WHERE q.volume = a.volume AND q.key = a.key)
            AND NOT EXISTS (SELECT 1 FROM alias b JOIN page q ON q.id = b.page JOIN page me ON me.id = a.page
                WHERE b.volume = a.volume AND b.key = a.key AND q.key < me.key)
        UNION SELECT a.page AS id, pn.page FROM alias a JOIN name n ON n.vkey = :volume_key COLLATE "C"
            AND n.tkey = a.key AND n.vkey IS NOT NULL JOIN page_name pn ON pn.name = n.id
            WHERE a.page = ANY(:pages)
            AND NOT EXISTS (SELECT 1 FROM page q WHERE q.volume = a.volume AND q.key = a.key)
    ) x JOIN page u ON u.id = x.page AND u.volume = ANY(:visible) WHERE x.page <> x.id GROUP BY x.id"""
)


def contents(
    connection: Connection, volume: int, volume_key: str, visible: Collection[int], *, path_to: str | None = None
) -> Contents:
    """The contents of a volume: whole if it is small, else the levels that lead to ``path_to``."""
    rows = connection.execute(CONTENTS_WHOLE, {"volume": volume, "most": WHOLE_CONTENTS + 1}).all()
    whole = len(rows) <= WHOLE_CONTENTS
    if not whole:
        rows = _levels(connection, volume, path_to)
    pages = [row.page for row in rows if row.page is not None]
    values = {"pages": pages, "volume_key": volume_key, "visible": list(visible)}
    counts = {row.id: row.pages for row in connection.execute(LED_TO_BY, values)} if pages else {}
    return Contents(tuple(_numbered(rows, counts, whole)), whole)


def _levels(connection: Connection, volume: int, path_to: str | None) -> list[Any]:
    parents: list[int | None] = [None]
    if path_to is not None:
        parents += [
            row.id
            for row in connection.execute(
                text(
                    """WITH RECURSIVE up AS (SELECT id, parent FROM contents WHERE volume = :volume
                        AND key = :key COLLATE "C"
                    UNION ALL SELECT c.id, c.parent FROM contents c JOIN up ON c.id = up.parent)
                    SELECT id FROM up"""
                ),
                {"volume": volume, "key": path_to},
            )
        ]
    rows: list[Any] = []
    for parent in parents:
        query = CONTENTS_TOP if parent is None else CONTENTS_BELOW
        values = {"volume": volume, "most": LEVEL, **({} if parent is None else {"parent": parent})}
        rows += connection.execute(query, values).all()
    return rows


def _numbered(rows: Sequence[Any], counts: dict[int, int], whole: bool) -> list[Entry]:
    below: dict[int | None, list[Any]] = {}
    for row in rows:
        below.setdefault(row.parent, []).append(row)
    found: list[Entry] = []
    pending = [(row, str(n), 0) for n, row in reversed(list(enumerate(below.get(None, ()), 1)))]
    while pending:
        row, number, depth = pending.pop()
        led = counts.get(row.page, 0) if row.page is not None else 0
        children = below.get(row.id, [])
        found.append(
            Entry(row.id, row.parent, row.key, row.title, number, depth, row.page, led, not whole and not children)
        )
        pending += [(child, f"{number}.{n}", depth + 1) for n, child in reversed(list(enumerate(children, 1)))]
    return found


def place_in_contents(connection: Connection, volume: int, title: str, key: str, under: str | None) -> None:
    """Puts a name at the end of a branch (or of the volume), unless it has a place already."""
    connection.execute(
        text(
            """INSERT INTO contents (volume, parent, key, title, position)
            SELECT :volume, b.id, :key, :title, coalesce((SELECT max(position) FROM contents
                WHERE volume = :volume AND parent IS NOT DISTINCT FROM b.id), 0) + 1
            FROM (SELECT (SELECT id FROM contents WHERE volume = :volume AND key = :under COLLATE "C") AS id) b
            ON CONFLICT (volume, key) DO NOTHING"""
        ),
        {"volume": volume, "key": key, "title": title, "under": under},
    )


def write_contents(
    connection: Connection, volume: int, entries: Sequence[tuple[int, str, str]]
) -> None:
    """Puts down the contents of a new volume: depth (from 0), title and key, in order."""
    parents: list[int] = []
    for nth, (depth, title, key) in enumerate(entries, 1):
        del parents[depth:]
        id_ = connection.execute(
            text(
                """INSERT INTO contents (volume, parent, key, title, position)
                VALUES (:volume, :parent, :key, :title, :position)
                ON CONFLICT (volume, key) DO UPDATE SET title = contents.title RETURNING id"""
            ),
            {
                "volume": volume,
                "parent": parents[-1] if parents else None,
                "key": key,
                "title": title,
                "position": float(nth),
            },
        ).scalar_one()
        parents.append(id_)


def rename_in_contents(connection: Connection, volume: int, old: str, key: str, title: str) -> dict[str, Any] | None:
    """A page keeps its place under its new name.

    A place that waited for that name gives its branch to the page and goes;
    what ``restore_in_contents`` needs to bring it back is returned.
    """
    values: dict[str, Any] = {"volume": volume, "old": old, "key": key, "title": title}
    find = "SELECT id, parent, title, position FROM contents WHERE volume = :volume AND key = {} COLLATE \"C\""
    own = connection.execute(text(find.format(":old")), values).first()
    waiting = connection.execute(text(find.format(":key")), values).first() if old != key else None
    given = None
    if own is not None and waiting is not None:
        ids = {"own": own.id, "waiting": waiting.id, "parent": waiting.parent, "position": waiting.position}
        moved = connection.execute(
            text("UPDATE contents SET parent = :own WHERE parent = :waiting AND id <> :own RETURNING id"), ids
        ).scalars()
        given = {
            "title": waiting.title,
            "parent": waiting.parent,
            "position": waiting.position,
            "branch": list(moved),
            "own": [own.parent, own.position],
        }
        if own.parent == waiting.id:
            connection.execute(text("UPDATE contents SET parent = :parent, position = :position WHERE id = :own"), ids)
        connection.execute(text("DELETE FROM contents WHERE id = :waiting"), ids)
    connection.execute(
        text('UPDATE contents SET key = :key, title = :title WHERE volume = :volume AND key = :old COLLATE "C"'),
        values,
    )
    return given


def restore_in_contents(
    connection: Connection, volume: int, key: str, own_key: str, given: Mapping[str, Any]
) -> None:
    """Brings back a place that ``rename_in_contents`` took away, with the branch it had."""
    own = connection.execute(
        text('SELECT id, parent FROM contents WHERE volume = :volume AND key = :key COLLATE "C"'),
        {"volume": volume, "key": own_key},
    ).first()
    made = connection.execute(
        text(
            """INSERT INTO contents (volume, parent, key, title, position)
            SELECT :volume, (SELECT id FROM contents WHERE id = :parent), :key, :title, :position
            ON CONFLICT (volume, key) DO NOTHING RETURNING id"""
        ),
        {**{name: given[name] for name in ("parent", "title", "position")}, "volume": volume, "key": key},
    ).scalar()
    if made is None or own is None:
        return
    connection.execute(
        text("UPDATE contents SET parent = :made WHERE parent = :own AND id = ANY(:branch)"),
        {"made": made, "own": own.id, "branch": list(given["branch"])},
    )
    if given["own"][0] is not None and own.parent == given["parent"]:
        # The page itself stood below the place that waited.
        connection.execute(
            text(
                """UPDATE contents SET parent = :made, position = :position WHERE id = :own
                AND NOT EXISTS (SELECT 1 FROM contents WHERE id = :was)"""
            ),
            {"made": made, "own": own.id, "was": given["own"][0], "position": given["own"][1]},
        )


def rename_front(connection: Connection, volume: int, old: str, key: str) -> None:
    """A volume's front page stays its front page under another name."""
    connection.execute(
        text('UPDATE volume SET front = :key WHERE id = :volume AND front = :old COLLATE "C"'),
        {"volume": volume, "old": old, "key": key},
    )


# ---- unwritten names -----------------------------------------------------------


def led_from(connection: Connection, place: Place, visible: Collection[int], most: int = 20) -> list[PageHead]:
    """The pages that refer to a name, whether or not there is a page of it."""
    meaning = list(StoredWiki(connection).meaning(place))
    if not meaning:
        return []
    values = {"names": meaning, "page": 0, "visible": list(visible), "after": 0, "most": most}
    ids = connection.execute(BACKLINK_PAGES, values).scalars().all()
    rows = connection.execute(
        text("SELECT id, volume, key, title, revision FROM page WHERE id = ANY(:ids) ORDER BY id"), {"ids": list(ids)}
    )
    return [PageHead(*row) for row in rows]


def typed_title(connection: Connection, place: Place, led_from: Sequence[PageHead]) -> str:
    """An unwritten name as the first page that refers to it types it; empty if none does."""
    wiki = StoredWiki(connection)
    wiki.meaning(place)
    for head in led_from[:1]:
        page = wiki.pages([head.id])[head.id]
        for use in page.uses({place[1]}):
            reference = use.reference
            here = reference.name is not None and reference.name.key == place[1]
            return names.unescape((reference.name_span if here else reference.title_span).of(page.text))
    return ""


UNWRITTEN = text(
    """SELECT count(DISTINCT n.key) FROM name n WHERE n.home = :volume AND NOT n.absolute
    AND (n.vkey IS NULL OR NOT n.vkey = ANY(:volume_keys))
    AND EXISTS (SELECT 1 FROM page_name pn WHERE pn.name = n.id)
    AND NOT EXISTS (SELECT 1 FROM page p WHERE p.volume = n.home AND p.key = n.key)
    AND NOT EXISTS (SELECT 1 FROM alias a WHERE a.volume = n.home AND a.key = n.key)"""
)


def unwritten_count(connection: Connection, volume: Volume, volumes: Mapping[str, Volume]) -> int:
    """How many names the pages of a volume refer to in it that have no page."""
    values = {"volume": volume.id, "volume_keys": list(volumes)}
    return int(connection.execute(UNWRITTEN, values).scalar_one())


@dataclass(frozen=True, slots=True)
class VolumeRow:
    """A volume in the list of volumes."""

    id: int
    key: str
    title: str
    summary: str
    closed: bool
    front: str | None
    pages: int
    changed: datetime | None


def volume_rows(connection: Connection, visible: Collection[int]) -> list[VolumeRow]:
    """The volumes an actor may read, each with its pages and last change."""
    rows = connection.execute(
        text(
            """SELECT v.id, v.key, v.title, v.summary, v.closed, v.front,
                (SELECT count(*) FROM page p WHERE p.volume = v.id) AS pages,
                (SELECT c.at FROM change_set c WHERE c.volume = v.id ORDER BY c.id DESC LIMIT 1) AS changed
            FROM volume v WHERE v.id = ANY(:visible) ORDER BY v.id"""
        ),
        {"visible": list(visible)},
    )
    return [VolumeRow(*row) for row in rows]
