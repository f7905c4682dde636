"""Which pages are filed under which category, in a volume.

A page is filed by its front matter, by a mark in its text, or because it
inserts a template that files all pages that do (``gives``). Each query has
its index (tested with EXPLAIN).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, Text, func, select

from mokuji.core.language.page import PageHead
from mokuji.core.model.categories import Filing
from mokuji.store.index.name_uses import leading_to
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.snapshot import StoredWiki
from mokuji.store.statements import among, fixed, numbers, value
from mokuji.store.tables import field, filing, page, page_name
from mokuji.store.tables import unfiled as unfiled_pages

MOST_GIVEN = 50_000
"""Maximum number of pages that are looked at for one category given by templates."""

_IN_VOLUME = filing.c.volume == value("volume")
_THEMSELVES = filing.c.how.in_([fixed(Filing.PAGE), fixed(Filing.MARK)])
"""Filed by themselves, not by what they insert."""
NAMED = (
    select(
        filing.c.key,
        filing.c.how,
        func.mode().within_group(filing.c.name),
        func.count(),
        func.sum(filing.c.count),
    )
    .where(_IN_VOLUME, filing.c.how < fixed(Filing.TEMPLATE))
    .group_by(filing.c.key, filing.c.how)
    .order_by(filing.c.key)
)
_OF_PAGE = page.c.id == filing.c.page
BROADER = (
    select(page.c.key, filing.c.key)
    .where(_OF_PAGE, _IN_VOLUME, filing.c.how == fixed(Filing.BROADER))
    .order_by(page.c.key, filing.c.key)
)
GIVING = (
    select(filing.c.key, filing.c.name, *HEAD_COLUMNS)
    .where(_OF_PAGE, filing.c.how == fixed(Filing.GIVES), among(filing.c.volume, "volumes"))
    .order_by(filing.c.key, page.c.id)
)
INSERTING = (
    select(page_name.c.page)
    .where(among(page_name.c.name, "names"), page_name.c.kind == fixed(1))
    .distinct()
    .limit(value("most"))
)
_UNDER = (_IN_VOLUME, filing.c.key == value("key"))
FILED_IDS = select(filing.c.page, filing.c.how, filing.c.count).where(*_UNDER, _THEMSELVES)
NAMING = select(filing.c.page).where(*_UNDER, filing.c.how < fixed(Filing.TEMPLATE)).distinct()
_FIELD = (field.c.volume == value("volume"), field.c.name == value("name"))
HAVING = select(field.c.page).where(*_FIELD, field.c.value == value("value"))
IS_FIELD = (
    # In an order that only the index has: without one, a name that nobody uses may read the whole table.
    select(field.c.page).where(*_FIELD).order_by(field.c.value, field.c.page).limit(1)
)
WITH_FIELD = select(field.c.page).where(*_FIELD).distinct().limit(value("most"))
ALL_FIELDS = (
    select(field.c.name, func.min(field.c.said), func.count())
    .where(field.c.volume == value("volume"))
    .group_by(field.c.name, field.c.value)
    .order_by(field.c.name, func.count().desc(), field.c.value)
)
FIELDS_OF = (
    select(field.c.page, field.c.name, field.c.said)
    .where(among(field.c.page, "pages"))
    .order_by(field.c.page, field.c.name, field.c.value)
)
LISTED = select(*HEAD_COLUMNS, page.c.summary, func.to_char(page.c.changed, "YYYY-MM-DD", type_=Text)).where(
    among(page.c.id, "pages")
)
HEADS_AFTER = (
    select(*HEAD_COLUMNS, page.c.summary)
    .where(among(page.c.id, "ids"), page.c.key > value("after"))
    .order_by(page.c.key)
    .limit(value("most"))
)
NAMES_OF = (
    select(filing.c.page, filing.c.key, filing.c.name)
    .where(among(filing.c.page, "pages"), _THEMSELVES, filing.c.key != "")
    .distinct()
    .order_by(filing.c.page, filing.c.key)
)
GIVEN_BY = (
    select(filing.c.page, filing.c.key, filing.c.name)
    .where(among(filing.c.page, "templates"), filing.c.how == fixed(Filing.GIVES))
    .order_by(filing.c.page, filing.c.key)
)
TEMPLATES = (
    select(*HEAD_COLUMNS, page.c.summary, filing.c.count)
    .where(_OF_PAGE, _IN_VOLUME, filing.c.key == "", filing.c.how == fixed(Filing.TEMPLATE))
    .order_by(page.c.key)
    .limit(value("most"))
)
_targets = (
    func.unnest(numbers("targets"), numbers("names")).table_valued("target", "name").render_derived("w")
)
USED = (
    select(_targets.c.target, func.count(page_name.c.page.distinct()))
    .where(page_name.c.name == _targets.c.name, page_name.c.kind == fixed(1))
    .group_by(_targets.c.target)
)
UNFILED = (
    select(*HEAD_COLUMNS)
    .where(
        page.c.volume == value("volume"),
        page.c.key > value("after"),
        # “Offset 0” keeps it a question for each page: all that is filed would be read otherwise.
        ~select(filing.c.page).where(_OF_PAGE, _THEMSELVES).offset(0).exists(),
    )
    .order_by(page.c.key)
    .limit(value("most"))
)
ANY_UNFILED = select(unfiled_pages.c.page).limit(1)


@dataclass(frozen=True, slots=True)
class Named:
    """A category as a volume uses it in one way: its name as it is written most often, on how many pages, how often."""

    key: str
    how: Filing
    name: str
    pages: int
    number: int


@dataclass(frozen=True, slots=True)
class Giver:
    """A template that files every page that inserts it."""

    key: str
    name: str
    template: PageHead


def named(connection: Connection, volume: int) -> list[Named]:
    """All categories of a volume, in every way they are used."""
    rows = connection.execute(NAMED, {"volume": volume})
    return [Named(key, Filing(how), name, pages, number) for key, how, name, pages, number in rows]


def broader(connection: Connection, volume: int) -> dict[str, list[str]]:
    """Category → the broader ones that the page of its name gives."""
    found: dict[str, list[str]] = {}
    for key, wider in connection.execute(BROADER, {"volume": volume}):
        found.setdefault(key, []).append(wider)
    return found


def givers(connection: Connection, visible: Collection[int]) -> list[Giver]:
    """The templates of these volumes that file pages."""
    rows = connection.execute(GIVING, {"volumes": visible})
    return [Giver(row[0], row[1], PageHead(*row[2:])) for row in rows]


def given(wiki: StoredWiki, givers_: Sequence[Giver], volume: int) -> dict[int, set[int]]:
    """For each of these templates (by its id) the pages of a volume that insert it. ``wiki`` is the whole one."""
    templates = {giver.template.id: giver.template for giver in givers_}
    if not templates:
        return {}
    leading = leading_to(wiki, list(templates.values()))
    found: dict[int, set[int]] = {}
    for id_, uses in leading.items():
        names = [use.name for use in uses if use.kind == 1 and use.home == volume]
        if names:
            rows = wiki.connection.execute(INSERTING, {"names": names, "most": MOST_GIVEN})
            found[id_] = set(rows.scalars().all())
    return found


def filed_under(connection: Connection, volume: int, key: str) -> Mapping[int, dict[Filing, int]]:
    """The pages that are filed under a category themselves: how, and how often."""
    found: dict[int, dict[Filing, int]] = {}
    for page_, how, number in connection.execute(FILED_IDS, {"volume": volume, "key": key}):
        found.setdefault(page_, {})[Filing(how)] = number
    return found


def having(connection: Connection, volume: int, name: str, value: str) -> set[int]:
    """The pages of a volume whose field has a value, given as a key."""
    values = {"volume": volume, "name": name, "value": value}
    return set(connection.execute(HAVING, values).scalars().all())


def is_field(connection: Connection, volume: int, name: str) -> bool:
    """Whether any page of a volume has a field."""
    return connection.execute(IS_FIELD, {"volume": volume, "name": name}).first() is not None


def with_field(connection: Connection, volume: int, name: str, most: int) -> list[int]:
    """Pages of a volume that have a field, whatever it says."""
    values = {"volume": volume, "name": name, "most": most}
    return list(connection.execute(WITH_FIELD, values).scalars())


def fields_of(connection: Connection, pages: Collection[int]) -> dict[int, dict[str, list[str]]]:
    """The fields of pages, with all values of each."""
    found: dict[int, dict[str, list[str]]] = {}
    for page_, name, said in connection.execute(FIELDS_OF, {"pages": pages}):
        found.setdefault(page_, {}).setdefault(name, []).append(said)
    return found


def listed(connection: Connection, pages: Collection[int]) -> list[tuple[PageHead, str, str]]:
    """Pages with summary and the day of their last change."""
    rows = connection.execute(LISTED, {"pages": pages})
    return [(PageHead(*row[:5]), row[5], row[6]) for row in rows]


def naming(connection: Connection, volume: int, key: str) -> list[int]:
    """The pages of a volume that name a category, in whatever way."""
    return list(connection.execute(NAMING, {"volume": volume, "key": key}).scalars().all())


def heads_after(
    connection: Connection, ids: Collection[int], after: str, most: int
) -> list[tuple[PageHead, str]]:
    """Some of these pages by key, from one on, with their summaries."""
    rows = connection.execute(HEADS_AFTER, {"ids": ids, "after": after, "most": most})
    return [(PageHead(*row[:5]), row[5]) for row in rows]


def templates(connection: Connection, volume: int, most: int = 1_000) -> list[tuple[PageHead, str, int]]:
    """The templates of a volume by key, with summary and number of slots."""
    rows = connection.execute(TEMPLATES, {"volume": volume, "most": most})
    return [(PageHead(*row[:5]), row[5], row[6]) for row in rows]


def used(wiki: StoredWiki, pages: Sequence[PageHead], visible: Collection[int]) -> dict[int, int]:
    """On how many pages of these volumes each of these pages is put in; those that are nowhere are left out."""
    leading = leading_to(wiki, pages)
    flat = [
        (id_, use.name)
        for id_, uses in leading.items()
        for use in uses
        if use.kind == 1 and use.home in visible
    ]
    values = {"targets": [id_ for id_, _ in flat], "names": [name for _, name in flat]}
    return dict(wiki.connection.execute(USED, values).all()) if flat else {}


def given_by(connection: Connection, templates: Collection[int]) -> list[tuple[int, str, str]]:
    """The categories under which templates file what inserts them: template, key and name."""
    if not templates:
        return []
    rows = connection.execute(GIVEN_BY, {"templates": templates})
    return [(template, key, name) for template, key, name in rows]


def unfiled(connection: Connection, volume: int, *, after: str = "", most: int = 200) -> list[PageHead]:
    """Pages of a volume without any category, by key."""
    rows = connection.execute(UNFILED, {"volume": volume, "after": after, "most": most}).all()
    return [PageHead(*row) for row in rows]


def names_of(connection: Connection, pages: Collection[int]) -> dict[int, list[str]]:
    """The categories that pages are filed under themselves, by page, as they are written."""
    rows = connection.execute(NAMES_OF, {"pages": pages}).all() if pages else []
    found: dict[int, list[str]] = {}
    for page_, _, name in rows:
        found.setdefault(page_, []).append(name)
    return found


def all_fields(connection: Connection, volume: int) -> dict[str, list[tuple[str, int]]]:
    """The fields that pages of a volume have, with their values and how many pages say each, the most frequent
    first."""
    found: dict[str, list[tuple[str, int]]] = {}
    for name, said, pages in connection.execute(ALL_FIELDS, {"volume": volume}):
        found.setdefault(name, []).append((said, pages))
    return found


def any_unfiled(connection: Connection) -> bool:
    """Whether there are pages of which it is not noted yet what they hold."""
    return connection.execute(ANY_UNFILED).first() is not None
