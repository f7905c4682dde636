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
    CTE,
    ColumnElement,
    Connection,
    Float,
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

from mokuji.core.base import names
from mokuji.core.finding.question import All, Fact, Part, Without, Words
from mokuji.core.finding.ranking import Tier
from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.language.page import PageHead
from mokuji.store.index.hit_rows import SINCE, best_first, with_counts
from mokuji.store.index.search import like
from mokuji.store.index.term_queries import BOTH_NAMES, NAMES, WEIGHTS, Sought, positive, words_query
from mokuji.store.statements import among, fixed, numbers, query, value
from mokuji.store.tables import alias, held, page, page_search, person, revision
from mokuji.store.tables import field as fields

RANKED = 2_000
"""Maximum number of hits that are ranked and counted; what that costs grows with them. It stands in the statements: a
plan for any values would take a limit that it does not know for a tenth of all hits."""
BY_NAME = 300
"""Maximum number of hits whose names hold the words that are ranked beside them."""
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
    handles: bool = True
    """Whether the actor may know whose handle is whose."""
    named: Mapping[str, int] = field(default_factory=dict)
    pages: Collection[int] | None = None
    """Only these are asked, if it is given."""


@dataclass(frozen=True, slots=True)
class Hit:
    """A page that was found: why so far up (``tier``), how many pages lead to it, and when it was changed last."""

    head: PageHead
    tier: Tier
    led: int
    changed: datetime


def _has(column: ColumnElement[Any], said: str) -> ColumnElement[bool]:
    return column.bool_op("@@")(query(said))


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
            case "by" if not self._scope.handles:
                return false()
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


_called = select(page.c.id).where(func.lower(page.c.key) == value("key"), _within)
_also_called = select(alias.c.page).where(
    func.lower(alias.c.key) == value("key"), among(alias.c.volume, "volumes")
)


def _hits(part: Part, scope: Scope, known: Sought, besides: Besides) -> CTE:
    """The hits with what they are ranked by: a number of all, those whose names hold the words, and those that are
    known beside them. Each is looked at once."""
    words = positive(part, known)
    asked = condition(part, scope, known)
    scored = (
        select(
            page.c.id,
            page.c.volume,
            page.c.author,
            page.c.changed,
            _tier(part, known, words, besides).label("tier"),
            _rank(part, known, words).label("rank"),
            _likely(besides),
        )
        .select_from(_searched)
        .where(_within, *([] if scope.pages is None else [page.c.id == any_(_ids(scope.pages))]))
    )
    parts = [scored.where(asked).limit(fixed(RANKED))]
    if words:
        parts.append(scored.where(asked, _has(page_search.c.names, words)).limit(fixed(BY_NAME)))
    found = [select(each.subquery()) for each in parts]
    beside = union(_called, _also_called) if besides.name else None
    known_ids = [*besides.nearly, *besides.through]
    if beside is not None:
        found.append(scored.where(page.c.id.in_(select(beside.subquery())), ~asked))
    if known_ids:
        found.append(scored.where(page.c.id == any_(_ids(known_ids)), ~asked))
    return union(*found).cte("hits").prefix_with("MATERIALIZED")


def _values(scope: Scope, besides: Besides, most: int, skip: int) -> dict[str, Any]:
    return {
        "volumes": scope.volumes,
        "readable": scope.readable,
        "key": besides.name,
        "most": most,
        "skip": skip,
    }


def _as_hit(row: Any, title: str) -> Hit:
    head = PageHead(row.id, row.volume, row.key, title, row.revision)
    return Hit(head, Tier(row.tier), row.leading, row.changed)


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
    asked = best_first.add_cte(_hits(part, scope, known, besides))
    return [_as_hit(row, row.title) for row in connection.execute(asked, _values(scope, besides, most, skip))]


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
    weights: ColumnElement[Any] = literal_column(f"'{WEIGHED}'::real[]")
    names = page_search.c.names
    by_name = func.ts_rank_cd(weights, names, query(words))
    by_text = func.ts_rank_cd(weights, page_search.c.words, query(words), fixed(1))
    just_so = _has(names, positive(part, Sought(), NAMES["title"]))
    named = _has(names, positive(part, known, BOTH_NAMES))
    of_names = case((just_so, by_name * fixed(2)), (named, by_name), else_=by_text)
    # Most hits hold the words in their text only: that is asked once.
    return case((_has(names, words), of_names), else_=by_text)


def _tier(part: Part, known: Sought, words: str, besides: Besides) -> ColumnElement[int]:
    whens: list[tuple[ColumnElement[bool], Tier | ColumnElement[int]]] = []
    names, folded = page_search.c.names, besides.folded
    if folded:
        title = func.coalesce(page_search.c.named[1], literal_column("''", Text()))
        whens += [
            (func.lower(page.c.key) == value("key"), Tier.TITLE),
            (title == literal(folded), Tier.SAME_TITLE),
            (literal(folded) == any_(page_search.c.named), Tier.ALIAS),
        ]
    nearly = page.c.id == any_(_ids(besides.nearly))
    if besides.nearly and besides.misspelt:
        whens.append((nearly, Tier.NEAR_NAME))
    if words:
        inner = case(
            (_has(names, positive(part, known, NAMES["title"])), fixed(Tier.IN_TITLE)),
            (_has(names, positive(part, known, BOTH_NAMES)), fixed(Tier.IN_ALIAS)),
            else_=fixed(Tier.IN_HEADING),
        )
        whens.append((_has(names, words), inner))
    if besides.nearly and not besides.misspelt:
        # What holds the words in its name is called more than nearly so.
        whens.append((nearly, Tier.ALMOST))
    if besides.through:
        whens.append((page.c.id == any_(_ids(besides.through)), Tier.PUT_IN))
    if not whens:
        return fixed(Tier.IN_TEXT)
    made = [(each, fixed(tier) if isinstance(tier, Tier) else tier) for each, tier in whens]
    return case(*made, else_=fixed(Tier.IN_TEXT))


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


def answer(
    connection: Connection,
    part: Part,
    scope: Scope,
    known: Sought,
    besides: Besides,
    days: Sequence[date],
    *,
    most: int = 20,
    skip: int = 0,
) -> tuple[list[Hit], Counts]:
    """As ``find``, and how many hits there are, up to ``RANKED``; ``days`` are those since which changes are
    counted."""
    asked = with_counts.add_cte(_hits(part, scope, known, besides))
    moments = [datetime.combine(day, time(), UTC) for day in days]
    values = dict(zip(SINCE, moments, strict=True))
    rows = connection.execute(asked, {**_values(scope, besides, most, skip), **values}).all()

    def of(sort: str) -> list[tuple[str, str, int]]:
        return [(row.key, row.name, row.number) for row in rows if row.sort == sort]

    since = {name: number for name, _, number in of("since")}
    counted = Counts(
        {int(key): number for key, _, number in of("volume")},
        of("category"),
        of("field"),
        of("person"),
        [(day.isoformat(), "", since.get(name, 0)) for name, day in zip(SINCE, days, strict=True)],
    )
    ordered = sorted((row for row in rows if row.sort == "hit"), key=lambda row: row.number)
    return [_as_hit(row, row.name) for row in ordered], counted


def by_volume(connection: Connection, part: Part, scope: Scope, known: Sought) -> dict[int, int]:
    """How many pages answer in each volume that the actor may read, up to ``RANKED`` in all."""
    found = (
        select(page.c.volume)
        .select_from(_searched)
        .where(condition(part, scope, known), among(page.c.volume, "readable"))
        .limit(fixed(RANKED))
        .subquery()
    )
    asked = select(found.c.volume, func.count()).group_by(found.c.volume)
    return dict(connection.execute(asked, {"readable": scope.readable}).all())


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
