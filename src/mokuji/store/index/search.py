"""Finding pages by part of a name or a near spelling, and those that say a name. Only volumes that the actor may
read are looked at.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import Boolean, Connection, String, all_, case, cast, func, literal_column, or_, select
from sqlalchemy.dialects.postgresql import TSQUERY

from mokuji.core.base import names
from mokuji.core.finding.terms import fold
from mokuji.store import page_words
from mokuji.store.files import StoredFile
from mokuji.store.index.term_queries import name_query
from mokuji.store.statements import among, fixed, texts, value
from mokuji.store.tables import alias, file, page, page_search, revision, unsearched

LETTERS_FROM, LETTERS_TO = 2, 8
"""Number of letters in order by which a name is looked for."""
NEAR_FROM = 4
"""Fewer letters are near to almost every name."""
_volumes = among(page.c.volume, "volumes")
_of_page = page_search.c.page == page.c.id
_newest = (revision.c.page == page.c.id, revision.c.number == page.c.revision)
_holds = page_search.c.words.bool_op("@@")(cast(value("words"), TSQUERY))


SAYING = select(page.c.id).join(page_search, _of_page).where(_holds, _volumes).limit(value("most"))
_words_typed = texts("words")
FILES_NAMED = (
    select(file)
    .where(
        file.c.key.like(value("part")), file.c.key.like(all_(texts("parts"))), among(file.c.volume, "volumes")
    )
    .order_by(func.length(file.c.key), file.c.key, file.c.volume)
    .limit(value("most"))
)
HOLDING = (
    select(page.c.id)
    .join(revision, (revision.c.page == page.c.id) & (revision.c.number == page.c.revision))
    .where(
        _volumes,
        or_(
            revision.c.text.bool_op("~~*")(all_(_words_typed)),
            page.c.title.bool_op("~~*")(all_(_words_typed)),
        ),
    )
    .order_by(page.c.id)
    .limit(value("most"))
)
_BEGINNING = 50_000
"""Number of characters of a text that words are completed from."""
TEXTS_WITH = (
    select(func.left(revision.c.text, fixed(_BEGINNING)))
    .where(
        _of_page,
        *_newest,
        _holds,
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
    values = {"words": f"'{fold(begun)}':*", "volume": volume, "most": most}
    return list(connection.execute(TEXTS_WITH, values).scalars())


def in_names(connection: Connection, volume: int, words: Collection[str]) -> set[str]:
    """Those of some words (in small letters, without ``%`` and ``_``) that titles of a volume hold."""
    return set(connection.execute(IN_NAMES, {"words": words, "volume": volume}).scalars())


def waiting(connection: Connection) -> bool:
    """Whether the search words of some pages are not the newest yet."""
    return bool(connection.execute(IS_WAITING).scalar_one())


def files_named(
    connection: Connection, words: Collection[str], volumes: Collection[int], most: int
) -> list[StoredFile]:
    """The files of some volumes whose names hold all of some words, the shortest names first."""
    parts = [f"%{_safe(key)}%" for word in words if (key := names.key(word)) and names.is_storable(key)]
    # An index answers for one of them: the longest is the rarest.
    values = {"part": max(parts, key=len, default=""), "parts": parts, "volumes": volumes, "most": most}
    return [StoredFile(*row) for row in connection.execute(FILES_NAMED, values)] if parts else []


def holding(connection: Connection, words: str | None, volumes: Collection[int], most: int) -> list[int]:
    """The pages of some volumes whose text or title holds each of these words as it is typed, but for capitals, also
    inside longer ones; all pages, if no words are given."""
    patterns = [f"%{_safe(word)}%" for word in (words or "").split()]
    values = {"words": patterns, "volumes": volumes, "most": most}
    return list(connection.execute(HOLDING, values).scalars())


def saying(connection: Connection, words: str, volumes: Collection[int], most: int = 500) -> list[int]:
    """The pages of some volumes that hold all of these words, in any form and order; and those whose words are
    not the newest yet, which may."""
    asked = name_query(connection, page_words.languages(connection, volumes), words)
    values = {"words": asked, "volumes": volumes, "most": most}
    found = list(connection.execute(SAYING, values).scalars()) if asked else []
    return [*dict.fromkeys([*found, *connection.execute(WAITING, values).scalars()])]


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


def by_name(
    connection: Connection, key: str, volumes: Collection[int], *, most: int = 8, as_typed: bool = False
) -> list[Named]:
    """Pages by a part of their name: as typed, then aliases, then letters in their order (the initials of its words
    first), then near spellings, these two unless only names ``as_typed`` are asked for. Each page once."""
    safe = _safe(key)
    values = {
        **like(key),
        "letters": f"%{'%'.join(safe)}%",
        "initials": "".join(rf"\m{letter}.*" for letter in key if letter.isalnum()),
        "volumes": volumes,
        "most": most,
    }
    named_pages: dict[int, Named] = {}
    near = (NAME_NEAR,) if len(key) >= NEAR_FROM and not as_typed else ()
    letters = (
        (NAME_LETTERS,) if LETTERS_FROM <= len(key) <= LETTERS_TO and key.isalnum() and not as_typed else ()
    )
    for query in (NAME_PART, NAME_ALIAS, *letters, *near):
        if len(named_pages) < most:
            for row in connection.execute(query, values):
                named_pages.setdefault(row.id, Named(*row))
    return list(named_pages.values())[:most]
