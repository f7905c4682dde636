"""Pages that answer a question, best first.

A question is a tree (``core.finding.question``), so its condition is made
when it is asked; words that stand together in the tree become one full-text
query, which an index answers. Hits are looked at up to ``RANKED``; those whose
names hold the words are always among them. Only volumes that the actor may
read are asked.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time
from typing import Any

from sqlalchemy import (
    ColumnElement,
    CompoundSelect,
    Connection,
    Float,
    FromClause,
    Select,
    Text,
    and_,
    any_,
    case,
    cast,
    false,
    func,
    literal,
    literal_column,
    not_,
    or_,
    select,
    true,
    union,
    union_all,
)
from sqlalchemy.dialects.postgresql import TSQUERY

from mokuji.core.base import names
from mokuji.core.finding.question import All, Fact, Part, Without, Words
from mokuji.core.finding.ranking import Tier
from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.language.page import PageHead
from mokuji.core.model.categories import Filing
from mokuji.store.index.search import like
from mokuji.store.index.term_queries import BOTH_NAMES, NAMES, WEIGHTS, Sought, positive, words_query
from mokuji.store.pages import HEAD_COLUMNS
from mokuji.store.statements import among, fixed, numbers, value
from mokuji.store.tables import alias, filing, held, led, page, page_search, person, revision
from mokuji.store.tables import field as fields

RANKED = 2_000
"""Maximum number of hits that are ranked and counted; what that costs grows with them. It stands in the statements: a
plan for any values would take a limit that it does not know for a tenth of all hits."""
BY_NAME = 300
"""Maximum number of hits whose names hold the words that are ranked beside them."""
MOST_VALUES = 8
"""Maximum number of categories, fields and people that hits are counted by."""
READ = 200_000
"""Number of code points of a page's lines that sentences are cut out of."""
WEIGHED = "{0.1, 0.4, 0.7, 1.0}"
"""What a word counts as code, in the text, in a heading, in a name; among names in a heading, another name, a title."""


@dataclass(frozen=True)
class Scope:
    """Where is looked: the volumes, among those that the actor may read; and what of them each fact that the question
    asks for comes to (``facts``: pages, by name and value; ``volumes``: of ``in``)."""

    volumes: Collection[int]
    readable: Collection[int]
    facts: Mapping[tuple[str, str], Collection[int]] = field(default_factory=dict)
    named: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Hit:
    """A page that was found: why so far up (``tier``), how many pages lead to it, and when it was changed last."""

    head: PageHead
    tier: Tier
    led: int
    changed: datetime


def _query(said: str) -> ColumnElement[Any]:
    return cast(literal(said), TSQUERY)


def _has(column: ColumnElement[Any], said: str) -> ColumnElement[bool]:
    return column.bool_op("@@")(_query(said))


class _Conditions:
    """Makes the condition of a question. ``words`` is what of a page its words are looked for in."""

    def __init__(self, scope: Scope, known: Sought, words: ColumnElement[Any]) -> None:
        self._scope = scope
        self._known = known
        self._words = words

    def of(self, part: Part) -> ColumnElement[bool]:
        together = self._as_words(part)
        if together:
            return _has(self._words, together)
        if isinstance(part, Words):
            return _has(page_search.c.names, words_query(part, self._known, NAMES[part.place]))
        if isinstance(part, Fact):
            return self._fact(part)
        if isinstance(part, Without):
            return not_(self.of(part.part))
        if isinstance(part, All):
            return and_(*self._merged(part.parts, " & "))
        return or_(*self._merged(part.parts, " | "))

    def _merged(self, parts: Sequence[Part], sign: str) -> list[ColumnElement[bool]]:
        """The parts, those that are words as one."""
        words = [said for each in parts if (said := self._as_words(each))]
        rest = [self.of(each) for each in parts if not self._as_words(each)]
        return [*([_has(self._words, sign.join(words))] if words else []), *rest]

    def _as_words(self, part: Part) -> str:
        """A part as one query of all words of a page; empty if it is more than that."""
        if isinstance(part, Words):
            return "" if part.place in NAMES else words_query(part, self._known, WEIGHTS.get(part.place, ""))
        if isinstance(part, Fact):
            return ""
        if isinstance(part, Without):
            inner = self._as_words(part.part)
            return f"!({inner})" if inner else ""
        inner_parts = [self._as_words(each) for each in part.parts]
        if not all(inner_parts):
            return ""
        return f"({(' & ' if isinstance(part, All) else ' | ').join(inner_parts)})"

    def _fact(self, fact: Fact) -> ColumnElement[bool]:
        match fact.name:
            case "category":
                return page.c.id == any_(_ids(self._scope.facts.get((fact.name, fact.value), ())))
            case "field":
                return _with_field(fact.value)
            case "person":
                return _holding(AssetKind.PERSON, held.c.key == names.key(fact.value))
            case "by":
                handle = select(person.c.id).where(func.lower(person.c.handle) == fact.value.lower())
                return page.c.author.in_(handle)
            case "file":
                return _holding(AssetKind.FILE, held.c.key.like(like(names.key(fact.value))["part"]))
            case "note":
                return page.c.id.in_(self._noted(fact.value))
            case "changed":
                return _changed(fact.since, fact.until)
            case "in":
                return page.c.volume == self._scope.named.get(fact.value, 0)
        return false()

    def _noted(self, said: str) -> Select[Any]:
        """Pages of a revision whose note says something, written where the actor may read."""
        return select(revision.c.page).where(
            revision.c.note != literal_column("''"),
            revision.c.note.ilike(like(said)["part"]),
            revision.c.written_in == any_(_ids(self._scope.readable)),
        )


def _ids(ids: Collection[int]) -> ColumnElement[Any]:
    return cast(literal(f"{{{','.join(map(str, ids))}}}"), numbers("ids").type)


def _with_field(said: str) -> ColumnElement[bool]:
    name, given, wanted = said.partition("=")
    found = (fields.c.page == page.c.id, fields.c.name == name.strip().lower())
    return select(fixed(1)).where(*found, *([fields.c.value == names.key(wanted)] if given else [])).exists()


def _holding(kind: AssetKind, condition: ColumnElement[bool]) -> ColumnElement[bool]:
    found = select(fixed(1)).where(held.c.page == page.c.id, held.c.kind == fixed(kind), condition)
    return found.exists()


def _changed(since: date | None, until: date | None) -> ColumnElement[bool]:
    bounds = []
    if since is not None:
        bounds.append(page.c.changed >= datetime.combine(since, time(), UTC))
    if until is not None:
        bounds.append(page.c.changed < datetime.combine(until, time(), UTC))
    return and_(true(), *bounds)


_of_page = page_search.c.page == page.c.id
_searched = page.join(page_search, _of_page)


def condition(
    part: Part, scope: Scope, known: Sought, words: ColumnElement[Any] | None = None
) -> ColumnElement[bool]:
    """What a question asks of ``page`` joined with ``page_search``."""
    return _Conditions(scope, known, page_search.c.words if words is None else words).of(part)


_within = page.c.volume == any_(numbers("volumes"))
_exact_key = union_all(
    select(page.c.id).where(func.lower(page.c.key) == value("key"), among(page.c.volume, "volumes")),
    select(alias.c.page).where(func.lower(alias.c.key) == value("key"), among(alias.c.volume, "volumes")),
    select(func.unnest(numbers("beside"))),
)


def _candidates(asked: ColumnElement[bool], words: str) -> FromClause:
    """The hits that are ranked: a number of all, of those whose names hold the words, and those that are known."""
    hits = select(page.c.id).select_from(_searched).where(asked, _within)
    parts: list[Select[Any]] = [hits.limit(fixed(RANKED))]
    if words:
        parts.append(hits.where(_has(page_search.c.names, words)).limit(fixed(BY_NAME)))
    return union(*(select(part.subquery()) for part in parts), _exact_key).subquery("candidates")


@dataclass(frozen=True)
class Besides:
    """What is ranked beside the hits of a question: the pages that are called so (``name`` is the key of it, ``folded``
    what names are compared by; both empty if it is no name), those called ``nearly`` so, which stand before all other
    hits if the words of it are ``misspelt``, and those that answer ``through`` what they put in."""

    name: str = ""
    folded: str = ""
    nearly: Collection[int] = ()
    misspelt: bool = False
    through: Collection[int] = ()


def find(
    connection: Connection,
    part: Part,
    scope: Scope,
    known: Sought,
    besides: Besides,
    *,
    most: int = 20,
    skip: int = 0,
) -> list[Hit]:
    """The pages that answer a question, best first, in the order of ``Tier``; among equals those in which the words
    stand nearest together and weigh most, and to which most pages lead."""
    words = positive(part, known)
    found = _candidates(condition(part, scope, known), words)
    tier, rank = _tier(part, known, words, besides), _rank(part, known, words)
    leading = (
        select(func.coalesce(func.sum(led.c.pages), fixed(0)))
        .where(led.c.page == page.c.id, among(led.c.home, "readable"))
        .scalar_subquery()
        .label("leading")
    )
    ranked = (
        select(
            *HEAD_COLUMNS, page.c.changed, tier.label("tier"), rank.label("rank"), leading, _likely(besides)
        )
        .select_from(_searched.join(found, found.c.id == page.c.id))
        .where(_within)
        .cte("ranked")
        .prefix_with("MATERIALIZED")
    )
    weight = ranked.c.rank * (fixed(5) + func.ln(ranked.c.leading + fixed(1)))
    asked = (
        select(ranked)
        .order_by(
            ranked.c.tier,
            ranked.c.likely,
            weight.desc(),
            ranked.c.leading.desc(),
            ranked.c.volume,
            ranked.c.key,
        )
        .limit(value("most"))
        .offset(value("skip"))
    )
    values = {
        "volumes": scope.volumes,
        "readable": scope.readable,
        "key": besides.name,
        "beside": [*besides.nearly, *besides.through],
        "most": most,
        "skip": skip,
    }
    rows = connection.execute(asked, values).all()
    return [
        Hit(PageHead(r.id, r.volume, r.key, r.title, r.revision), Tier(r.tier), r.leading, r.changed)
        for r in rows
    ]


def are_few(connection: Connection, part: Part, scope: Scope, known: Sought, most: int) -> bool:
    """Whether no more pages than so many answer."""
    asked = select(page.c.id).select_from(_searched).where(condition(part, scope, known), _within)
    return len(connection.execute(asked.limit(most + 1), {"volumes": scope.volumes}).all()) <= most


def _likely(besides: Besides) -> ColumnElement[int]:
    """The place of a page among those that are called nearly so."""
    place = func.array_position(_ids(besides.nearly), page.c.id) if besides.nearly else fixed(0)
    return func.coalesce(place, fixed(0)).label("likely")


def _rank(part: Part, known: Sought, words: str) -> ColumnElement[Any]:
    """How well the words are held: by the names, for pages whose names hold them (as they are typed twice as well as in
    another form), else by the text."""
    if not words:
        return literal_column("1.0", Float())
    weights = cast(literal_column(f"'{WEIGHED}'"), Text).op("::")(literal_column("real[]"))
    names = page_search.c.names
    by_name = func.ts_rank_cd(weights, names, _query(words), fixed(1))
    by_text = func.ts_rank_cd(weights, page_search.c.words, _query(words), fixed(1))
    just_so = _has(names, positive(part, Sought(), BOTH_NAMES))
    named = _has(names, positive(part, known, BOTH_NAMES))
    return case((just_so, by_name * fixed(2)), (named, by_name), else_=by_text)


def _tier(part: Part, known: Sought, words: str, besides: Besides) -> ColumnElement[int]:
    whens: list[tuple[ColumnElement[bool], Tier]] = []
    names, folded = page_search.c.names, besides.folded
    if folded:
        title = func.coalesce(page_search.c.named[1], literal_column("''", Text()))
        whens += [
            (func.lower(page.c.key) == value("key"), Tier.TITLE),
            (title == literal(folded), Tier.SAME_TITLE),
            (literal(folded) == any_(page_search.c.named), Tier.ALIAS),
        ]
    if besides.nearly:
        whens.append(
            (page.c.id == any_(_ids(besides.nearly)), Tier.NEAR_NAME if besides.misspelt else Tier.ALMOST)
        )
    if words:
        whens += [
            (_has(names, positive(part, known, NAMES["title"])), Tier.IN_TITLE),
            (_has(names, positive(part, known, BOTH_NAMES)), Tier.IN_ALIAS),
            (_has(names, words), Tier.IN_HEADING),
        ]
    if besides.through:
        whens.append((page.c.id == any_(_ids(besides.through)), Tier.PUT_IN))
    if not whens:
        return fixed(Tier.IN_TEXT)
    return case(*((each, fixed(tier)) for each, tier in whens), else_=fixed(Tier.IN_TEXT))


_told = func.left(page_search.c.told, fixed(READ))
TOLD = select(page_search.c.page, _told).where(among(page_search.c.page, "pages"))


def told(connection: Connection, pages: Collection[int]) -> dict[int, str]:
    """The kept lines of some pages, each up to ``READ`` code points."""
    return dict(connection.execute(TOLD, {"pages": pages}).all())


@dataclass(frozen=True, slots=True)
class Counts:
    """How many hits there are by volume, among all that the actor may read, and how many of those of the volumes in
    hand by category, field, who changed it last and since when: key, name, number, the most first."""

    volumes: Mapping[int, int]
    categories: Sequence[tuple[str, str, int]] = ()
    fields: Sequence[tuple[str, str, int]] = ()
    people: Sequence[tuple[str, str, int]] = ()
    since: Sequence[tuple[str, str, int]] = ()


def counts(connection: Connection, part: Part, scope: Scope, known: Sought, days: Sequence[date]) -> Counts:
    """Counts hits, up to ``RANKED``; ``days`` are those since which changes are counted."""
    asked = condition(part, scope, known)
    hits = (
        select(page.c.id, page.c.volume, page.c.author, page.c.changed)
        .select_from(_searched)
        .where(asked, among(page.c.volume, "readable"))
        .limit(fixed(RANKED))
        .cte("hits")
        .prefix_with("MATERIALIZED")
    )
    own = hits.c.volume == any_(numbers("volumes"))
    number = func.count().label("number")
    by_volume = select(
        literal_column("'volume'", Text()).label("sort"),
        cast(hits.c.volume, Text).label("key"),
        literal_column("''", Text()).label("name"),
        number,
    ).group_by(hits.c.volume)
    by_category = _most(
        select(
            literal_column("'category'", Text()).label("sort"), filing.c.key, func.min(filing.c.name), number
        )
        .join(hits, hits.c.id == filing.c.page)
        .where(own, filing.c.how.in_([fixed(Filing.PAGE), fixed(Filing.MARK)]))
        .group_by(filing.c.key)
    )
    by_field = _most(
        select(
            literal_column("'field'", Text()).label("sort"), fields.c.name, func.min(fields.c.said), number
        )
        .join(hits, hits.c.id == fields.c.page)
        .where(own)
        .group_by(fields.c.name, fields.c.value)
        .having(func.count() > fixed(1))
    )
    by_person = _most(
        select(literal_column("'person'", Text()).label("sort"), person.c.handle, person.c.name, number)
        .join(hits, hits.c.author == person.c.id)
        .where(own)
        .group_by(person.c.id)
    )
    since = [
        select(
            literal_column("'since'", Text()).label("sort"),
            literal(day.isoformat()).label("key"),
            literal_column("''", Text()).label("name"),
            number,
        ).where(own, hits.c.changed >= datetime.combine(day, time(), UTC))
        for day in days
    ]
    values = {"volumes": scope.volumes, "readable": scope.readable}
    asked_all: CompoundSelect[*tuple[Any, ...]] = union_all(
        by_volume, by_category, by_field, by_person, *since
    )
    rows = connection.execute(asked_all, values).all()

    def of(sort: str) -> list[tuple[str, str, int]]:
        return [(row.key, row.name, row.number) for row in rows if row.sort == sort]

    return Counts(
        {int(key): number for key, _, number in of("volume")},
        of("category"),
        of("field"),
        of("person"),
        of("since"),
    )


def places(connection: Connection, part: Part, scope: Scope, known: Sought) -> dict[str, int]:
    """How many pages of the volumes in hand hold the words of a question in each place."""
    hits = select(page.c.id).select_from(_searched).where(among(page.c.volume, "volumes"))
    asked = [
        select(literal(name), func.count()).select_from(
            hits.where(_has(column, positive(part, known, weight))).limit(fixed(RANKED)).subquery()
        )
        for column, weights in ((page_search.c.names, NAMES), (page_search.c.words, WEIGHTS))
        for name, weight in weights.items()
    ]
    rows: Sequence[Any] = connection.execute(union_all(*asked), {"volumes": scope.volumes}).all()
    return dict(rows)


def _most(asked: Select[*tuple[Any, ...]]) -> Select[*tuple[Any, ...]]:
    return select(asked.order_by(func.count().desc()).limit(fixed(MOST_VALUES)).subquery())
