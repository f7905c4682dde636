"""What is asked of the hits of a question, whatever it is: the best of them, and how many there are of each kind.

These statements are made once; ``asked_for`` puts the hits of a question before them, as ``HITS``.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    DateTime,
    Float,
    Integer,
    Select,
    Text,
    bindparam,
    case,
    cast,
    column,
    func,
    literal_column,
    null,
    select,
    table,
    union_all,
)

from mokuji.core.finding.ranking import Tier
from mokuji.core.model.categories import Filing
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, fixed, value
from mokuji.store.tables import field, filing, led, page, person

WEIGHED_BY_LED = 300
"""Number of hits, the best by tier and rank, whose place depends on how many pages lead to them, too."""
MOST_VALUES = 8
"""Maximum number of categories, fields and people that hits are counted by."""
NEARLY = (Tier.NEAR_NAME, Tier.ALMOST)
"""Hits that are none by their words."""
SINCE = ("since_0", "since_1", "since_2")
"""The moments since which changed hits are counted, as the statement names them."""
HITS = table(
    "hits",
    column("id", BigInteger),
    column("volume", BigInteger),
    column("author", BigInteger),
    column("changed", DateTime(timezone=True)),
    column("tier", Integer),
    column("rank", Float),
    column("likely", Integer),
)


def _leading(id_: ColumnElement[int]) -> ColumnElement[int]:
    """How many pages that the actor may read lead to one.

    Volumes are told apart among the few rows of the page: as a condition they are looked for in the index one by one.
    """
    return (
        select(func.coalesce(func.sum(led.c.pages).filter(among(led.c.home, "readable")), fixed(0)))
        .where(led.c.page == id_)
        .scalar_subquery()
    )


def _likely(hit: Any) -> ColumnElement[int]:
    """The place of a hit among those that are called nearly so."""
    return case((hit.tier.in_([fixed(each) for each in NEARLY]), hit.likely), else_=fixed(0))


def _best() -> Select[*tuple[Any, ...]]:
    """The hits of a page of the list. Those that stand first by tier and rank are weighed by how many lead to them, as
    well; of others that is read only if they are shown."""
    first = (HITS.c.tier, _likely(HITS.c), HITS.c.rank.desc(), HITS.c.volume, HITS.c.id)
    near = (
        select(*HITS.c, func.row_number().over(order_by=first).label("first"))
        .order_by(*first)
        .limit(func.greatest(fixed(WEIGHED_BY_LED), value("most") + value("skip")))
        .subquery("near")
    )
    led_to = select(*near.c, _leading(near.c.id).label("leading")).subquery("led_to")
    behind = led_to.c.first > fixed(WEIGHED_BY_LED)
    weight = led_to.c.rank * (fixed(5) + func.ln(led_to.c.leading + fixed(1)))
    order = (
        behind,
        led_to.c.tier,
        _likely(led_to.c),
        case((behind, led_to.c.rank), else_=weight).desc(),
        led_to.c.leading.desc(),
        led_to.c.volume,
        led_to.c.id,
    )
    return (
        select(
            led_to.c.id,
            led_to.c.tier,
            led_to.c.leading,
            led_to.c.changed,
            func.row_number().over(order_by=order).label("nth"),
        )
        .order_by(*order)
        .limit(value("most"))
        .offset(value("skip"))
    )


def _sort(name: str) -> ColumnElement[str]:
    return literal_column(f"'{name}'", Text()).label("sort")


def _found() -> Select[*tuple[Any, ...]]:
    best = _best().subquery("best")
    return select(
        _sort("hit"),
        page.c.key,
        page.c.title.label("name"),
        best.c.nth.label("number"),
        page.c.id,
        page.c.volume,
        page.c.revision,
        best.c.tier,
        best.c.leading,
        best.c.changed,
    ).join(best, best.c.id == page.c.id)


def _most(asked: Select[*tuple[Any, ...]]) -> Select[*tuple[Any, ...]]:
    return select(asked.order_by(func.count().desc()).limit(fixed(MOST_VALUES)).subquery())


def _counts() -> list[Select[*tuple[Any, ...]]]:
    """How many hits there are by volume, category, field, who changed them and since when."""
    answering = HITS.c.tier.not_in([fixed(each) for each in NEARLY])
    number = func.count().label("number")
    unnamed = literal_column("''", Text()).label("name")
    return [
        select(_sort("volume"), cast(HITS.c.volume, Text).label("key"), unnamed, number)
        .where(answering)
        .group_by(HITS.c.volume),
        _most(
            select(_sort("category"), filing.c.key, func.min(filing.c.name).label("name"), number)
            .join(HITS, HITS.c.id == filing.c.page)
            .where(answering, filing.c.how.in_([fixed(Filing.PAGE), fixed(Filing.MARK)]))
            .group_by(filing.c.key)
        ),
        _most(
            select(_sort("field"), field.c.name.label("key"), func.min(field.c.said).label("name"), number)
            .join(HITS, HITS.c.id == field.c.page)
            .where(answering)
            .group_by(field.c.name, field.c.value)
            .having(func.count() > fixed(1))
        ),
        _most(
            select(_sort("person"), person.c.handle.label("key"), person.c.name, number)
            .join(HITS, HITS.c.author == person.c.id)
            .where(answering)
            .group_by(person.c.id)
        ),
        *(
            select(_sort("since"), literal_column(f"'{name}'", Text()).label("key"), unnamed, number).where(
                answering, HITS.c.changed >= bindparam(name, type_=DateTime(timezone=True))
            )
            for name in SINCE
        ),
    ]


_nothing = [null().label(name) for name in ("id", "volume", "revision", "tier", "leading", "changed")]
with_counts = union_all(_found(), *(select(each.subquery(), *_nothing) for each in _counts()))
_of_best = _best().subquery("best")
best_first = (
    select(*HEAD_COLUMNS, _of_best).join(_of_best, _of_best.c.id == page.c.id).order_by(_of_best.c.nth)
)
