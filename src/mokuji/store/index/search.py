"""Finding pages: by words in their text, and by part of a name or a near spelling.

Both are PostgreSQL's own: full-text search with ranking, and trigrams. Only
volumes that the actor may read are looked at.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Connection, text

from mokuji.core.diff.diff import Piece
from mokuji.core.language.excerpt import fragment

LETTERS_FROM, LETTERS_TO = 2, 8
"""Number of letters in order by which a name is looked for."""
NEAR_FROM = 4
"""Fewer letters are near to almost every name."""
RANKED = 2000
"""Maximum number of hits that are ranked; the cost of ranking grows with them."""
START, STOP, BREAK = "\x02", "\x03", "\x04"
"""Marks around found words, and between sentences; no stored text holds them by accident of typing."""


@dataclass(frozen=True, slots=True)
class Hit:
    """A page found by its words, with sentences in which the found words are marked as changed pieces."""

    page: int
    volume: int
    key: str
    title: str
    changed: datetime
    pieces: tuple[Piece, ...]


FIND = text(
    """WITH q AS (SELECT websearch_to_tsquery('english', :words) AS query),
    hits AS (SELECT p.id, p.volume, p.key, p.title, p.changed, p.revision, s.words FROM q, page_search s
        JOIN page p ON p.id = s.page
        WHERE s.words @@ q.query AND p.volume = ANY(:volumes) LIMIT :ranked),
    best AS (SELECT h.*, ts_rank(h.words, q.query, 1) AS rank FROM hits h, q
        ORDER BY rank DESC, h.volume, h.key LIMIT :most OFFSET :skip)
    SELECT b.id, b.volume, b.key, b.title, b.changed, ts_headline('english',
        regexp_replace(regexp_replace(left(r.text, 200000), '\\A---\\r?\\n.*?\\n---\\r?\\n', ''),
            '```dot.*?```|[$][$].*?[$][$]', '', 'g'), q.query,
        'StartSel=' || chr(2) || ', StopSel=' || chr(3) ||
        ', MaxFragments=2, MinWords=8, MaxWords=26, FragmentDelimiter=' || chr(4)) AS sentences
    FROM best b JOIN revision r ON r.page = b.id AND r.number = b.revision, q
    ORDER BY b.rank DESC, b.volume, b.key"""
)
COUNT = text(
    """SELECT p.volume, count(*) AS pages FROM (SELECT p.volume FROM page_search s JOIN page p ON p.id = s.page
        WHERE s.words @@ websearch_to_tsquery('english', :words) AND p.volume = ANY(:volumes) LIMIT :ranked) p
    GROUP BY p.volume"""
)


SAYING = text(
    """SELECT p.id FROM page_search s JOIN page p ON p.id = s.page
    WHERE s.words @@ plainto_tsquery('english', :words) AND p.volume = ANY(:volumes) LIMIT :most"""
)


TEXTS_WITH = text(
    """SELECT left(r.text, 50000) AS text FROM page_search s JOIN page p ON p.id = s.page
    JOIN revision r ON r.page = p.id AND r.number = p.revision
    WHERE s.words @@ to_tsquery('english', :begun) AND p.volume = :volume LIMIT :most"""
)


def texts_with(connection: Connection, volume: int, begun: str, most: int) -> list[str]:
    """The texts of some pages of a volume that hold a word which begins so; ``begun`` are letters only."""
    values = {"begun": f"{begun}:*", "volume": volume, "most": most}
    return list(connection.execute(TEXTS_WITH, values).scalars())


IN_NAMES = text(
    """SELECT w.word FROM unnest(CAST(:words AS text[])) AS w(word) WHERE EXISTS (SELECT 1 FROM page p
        WHERE p.volume = :volume AND p.key LIKE '%' || w.word || '%'
        AND ' ' || p.key || ' ' LIKE '% ' || w.word || ' %')"""
)


def in_names(connection: Connection, volume: int, words: Collection[str]) -> set[str]:
    """Those of some words (in small letters, without ``%`` and ``_``) that titles of a volume hold."""
    return set(connection.execute(IN_NAMES, {"words": list(words), "volume": volume}).scalars())


def waiting(connection: Connection) -> bool:
    """Whether the search words of some pages are not the newest yet."""
    return bool(connection.execute(text("SELECT EXISTS (SELECT 1 FROM unsearched)")).scalar_one())


def saying(connection: Connection, words: str, volumes: Collection[int], most: int = 500) -> list[int]:
    """The pages of some volumes that hold all of these words, in any form and order; and those whose words are
    not the newest yet, which may."""
    # Slashes would make one file name of several words for PostgreSQL's parser.
    values = {"words": re.sub(r"[/|]", " ", words), "volumes": list(volumes), "most": most}
    found = list(connection.execute(SAYING, values).scalars())
    waiting = text(
        """SELECT u.page FROM unsearched u JOIN page p ON p.id = u.page WHERE p.volume = ANY(:volumes)
        ORDER BY u.page LIMIT :most"""
    )
    return [*dict.fromkeys([*found, *connection.execute(waiting, values).scalars()])]


def find(
    connection: Connection, words: str, volumes: Collection[int], *, most: int = 20, skip: int = 0
) -> list[Hit]:
    """The pages whose text or title holds the words, best first. Quotes, ``or`` and ``-`` work."""
    values = {"words": words, "volumes": list(volumes), "most": most, "skip": skip, "ranked": RANKED}
    rows = connection.execute(FIND, values)
    return [Hit(r.id, r.volume, r.key, r.title, r.changed, _pieces(r.sentences)) for r in rows]


def _pieces(sentences: str) -> tuple[Piece, ...]:
    shown = " … ".join(fragment(each) for each in sentences.split(BREAK))
    parts = re.split(f"[{START}{STOP}]", shown)
    return tuple(Piece(words, bool(nth % 2)) for nth, words in enumerate(parts) if words)


def count(connection: Connection, words: str, volumes: Collection[int]) -> dict[int, int]:
    """How many pages hold the words, by volume (up to ``RANKED`` in all)."""
    values = {"words": words, "volumes": list(volumes), "ranked": RANKED}
    return {row.volume: row.pages for row in connection.execute(COUNT, values)}


@dataclass(frozen=True, slots=True)
class Named:
    """A page found by its name or an alias; ``near`` when only the spelling is near."""

    page: int
    volume: int
    key: str
    title: str
    alias: str
    summary: str
    near: bool


NAME_PART = text(
    """SELECT p.id, p.volume, p.key, p.title, '' AS alias, p.summary, false AS near,
        CASE WHEN p.key = :key COLLATE "C" THEN 0 WHEN p.key LIKE :start THEN 1
             WHEN p.key LIKE :word THEN 2 ELSE 3 END AS rank
    FROM page p WHERE p.key LIKE :part AND p.volume = ANY(:volumes) ORDER BY rank, length(p.key), p.key LIMIT :most"""
)
NAME_ALIAS = text(
    """SELECT p.id, p.volume, p.key, p.title, a.name AS alias, p.summary, false AS near FROM alias a
    JOIN page p ON p.id = a.page WHERE a.key LIKE :part AND a.volume = ANY(:volumes)
    ORDER BY length(a.key), a.key LIMIT :most"""
)
NAME_LETTERS = text(
    """SELECT p.id, p.volume, p.key, p.title, '' AS alias, p.summary, false AS near FROM page p
    WHERE p.key LIKE :letters AND p.volume = ANY(:volumes)
    ORDER BY p.key ~ :initials DESC, length(p.key), p.key LIMIT :most"""
)
NAME_NEAR = text(
    """SELECT p.id, p.volume, p.key, p.title, '' AS alias, p.summary, true AS near FROM page p
    WHERE :key <% p.key AND p.volume = ANY(:volumes)
    ORDER BY word_similarity(:key, p.key) DESC, length(p.key), p.key LIMIT :most"""
)


def _safe(key: str) -> str:
    return key.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")


def like(key: str) -> dict[str, str]:
    """What queries for a part of a name take: the key, and patterns of names that begin with it, that have a word which
    does, that hold it."""
    safe = _safe(key)
    return {"key": key, "start": f"{safe}%", "word": f"% {safe}%", "part": f"%{safe}%"}


def by_name(connection: Connection, key: str, volumes: Collection[int], *, most: int = 8) -> list[Named]:
    """Pages by a part of their name: as typed, then aliases, then letters in their order (the initials of its words
    first), then near spellings. Each page once."""
    safe = _safe(key)
    values = {
        **like(key),
        "letters": f"%{'%'.join(safe)}%",
        "initials": "".join(rf"\m{letter}.*" for letter in key if letter.isalnum()),
        "volumes": list(volumes),
        "most": most,
    }
    named_pages: dict[int, Named] = {}
    near = (NAME_NEAR,) if len(key) >= NEAR_FROM else ()
    letters = (NAME_LETTERS,) if LETTERS_FROM <= len(key) <= LETTERS_TO and key.isalnum() else ()
    for query in (NAME_PART, NAME_ALIAS, *letters, *near):
        if len(named_pages) < most:
            for row in connection.execute(query, values):
                named_pages.setdefault(row.id, Named(*row[:7]))
    return list(named_pages.values())[:most]
