"""Finding pages: by words in their text, and by part of a name or a near spelling.

Both are PostgreSQL's own: full-text search with ranking, and trigrams. Only
volumes that the actor may read are looked at.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Boolean, ColumnElement, Connection, String, case, func, literal_column, select, true

from mokuji.core.diff.diff import Piece
from mokuji.core.language.excerpt import fragment
from mokuji.store.statements import among, fixed, texts, value
from mokuji.store.tables import alias, page, page_search, revision, unsearched

LETTERS_FROM, LETTERS_TO = 2, 8
"""Number of letters in order by which a name is looked for."""
NEAR_FROM = 4
"""Fewer letters are near to almost every name."""
RANKED = 2000
"""Maximum number of hits that are ranked; the cost of ranking grows with them. It stands in the statements: a plan for
any values would take a limit that it does not know for a tenth of all hits."""
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


_english: ColumnElement[str] = literal_column("'english'", String())
_volumes = among(page.c.volume, "volumes")
_of_page = page_search.c.page == page.c.id
_newest = (revision.c.page == page.c.id, revision.c.number == page.c.revision)
_typed = func.websearch_to_tsquery(_english, value("words"))


def _holds(query: ColumnElement[object]) -> ColumnElement[bool]:
    return page_search.c.words.bool_op("@@")(query)


# The query is read once, hits are ranked up to a number, and sentences are cut out of those that are shown.
_query = select(_typed.label("query")).cte("q")
_hits = (
    select(
        page.c.id,
        page.c.volume,
        page.c.key,
        page.c.title,
        page.c.changed,
        page.c.revision,
        page_search.c.words,
    )
    .join(page_search, _of_page)
    .join(_query, true())
    .where(_holds(_query.c.query), _volumes)
    .limit(fixed(RANKED))
    .cte("hits")
)
_rank = func.ts_rank(_hits.c.words, _query.c.query, fixed(1)).label("rank")
_best = (
    select(_hits, _rank)
    .join(_query, true())
    .order_by(_rank.desc(), _hits.c.volume, _hits.c.key)
    .limit(value("most"))
    .offset(value("skip"))
    .cte("best")
)
HEAD_AND_CODE = (r"\A---\r?\n.*?\n---\r?\n", r"```dot.*?```|[$][$].*?[$][$]")
"""What no sentence is cut out of: fields at the head of a text, drawings, formulas."""
LONGEST_READ = 200_000
"""Number of characters of a text that sentences are looked for in."""
_prose = func.regexp_replace(
    func.regexp_replace(func.left(revision.c.text, fixed(LONGEST_READ)), HEAD_AND_CODE[0], ""),
    HEAD_AND_CODE[1],
    "",
    "g",
)
_MARKS = (
    f"StartSel={START}, StopSel={STOP}, MaxFragments=2, MinWords=8, MaxWords=26, FragmentDelimiter={BREAK}"
)
FIND = (
    select(
        _best.c.id,
        _best.c.volume,
        _best.c.key,
        _best.c.title,
        _best.c.changed,
        func.ts_headline(_english, _prose, _query.c.query, _MARKS, type_=String()),
    )
    .join(revision, (revision.c.page == _best.c.id) & (revision.c.number == _best.c.revision))
    .join(_query, true())
    .order_by(_best.c.rank.desc(), _best.c.volume, _best.c.key)
)
_counted = (
    select(page.c.volume)
    .join(page_search, _of_page)
    .where(_holds(_typed), _volumes)
    .limit(fixed(RANKED))
    .subquery()
)
COUNT = select(_counted.c.volume, func.count()).group_by(_counted.c.volume)
SAYING = (
    select(page.c.id)
    .join(page_search, _of_page)
    .where(_holds(func.plainto_tsquery(_english, value("words"))), _volumes)
    .limit(value("most"))
)
_BEGINNING = 50_000
"""Number of characters of a text that words are completed from."""
TEXTS_WITH = (
    select(func.left(revision.c.text, fixed(_BEGINNING)))
    .where(
        _of_page,
        *_newest,
        _holds(func.to_tsquery(_english, value("begun"))),
        page.c.volume == value("volume"),
    )
    .limit(value("most"))
)
IS_WAITING = select(select(fixed(1)).select_from(unsearched).exists())
WAITING = (
    select(unsearched.c.page)
    .join(page, page.c.id == unsearched.c.page)
    .where(_volumes)
    .order_by(unsearched.c.page)
    .limit(value("most"))
)
_word = func.unnest(texts("words")).column_valued("word")
_part = literal_column("'%'", String()).concat(_word).concat(literal_column("'%'", String()))
_whole = literal_column("'% '", String()).concat(_word).concat(literal_column("' %'", String()))
_space = literal_column("' '", String())
# OFFSET 0 keeps it a look-up of each word among all titles: those of a volume would be gone through for each.
_titled_so = (
    select(page.c.volume, page.c.key)
    .where(page.c.key.like(_part))
    .offset(fixed(0))
    .correlate_except(page)
    .lateral("p")
)
IN_NAMES = select(_word).where(
    select(fixed(1))
    .select_from(_titled_so)
    .where(
        _titled_so.c.volume == value("volume"),
        _space.concat(_titled_so.c.key).concat(_space).like(_whole),
    )
    .exists()
)


def texts_with(connection: Connection, volume: int, begun: str, most: int) -> list[str]:
    """The texts of some pages of a volume that hold a word which begins so; ``begun`` are letters only."""
    values = {"begun": f"{begun}:*", "volume": volume, "most": most}
    return list(connection.execute(TEXTS_WITH, values).scalars())


def in_names(connection: Connection, volume: int, words: Collection[str]) -> set[str]:
    """Those of some words (in small letters, without ``%`` and ``_``) that titles of a volume hold."""
    return set(connection.execute(IN_NAMES, {"words": words, "volume": volume}).scalars())


def waiting(connection: Connection) -> bool:
    """Whether the search words of some pages are not the newest yet."""
    return bool(connection.execute(IS_WAITING).scalar_one())


def saying(connection: Connection, words: str, volumes: Collection[int], most: int = 500) -> list[int]:
    """The pages of some volumes that hold all of these words, in any form and order; and those whose words are
    not the newest yet, which may."""
    # Slashes would make one file name of several words for PostgreSQL's parser.
    values = {"words": re.sub(r"[/|]", " ", words), "volumes": volumes, "most": most}
    found = list(connection.execute(SAYING, values).scalars())
    return [*dict.fromkeys([*found, *connection.execute(WAITING, values).scalars()])]


def find(
    connection: Connection, words: str, volumes: Collection[int], *, most: int = 20, skip: int = 0
) -> list[Hit]:
    """The pages whose text or title holds the words, best first. Quotes, ``or`` and ``-`` work."""
    values = {"words": words, "volumes": volumes, "most": most, "skip": skip}
    rows = connection.execute(FIND, values)
    return [Hit(id_, home, key, title, at, _pieces(said)) for id_, home, key, title, at, said in rows]


def _pieces(sentences: str) -> tuple[Piece, ...]:
    shown = " … ".join(fragment(each) for each in sentences.split(BREAK))
    parts = re.split(f"[{START}{STOP}]", shown)
    return tuple(Piece(words, bool(nth % 2)) for nth, words in enumerate(parts) if words)


def count(connection: Connection, words: str, volumes: Collection[int]) -> dict[int, int]:
    """How many pages hold the words, by volume (up to ``RANKED`` in all)."""
    values = {"words": words, "volumes": volumes}
    return dict(connection.execute(COUNT, values).all())


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


_page = (page.c.id, page.c.volume, page.c.key, page.c.title)
_titled = (*_page, literal_column("''", String()), page.c.summary)
_exactly, _nearly = literal_column("false", Boolean()), literal_column("true", Boolean())
NAME_PART = (
    select(*_titled, _exactly)
    .where(page.c.key.like(value("part")), _volumes)
    .order_by(
        case(
            (page.c.key == value("key"), 0),
            (page.c.key.like(value("start")), 1),
            (page.c.key.like(value("word")), 2),
            else_=3,
        ),
        func.length(page.c.key),
        page.c.key,
    )
    .limit(value("most"))
)
NAME_ALIAS = (
    select(*_page, alias.c.name, page.c.summary, _exactly)
    .join(alias, alias.c.page == page.c.id)
    .where(alias.c.key.like(value("part")), among(alias.c.volume, "volumes"))
    .order_by(func.length(alias.c.key), alias.c.key)
    .limit(value("most"))
)
NAME_LETTERS = (
    select(*_titled, _exactly)
    .where(page.c.key.like(value("letters")), _volumes)
    .order_by(page.c.key.regexp_match(value("initials")).desc(), func.length(page.c.key), page.c.key)
    .limit(value("most"))
)
NAME_NEAR = (
    select(*_titled, _nearly)
    .where(value("key").bool_op("<%")(page.c.key), _volumes)
    .order_by(func.word_similarity(value("key"), page.c.key).desc(), func.length(page.c.key), page.c.key)
    .limit(value("most"))
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
        "volumes": volumes,
        "most": most,
    }
    named_pages: dict[int, Named] = {}
    near = (NAME_NEAR,) if len(key) >= NEAR_FROM else ()
    letters = (NAME_LETTERS,) if LETTERS_FROM <= len(key) <= LETTERS_TO and key.isalnum() else ()
    for query in (NAME_PART, NAME_ALIAS, *letters, *near):
        if len(named_pages) < most:
            for row in connection.execute(query, values):
                named_pages.setdefault(row.id, Named(*row))
    return list(named_pages.values())[:most]
