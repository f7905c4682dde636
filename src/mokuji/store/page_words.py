"""What a page is found by, made of its newest text: terms, names, the lines that sentences are cut out of.

The core reads words (``core.finding``); PostgreSQL's own dictionaries give their stems, by the language of the
volume. A word's stem is asked for once and kept.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from sqlalchemy import ARRAY, Connection, Text, bindparam, cast, func, literal_column, select
from sqlalchemy.dialects.postgresql import TSVECTOR
from sqlalchemy.dialects.postgresql import insert as insert_or_else

from mokuji.core.base.cache import BoundedCache
from mokuji.core.finding import told
from mokuji.core.finding.terms import folded_name
from mokuji.core.finding.vector import PageTerms
from mokuji.core.language.page import Page
from mokuji.store.statements import numbers, texts, value
from mokuji.store.tables import page_search, unsearched, volume, word

DICTIONARIES = {
    "ar": "arabic",
    "ca": "catalan",
    "da": "danish",
    "de": "german",
    "el": "greek",
    "en": "english",
    "es": "spanish",
    "eu": "basque",
    "fi": "finnish",
    "fr": "french",
    "ga": "irish",
    "hi": "hindi",
    "hu": "hungarian",
    "hy": "armenian",
    "id": "indonesian",
    "it": "italian",
    "lt": "lithuanian",
    "nb": "norwegian",
    "ne": "nepali",
    "nl": "dutch",
    "nn": "norwegian",
    "no": "norwegian",
    "pt": "portuguese",
    "ro": "romanian",
    "ru": "russian",
    "sr": "serbian",
    "sv": "swedish",
    "ta": "tamil",
    "tr": "turkish",
    "yi": "yiddish",
}
"""Stemmers of PostgreSQL 15 (its ``pg_ts_dict``) by languages of ISO 639-1."""
USUAL = "english"
"""The stemmer of a volume that does not say what it is written in."""
STEMS_KEPT = 200_000
"""Number of words of which the stem is kept."""

_stems: BoundedCache[str] = BoundedCache(STEMS_KEPT)
_word = func.unnest(texts("words")).column_valued("word")
STEMS = select(
    _word, func.ts_lexize(cast(value("dictionary"), Text).op("::")(literal_column("regdictionary")), _word)
)
VOLUMES = select(volume.c.id, volume.c.key, volume.c.language)


def dictionary(language: str) -> str:
    """The stemmer of a language, given as a tag of BCP 47; empty if there is none."""
    if not language:
        return USUAL
    return DICTIONARIES.get(language.split("-")[0].lower(), "")


def languages(connection: Connection, volumes: Collection[int]) -> set[str]:
    """The languages that some volumes are written in, as they say it; an empty one if one does not."""
    return {row.language for row in connection.execute(VOLUMES) if row.id in volumes}


def stems(connection: Connection, language: str, words: Collection[str]) -> Mapping[str, str]:
    """The stems of words in small letters, by the dictionary of a language; those that it passes over have none."""
    name = dictionary(language)
    if not name:
        return {}
    found: dict[str, str] = {}
    unknown: list[str] = []
    for each in words:
        stem = _stems.get((name, each))
        if stem is None:
            unknown.append(each)
        elif stem:
            found[each] = stem
    if unknown:
        rows = connection.execute(STEMS, {"dictionary": f"{name}_stem", "words": unknown})
        for each, lexemes in rows:
            stem = lexemes[0] if lexemes else ""
            _stems.put((name, each), stem)
            if stem:
                found[each] = stem
    return found


_PUT = insert_or_else(page_search).values(
    page=value("page"),
    words=cast(value("terms"), TSVECTOR),
    names=cast(value("called"), TSVECTOR),
    named=bindparam("folded", type_=ARRAY(Text)),
    told=value("lines"),
)
_PUT = _PUT.on_conflict_do_update(
    index_elements=["page"],
    set_={name: getattr(_PUT.excluded, name) for name in ("words", "names", "named", "told")},
)
_new_word = func.unnest(texts("words")).column_valued("word")
_ADD_WORDS = (
    insert_or_else(word)
    .from_select(["volume", "word"], select(cast(value("home"), volume.c.id.type), _new_word))
    .on_conflict_do_nothing()
)
_later = func.unnest(numbers("pages")).table_valued("page").render_derived("w")
_LATER = insert_or_else(unsearched).from_select(["page"], select(_later.c.page)).on_conflict_do_nothing()


def index_words(connection: Connection, pages: Sequence[Page]) -> None:
    """Renews what pages are found by."""
    if not pages:
        return
    homes = sorted({page.head.volume for page in pages})
    volumes = connection.execute(VOLUMES).all()
    languages = {row.id: row.language for row in volumes}
    keys = frozenset(row.key for row in volumes)
    read = [(page, told.told(page, keys)) for page in pages]
    terms = {page.head.id: PageTerms(page.head.title, _aliases(page), lines) for page, lines in read}
    for home in homes:
        of_home = [page.head.id for page in pages if page.head.volume == home]
        asked = set().union(*(terms[id_].words() for id_ in of_home))
        known = stems(connection, languages.get(home, ""), asked)
        connection.execute(
            _PUT,
            [
                _row(page, terms[page.head.id], known, lines)
                for page, lines in read
                if page.head.volume == home
            ],
        )
        words = set().union(*(terms[id_].vocabulary() for id_ in of_home))
        # Sorted, so that two who add the same never wait for each other.
        connection.execute(_ADD_WORDS, {"home": home, "words": sorted(words)})


def _row(page: Page, terms: PageTerms, known: Mapping[str, str], lines: list[told.Line]) -> dict[str, Any]:
    whole, names = terms.vectors(known)
    return {
        "page": page.head.id,
        "terms": whole,
        "called": names,
        "folded": [folded_name(name) for name in (page.head.title, *_aliases(page))],
        "lines": told.kept(lines),
    }


def _aliases(page: Page) -> list[str]:
    return [name for name in page.content.front_matter.names("aliases") if "\x00" not in name]


def index_words_later(connection: Connection, pages: Sequence[int]) -> None:
    """Notes pages that are to be found by what they say now once ``catch_up`` has read them."""
    if pages:
        connection.execute(_LATER, {"pages": sorted(pages)})
