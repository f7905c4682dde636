"""The words that pages of some volumes hold: those that hold a part, and those that are spelt nearly so.

What is told of words that are near is looked up again among the pages that may be read now: a word that stood only on
a page that is gone, or closed, is none.
"""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import (
    ColumnElement,
    Connection,
    Float,
    String,
    cast,
    func,
    literal_column,
    select,
    true,
    union,
    union_all,
)
from sqlalchemy.dialects.postgresql import TSQUERY

from mokuji.store.index.search import like
from mokuji.store.statements import among, fixed, texts, value
from mokuji.store.tables import alias, page, page_search, word

MOST = 150
"""Maximum number of words that are read for one."""

_volumes = among(word.c.volume, "volumes")
_listed_rows = func.unnest(texts("words")).table_valued("listed").render_derived("w")
_listed = _listed_rows.c.listed
KNOWN = select(_listed).where(select(fixed(1)).where(word.c.word == _listed.collate("C"), _volumes).exists())
HOLDING = (
    select(word.c.word)
    .where(func.lower(word.c.word).like(value("part")), _volumes)
    .group_by(word.c.word)
    .order_by(func.length(word.c.word), word.c.word)
    .limit(fixed(MOST))
)
_letters = func.lower(word.c.word)
_likeness = func.similarity(_letters, value("near"))
ALIKE = (
    select(word.c.word)
    .where(_letters.bool_op("%")(value("near")), _volumes)
    .group_by(word.c.word)
    .order_by(_likeness.desc(), word.c.word)
    .limit(fixed(40))
)
_quoted: ColumnElement[str] = (
    literal_column("''''", String()).concat(_listed).concat(literal_column("''''", String()))
)
_some_page = (
    select(page.c.id)
    .join(page_search, page_search.c.page == page.c.id)
    .where(among(page.c.volume, "volumes"), page_search.c.words.bool_op("@@")(cast(_quoted, TSQUERY)))
    .limit(fixed(50))
    .correlate_except(page, page_search)
    .lateral("some_page")
)
PAGES_OF = select(_listed, func.count(_some_page.c.id)).join(_some_page, true()).group_by(_listed)
_key = _listed.collate("C")
CALLED = union(
    select(page.c.id, page.c.key)
    .join(_listed_rows, func.lower(page.c.key) == _key)
    .where(among(page.c.volume, "volumes")),
    select(alias.c.page, alias.c.key)
    .join(_listed_rows, func.lower(alias.c.key) == _key)
    .where(among(alias.c.volume, "volumes")),
)
IS_NAMED = select(
    select(fixed(1))
    .select_from(page_search.join(page, page.c.id == page_search.c.page))
    .where(page_search.c.named.op("@>")(texts("names")), among(page.c.volume, "volumes"))
    .exists()
)
_so = literal_column("so", Float())
NAMED_ALIKE = union_all(
    *(
        select(of, key, func.similarity(key, value("near")).label("so"))
        .where(key.bool_op("%")(value("near")), among(home, "volumes"))
        .order_by(_so.desc(), key)
        .limit(fixed(20))
        .subquery()
        .select()
        for of, key, home in (
            (page.c.id, page.c.key, page.c.volume),
            (alias.c.page, alias.c.key, alias.c.volume),
        )
    )
).order_by(_so)


def known(connection: Connection, words: Collection[str], volumes: Collection[int]) -> set[str]:
    """Those of some words that pages of some volumes hold, or held."""
    return set(connection.execute(KNOWN, {"words": words, "volumes": volumes}).scalars())


def holding(connection: Connection, part: str, volumes: Collection[int]) -> list[str]:
    """Words that hold a part, the shortest first."""
    values = {"part": like(part)["part"], "volumes": volumes}
    return list(connection.execute(HOLDING, values).scalars())


def alike(connection: Connection, near: str, volumes: Collection[int]) -> list[str]:
    """Words that share most of their runs of three letters with one."""
    return list(connection.execute(ALIKE, {"near": near, "volumes": volumes}).scalars())


def pages_of(connection: Connection, words: Collection[str], volumes: Collection[int]) -> dict[str, int]:
    """How many pages of some volumes hold each of some words now, up to 50; none of a word that none holds."""
    return dict(connection.execute(PAGES_OF, {"words": words, "volumes": volumes}).all())


def is_named(connection: Connection, folded: str, volumes: Collection[int]) -> bool:
    """Whether a page has this name, as names are compared."""
    return bool(connection.execute(IS_NAMED, {"names": [folded], "volumes": volumes}).scalar_one())


def called(connection: Connection, keys: Collection[str], volumes: Collection[int]) -> dict[int, str]:
    """The pages whose title or other name has one of some keys, each with one of these."""
    return dict(connection.execute(CALLED, {"words": keys, "volumes": volumes}).all())


def called_alike(connection: Connection, key: str, volumes: Collection[int]) -> dict[int, str]:
    """The pages whose titles or other names share most of their runs of three letters with a key, each with the likest
    of their keys."""
    rows = connection.execute(NAMED_ALIKE, {"near": key, "volumes": volumes})
    return {id_: name for id_, name, _ in rows}
