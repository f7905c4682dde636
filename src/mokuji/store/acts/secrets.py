"""Where some words stand in all that is kept of a volume, and their removal for good.

Words are looked for as they are, in what was typed: texts of all revisions, of
pages that are there and in the trash, drafts, notes, the log, names, files. This
reads the whole history of a volume; it is asked for once in a while, by owners.

Statements are text: each is asked once, most by one column or another of several
tables, and what they look into is JSON, arrays and bytes.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, text

from mokuji.core.base import names
from mokuji.core.finding.terms import fold_text
from mokuji.core.finding.vector import PageTerms
from mokuji.store.index import upkeep

_PAGES = (
    """(SELECT id FROM page WHERE volume = :volume UNION ALL SELECT page FROM trash WHERE volume = :volume)"""
)
_ACTS = f"""(SELECT id FROM change_set WHERE volume = :volume
    UNION SELECT change_set FROM change_set_reach WHERE volume = :volume
    UNION SELECT r.change_set FROM revision r WHERE r.page IN {_PAGES} AND r.written_in = ANY(:seen))"""  # noqa: S608 - a query of our own


@dataclass(frozen=True, slots=True)
class Occurrences:
    """Where words stand: revisions by page (id, title of now, whether it is in the trash, numbers), drafts and log
    entries by id, files by name, sources by name; titles and names that only a rename takes them out of."""

    pages: tuple[tuple[int, str, bool, tuple[int, ...]], ...]
    current: tuple[int, ...]
    titles: tuple[str, ...]
    drafts: tuple[int, ...]
    acts: tuple[int, ...]
    names: int
    files: tuple[str, ...]
    sources: tuple[str, ...]
    style: bool
    brought: tuple[int, ...] = ()
    """Folders that were brought to the volume: they are discarded."""


_MOVED_AWAY = """(SELECT CAST(h->>0 AS bigint) FROM change_set c, jsonb_array_elements(c.detail->'heads') h
    WHERE c.volume = :volume AND c.act IN ('move', 'undo') AND jsonb_typeof(c.detail->'heads') = 'array')"""
# Of pages that came from elsewhere those revisions that the owner may read, of pages that went those left behind.
_KEPT = f"""((r.page IN {_PAGES} AND r.written_in = ANY(:seen))
    OR (r.page IN {_MOVED_AWAY} AND r.written_in = :volume))"""
_TAKEN_OUT = (
    f"""SELECT r.page, coalesce(CASE WHEN p.volume = ANY(:seen) THEN p.title END, t.title,
            (array_agg(r.title ORDER BY r.number DESC))[1]) AS title, p.id IS NULL AS gone,
        array_agg(r.number ORDER BY r.number) AS numbers
        FROM revision r LEFT JOIN page p ON p.id = r.page LEFT JOIN trash t ON t.page = r.page
        WHERE {_KEPT} AND (position(:words in r.text) > 0 OR position(:words in r.title) > 0
        OR position(:words in r.note) > 0)
        GROUP BY r.page, p.title, p.volume, t.title, p.id ORDER BY title""",  # noqa: S608
    """SELECT p.id FROM page p JOIN revision r ON r.page = p.id AND r.number = p.revision
        WHERE p.volume = :volume AND position(:words in r.text) > 0 ORDER BY p.id""",
    """SELECT id FROM draft WHERE volume = :volume
        AND (position(:words in text) > 0 OR position(:words in title) > 0) ORDER BY id""",
    f"""SELECT id FROM change_set WHERE id IN {_ACTS} AND (position(:words in note) > 0
        OR position(:json in detail::text) > 0 OR position(:jkey in detail::text) > 0
        OR position(:json in coalesce(proposed::text, '')) > 0)
        ORDER BY id""",  # noqa: S608
    """SELECT (SELECT count(*) FROM former WHERE volume = :volume AND position(:key in key) > 0)
        + (SELECT count(*) FROM contents WHERE volume = :volume AND position(:words in title) > 0) AS number""",
    """SELECT id FROM brought b WHERE volume = :volume AND (position(:words in name) > 0
        OR position(:json in said::text) > 0 OR position(:json in choices::text) > 0
        OR EXISTS (SELECT 1 FROM brought_file f WHERE f.brought = b.id
            AND (position(:bytes in f.data) > 0 OR position(:words in f.path) > 0))) ORDER BY id""",
)
"""Where words are taken out: revisions, newest texts, drafts, acts of the log, names."""
_LISTED = (
    """SELECT DISTINCT name FROM (
            SELECT f.name, f.hash FROM file f WHERE f.volume = :volume
            UNION SELECT v.name, v.hash FROM file_version v WHERE v.volume = :volume) every
        WHERE position(:words in name) > 0
            OR position(:bytes in (SELECT data FROM blob b WHERE b.hash = every.hash)) > 0 ORDER BY name""",
    "SELECT name FROM source WHERE position(:json in fields::text) > 0 ORDER BY key",
    "SELECT 1 FROM house_style WHERE volume = :volume AND position(:json in rules::text) > 0",
)
"""Where words are only told of: files, sources, the house style."""


def find(connection: Connection, volume: int, words: str, seen: Collection[int]) -> Occurrences:
    """All places of a volume in which words stand, for who may read the volumes ``seen``."""
    values: dict[str, Any] = {
        "volume": volume,
        "seen": list(seen),
        "words": words,
        "key": names.key(words),
        "json": json.dumps(words, ensure_ascii=False)[1:-1],
        "jkey": json.dumps(names.key(words), ensure_ascii=False)[1:-1],
        "bytes": words.encode(),
    }

    def rows(statement: str) -> list[Any]:
        return list(connection.execute(text(statement), values))

    titles = rows("SELECT title FROM page WHERE volume = :volume AND position(:words in title) > 0")
    titles += rows("SELECT title FROM volume WHERE id = :volume AND position(:words in title) > 0")
    revisions, current, drafts, acts, known, brought = (rows(statement) for statement in _TAKEN_OUT)
    files, sources, style = (rows(statement) for statement in _LISTED)
    return Occurrences(
        tuple((row.page, row.title, row.gone, tuple(row.numbers)) for row in revisions),
        tuple(row.id for row in current),
        tuple(row.title for row in titles),
        tuple(row.id for row in drafts),
        tuple(row.id for row in acts),
        int(known[0].number),
        tuple(row.name for row in files),
        tuple(row.name for row in sources),
        bool(style),
        tuple(row.id for row in brought),
    )


def take_out(connection: Connection, volume: int, words: str, mask: str, found: Occurrences) -> None:
    """Puts a mask in the place of words in all that was found, but for the newest texts, which were saved without them
    by now, and for files and sources."""
    values: dict[str, Any] = {"volume": volume, "words": words, "mask": mask, "key": names.key(words)}

    def run(statement: str, **more: object) -> None:
        connection.execute(text(statement), {**values, **more})

    run(
        """UPDATE revision SET text = replace(text, :words, :mask), title = replace(title, :words, :mask),
            note = replace(note, :words, :mask)
        WHERE (page, number) IN (SELECT * FROM unnest(CAST(:pages AS bigint[]), CAST(:numbers AS int[])))""",
        pages=[page for page, _, _, numbers in found.pages for _ in numbers],
        numbers=[number for *_, numbers in found.pages for number in numbers],
    )
    run(
        """UPDATE page SET note = replace(note, :words, :mask), summary = replace(summary, :words, :mask)
        WHERE volume = :volume AND (position(:words in note) > 0 OR position(:words in summary) > 0)"""
    )
    run(
        """UPDATE draft SET text = replace(text, :words, :mask), title = replace(title, :words, :mask)
        WHERE id = ANY(CAST(:drafts AS bigint[]))""",
        drafts=list(found.drafts),
    )
    # Folders that wait can be brought again.
    run("DELETE FROM brought WHERE id = ANY(CAST(:brought AS bigint[]))", brought=list(found.brought))
    for table in ("trash", "contents"):
        where = {"trash": "page", "contents": "id"}[table]
        rows = connection.execute(
            text(
                f"SELECT {where} AS id, title FROM {table} "  # noqa: S608 - names of our own tables
                "WHERE volume = :volume AND position(:words in title) > 0"
            ),
            values,
        )
        for row in rows.all():
            title = row.title.replace(words, mask)
            statement = f"UPDATE {table} SET title = :title, key = :new WHERE {where} = :id"  # noqa: S608
            run(statement, title=title, new=names.key(title), id=row.id)
    upkeep.fold(connection)  # while the names are still there that it looks for
    run("DELETE FROM former WHERE volume = :volume AND position(:key in key) > 0")
    run(
        """DELETE FROM name n WHERE n.home = :volume
            AND (position(:key in key) > 0 OR position(:key in coalesce(tkey, '')) > 0)
            AND NOT EXISTS (SELECT 1 FROM page_name u WHERE u.name = n.id)
            AND NOT EXISTS (SELECT 1 FROM section_ref s WHERE s.name = n.id)"""
    )
    _forget_found_by(connection, volume, words)
    _in_json(connection, "change_set", ("detail", "proposed"), "jsonb", found.acts, words, mask)
    run(
        "UPDATE change_set SET note = replace(note, :words, :mask) WHERE id = ANY(CAST(:acts AS bigint[]))",
        acts=list(found.acts),
    )
    if found.style:
        _in_json(connection, "house_style", ("rules",), "json", [volume], words, mask)
    # What was made of texts, or of names that are gone, is made anew.
    upkeep.fold(connection)
    run("DELETE FROM kept_report")


def _forget_found_by(connection: Connection, volume: int, words: str) -> None:
    """What pages are found by is made anew: of those that say the words, and of those that share a word with them."""
    terms = sorted(PageTerms(words, (), ()).vocabulary())
    values = {
        "volume": volume,
        "words": words,
        "terms": terms,
        "asked": " | ".join(f"'{term}'" for term in terms) or "'-'",
        "folded": fold_text(words),
    }
    connection.execute(
        text(
            """WITH gone AS (DELETE FROM page_search s USING page p WHERE p.id = s.page AND p.volume = :volume
            AND (position(:words in s.told) > 0 OR s.page IN (SELECT page FROM unsearched)
                OR s.words @@ CAST(:asked AS tsquery)) RETURNING s.page)
        INSERT INTO unsearched (page) SELECT page FROM gone ON CONFLICT DO NOTHING"""
        ),
        values,
    )
    connection.execute(
        text(
            "DELETE FROM word WHERE volume = :volume AND (word = ANY(:terms) OR position(:folded in word) > 0)"
        ),
        values,
    )


def _in_json(
    connection: Connection,
    table: str,
    columns: Collection[str],
    kind: str,
    ids: Collection[int],
    words: str,
    mask: str,
) -> None:
    key = "volume" if table == "house_style" else "id"
    for column in columns:
        rows = connection.execute(
            text(f"SELECT {key} AS id, {column} AS data FROM {table} WHERE {key} = ANY(:ids)"),  # noqa: S608
            {"ids": list(ids)},
        )
        for row in rows.all():
            if row.data is not None:
                statement = f"UPDATE {table} SET {column} = CAST(:data AS {kind}) WHERE {key} = :id"  # noqa: S608
                masked = _masked(row.data, words, mask)
                if column == "detail":  # places in the contents stand there by their keys
                    masked = _masked(masked, names.key(words), mask)
                told = json.dumps(masked, ensure_ascii=False)
                connection.execute(text(statement), {"data": told, "id": row.id})


def _masked(data: Any, words: str, mask: str) -> Any:
    if isinstance(data, str):
        return data.replace(words, mask)
    if isinstance(data, Mapping):
        return {_masked(key, words, mask): _masked(value, words, mask) for key, value in data.items()}
    return [_masked(each, words, mask) for each in data] if isinstance(data, list) else data
