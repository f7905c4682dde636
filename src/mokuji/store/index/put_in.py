"""Pages that are put in by others, as far as they hold some words; and whether a page answers a question with what it
puts in."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from sqlalchemy import Connection, Text, cast, func, select, text, union
from sqlalchemy.dialects.postgresql import TSQUERY, TSVECTOR

from mokuji.core.base.names import Name
from mokuji.core.finding.question import Part
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Place
from mokuji.store.index.asked_for import Scope, condition
from mokuji.store.index.term_queries import Sought
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, fixed, numbers, texts, value
from mokuji.store.tables import alias, page, page_search

MOST_NAMES = 2_000
"""Maximum number of names of inserts that are looked at."""
MOST_SOURCES = 40
"""Maximum number of pages put in elsewhere that are looked at for one question."""

# As text: from each name straight to the next one, however many pages use it.
INSERT_NAMES = text(
    f"""WITH RECURSIVE used AS (
        SELECT min(name) AS name FROM page_name WHERE kind = 1
        UNION ALL
        SELECT (SELECT min(p.name) FROM page_name p WHERE p.kind = 1 AND p.name > used.name) FROM used
        WHERE used.name IS NOT NULL)
    SELECT n.home, n.key, n.vkey, n.tkey, n.absolute FROM used JOIN name n ON n.id = used.name
    WHERE n.home = ANY(CAST(:volumes AS bigint[])) LIMIT {MOST_NAMES}"""  # noqa: S608 - a number of ours
)
_place = func.unnest(numbers("homes"), texts("keys")).table_valued("home", "key").render_derived("w")
_key = _place.c.key.collate("C")
_holding = page_search.c.words.bool_op("@@")(cast(value("words"), TSQUERY))
_found = page.join(page_search, page_search.c.page == page.c.id)
_titled = (
    select(*HEAD_COLUMNS)
    .select_from(_found.join(_place, (func.lower(page.c.key) == _key) & (page.c.volume == _place.c.home)))
    .where(_holding)
)
_called = (
    select(*HEAD_COLUMNS)
    .select_from(
        _found.join(alias, alias.c.page == page.c.id).join(
            _place, (func.lower(alias.c.key) == _key) & (alias.c.volume == _place.c.home)
        )
    )
    .where(_holding)
)
SOURCES = union(_titled, _called).limit(fixed(MOST_SOURCES))


def insert_names(connection: Connection, volumes: Collection[int]) -> list[tuple[int, Name]]:
    """The names that pages of some volumes put pages in by, each with the volume where it is typed."""
    rows = connection.execute(INSERT_NAMES, {"volumes": f"{{{','.join(map(str, volumes))}}}"})
    return [(row.home, Name(row.key, row.vkey, row.tkey, row.absolute)) for row in rows]


def sources(connection: Connection, places: Collection[Place], words: str) -> list[PageHead]:
    """The pages at some places that answer a full-text query."""
    values = {"homes": [home for home, _ in places], "keys": [key for _, key in places], "words": words}
    return [PageHead(*row) for row in connection.execute(SOURCES, values)]


def answering_with(
    connection: Connection, part: Part, scope: Scope, known: Sought, vectors: Mapping[int, str]
) -> list[int]:
    """Those of some pages that answer a question with the terms of what they put in, and not without."""
    given = func.unnest(numbers("pages"), texts("vectors")).table_valued("page", "vector").render_derived("g")
    both = page_search.c.words.op("||")(cast(cast(given.c.vector, Text), TSVECTOR))
    asked = (
        select(page.c.id)
        .select_from(_found.join(given, given.c.page == page.c.id))
        .where(
            condition(part, scope, known, both),
            ~condition(part, scope, known),
            among(page.c.volume, "volumes"),
        )
    )
    values = {"pages": list(vectors), "vectors": list(vectors.values()), "volumes": scope.volumes}
    return list(connection.execute(asked, values).scalars())
