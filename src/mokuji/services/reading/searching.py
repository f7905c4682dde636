"""Finding pages by a question: what it asks for is read, looked for in the volumes that its reader may read, and
answered with sentences as readers see them."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cached_property

from mokuji.core.base import names
from mokuji.core.finding import near, picking, told
from mokuji.core.finding.picking import Quoted, Wanted
from mokuji.core.finding.question import All, Either, Fact, Part, Question, Without, Words, read
from mokuji.core.finding.terms import Term, folded_name
from mokuji.core.finding.told import Line
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.services.app_context import AppContext, ReadContext, refresh
from mokuji.services.reading.categories import ids_under
from mokuji.services.reading.finding import know_the_newest, writable_as
from mokuji.services.reading.put_in import PutIn, shown_through
from mokuji.store import page_words
from mokuji.store.database import reading
from mokuji.store.files import StoredFile
from mokuji.store.index import asked_for, near_words, search, term_queries
from mokuji.store.index.asked_for import Besides, Counts, Hit, Scope
from mokuji.store.index.search import Named
from mokuji.store.index.term_queries import Sought

PAGE = 20
LONG_PART = 7
"""Letters from which on what holds a word is taken for a compound without looking at what is left of it."""
SHORTEST_PART = 4
NAME_SLIPS = 2
"""Number of slips that a name may hold and still be meant; one in a short name."""
MOST_NEARLY = 5
"""Number of pages that are called nearly so that are shown."""
RARE = 2
"""Words that so few pages hold may be misspelt there, too."""
PLACED = 500
"""Up to so many hits it is counted in which places of a page the words stand."""
MOST_FILES = 8
"""Number of files that are named beside the hits."""
BY_PART = 5
"""Number of pages that are named beside the hits since a part of their names is what was typed."""


@dataclass(frozen=True, slots=True)
class Found:
    """A page that answers, with the sentences that do, and the page that these stand on if it only puts them in."""

    hit: Hit
    volume: Volume
    quoted: tuple[Quoted, ...] = ()
    through: PageHead | None = None


@dataclass(frozen=True)
class Answer:
    """What a question comes to. ``instead`` are words that no page holds, each with those that it was looked for as;
    ``places`` counts hits by where the words stand, if they are few; ``named`` are pages whose names hold what was
    typed as a part, ``files`` those whose names do; ``writable`` is where a page of the question as its name could be
    written (None if nowhere, or if it is there)."""

    question: Question
    volumes: Mapping[int, Volume]
    scope: Volume | None
    found: tuple[Found, ...] = ()
    named: tuple[Named, ...] = ()
    files: tuple[StoredFile, ...] = ()
    counts: Counts = field(default_factory=lambda: Counts({}))
    places: Mapping[str, int] = field(default_factory=dict)
    instead: Mapping[str, Sequence[str]] = field(default_factory=dict)
    unknown: tuple[str, ...] = ()
    writable: Volume | None = None
    more: bool = False

    @property
    def number(self) -> int:
        """How many pages answer in the volumes in hand, up to ``asked_for.RANKED``."""
        counts = self.counts.volumes
        return counts.get(self.scope.id, 0) if self.scope else sum(counts.values())


def find(app: AppContext, actor: Actor, typed: str, volume_key: str = "", page: int = 0) -> Answer:
    """The pages that answer what is typed, in one volume or in all that the actor may read."""
    question = read(typed)
    know_the_newest(app)
    refresh(app)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        scope = context.volumes.get(names.key(volume_key)) if volume_key else None
        by_id = {volume.id: volume for volume in context.volumes.values()}
        if question.part is None:
            # Signs alone may be a name.
            key = names.key(question.typed)
            seen = [scope.id] if scope else list(by_id)
            named = search.by_name(connection, key, seen, most=BY_PART, as_typed=True) if key else []
            return Answer(question, by_id, scope, named=tuple(named))
        return _Asked(context, question, scope, app.clock().date()).answer(page)


@dataclass(frozen=True, slots=True)
class GoRows:
    """What the go box shows: names first, then pages by their words; ``writable`` is where a page of what is typed as
    its name could be written (None if nowhere, or if it is there)."""

    words: str
    volumes: Mapping[int, Volume]
    scope: Volume | None
    named: tuple[Named, ...] = ()
    found: tuple[Found, ...] = ()
    writable: Volume | None = None


GO_ROWS = 3
"""Number of pages that the go box finds by their words."""


def go_box(app: AppContext, actor: Actor, typed: str, volume_key: str = "", *, most: int = 8) -> GoRows:
    """What the go box shows: names first, then pages that hold the words, the last of which may go on."""
    typed = " ".join(typed.replace("\x00", "").split())[:200]
    know_the_newest(app)
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        by_id = {volume.id: volume for volume in context.volumes.values()}
        scope = context.volumes.get(names.key(volume_key)) if volume_key else None
        key = names.key(typed)
        if not key:
            return GoRows("", by_id, scope)
        seen = [scope.id] if scope else list(by_id)
        named = search.by_name(connection, key, seen, most=most)
        if scope is not None and all(each.near for each in named):
            # What this volume has not another may have: one need not say so first.
            everywhere = search.by_name(connection, key, list(by_id), most=most)
            named = [*(each for each in everywhere if not each.near), *named][:most]
        begun = read(typed) if not typed[-1:].isalnum() or typed.endswith("*") else read(f"{typed}*")
        found: tuple[Found, ...] = ()
        if begun.part is not None:
            asked = _Asked(context, begun, scope, as_typed=True)
            found = asked.best({each.page for each in named}, GO_ROWS)
        return GoRows(typed, by_id, scope, tuple(named), found, writable_as(context, scope, key))


LISTED = 500
"""Maximum number of pages that a list takes of those that answer."""


def answering(
    context: ReadContext,
    volume: Volume | None,
    line: str,
    most: int = LISTED,
    among: Collection[int] | None = None,
) -> list[int]:
    """The pages of a volume (None: of all) that answer a question, best first; of ``among`` only, if that is given."""
    question = read(line)
    if question.part is None:
        return []
    return _Asked(context, question, volume, as_typed=True).ids(most, among)


class _Asked:
    """One question, asked in one transaction; ``as_typed`` without what its words could mean besides. ``today`` is what
    counts of changes go back from."""

    def __init__(
        self,
        context: ReadContext,
        question: Question,
        scope: Volume | None,
        today: date = date.min,
        *,
        as_typed: bool = False,
    ) -> None:
        self._today = today
        self._as_typed = as_typed
        self._context = context
        self._connection = context.connection
        self._question = question
        self._volume = scope
        self._seen = [scope] if scope else list(context.volumes.values())
        self._ids = [volume.id for volume in self._seen]
        self._instead: dict[str, Sequence[str]] = {}
        self._through: Mapping[int, Sequence[PutIn]] = {}
        self._unknown: list[str] = []

    @property
    def _part(self) -> Part:
        assert self._question.part is not None
        return self._question.part

    def answer(self, page: int) -> Answer:
        self._through = shown_through(self._context, self._question, self._part, self._scope, self._known)
        besides = replace(self._besides(), through=list(self._through))
        today = self._today
        hits, counts = asked_for.answer(
            self._connection,
            self._part,
            self._scope,
            self._known,
            besides,
            [today - timedelta(7), today - timedelta(30), date(today.year, 1, 1)],
            most=PAGE + 1,
            skip=page * PAGE,
        )
        if not self._context.actor.signed_in:
            # Who is no person of the wiki is not told whose handle is whose.
            counts = replace(counts, people=())
        few = self._question.plain and sum(counts.volumes.values()) <= PLACED
        places = asked_for.places(self._connection, self._part, self._scope, self._known) if few else {}
        if self._volume is not None:
            elsewhere = asked_for.by_volume(self._connection, self._part, self._scope, self._known)
            counts = replace(counts, volumes={**elsewhere, **counts.volumes})
        by_id = {volume.id: volume for volume in self._context.volumes.values()}
        key = names.key(self._question.typed)
        named = self._named_in_part(key, hits) if page == 0 else []
        files = self._files() if page == 0 else []
        return Answer(
            self._question,
            by_id,
            self._volume,
            self._found(hits[:PAGE]),
            tuple(named),
            tuple(files),
            counts,
            places,
            self._instead,
            tuple(self._unknown),
            writable_as(self._context, self._volume, key) if self._question.plain else None,
            len(hits) > PAGE,
        )

    def ids(self, most: int, among: Collection[int] | None) -> list[int]:
        """The pages that answer, with what they put in."""
        if among is not None:
            self._scope = replace(self._scope, pages=among)
        self._through = shown_through(self._context, self._question, self._part, self._scope, self._known)
        besides = replace(self._besides(), nearly=(), through=list(self._through))
        hits = asked_for.find(self._connection, self._part, self._scope, self._known, besides, most=most)
        return [hit.head.id for hit in hits]

    def best(self, but: Collection[int], most: int) -> tuple[Found, ...]:
        """The first pages that answer, but for some."""
        hits = asked_for.find(
            self._connection, self._part, self._scope, self._known, Besides(), most=most + len(but)
        )
        return self._found([hit for hit in hits if hit.head.id not in but][:most])

    def _named_in_part(self, key: str, hits: Sequence[Hit]) -> list[Named]:
        """Pages whose names hold what is typed as a part of a word, which no search by words finds."""
        if not self._question.plain or not key:
            return []
        known = {hit.head.id for hit in hits}
        named = search.by_name(self._connection, key, self._ids, most=BY_PART, as_typed=True)
        return [each for each in named if each.page not in known]

    def _files(self) -> list[StoredFile]:
        """Files whose names hold all that is asked for, if it is words or the name of a file."""
        part = self._part
        if isinstance(part, Fact) and part.name == "file":
            said = part.value.split()
        elif self._question.plain:
            said = self._question.typed.split()
        else:
            return []
        return search.files_named(self._connection, said, self._ids, MOST_FILES)

    # ---- what is asked for ---------------------------------------------------

    @cached_property
    def _words(self) -> list[Words]:
        return list(self._question.words())

    @cached_property
    def _scope(self) -> Scope:
        facts: dict[tuple[str, str], Collection[int]] = {}
        named: dict[str, int] = {}
        for fact in _facts(self._part):
            if fact.name == "category":
                facts[fact.name, fact.value] = self._under(names.key(fact.value))
            elif fact.name == "in":
                volume = self._context.volumes.get(names.key(fact.value))
                named[fact.value] = volume.id if volume else 0
                if volume is None:
                    self._unknown.append(f"There is no volume “{fact.value}”.")
            elif fact.name == "by" and not self._context.actor.signed_in:
                self._unknown.append("Sign in to ask who changed a page.")
        handles = self._context.actor.signed_in
        return Scope(self._ids, sorted(self._context.reads), facts, handles, named)

    def _under(self, key: str) -> set[int]:
        found: set[int] = set()
        for volume in self._seen:
            found |= ids_under(self._context, volume, key)
        return found

    @cached_property
    def _known(self) -> Sought:
        languages = {volume.language for volume in self._seen} or {""}
        known = term_queries.sought(self._connection, languages, self._words)
        if self._as_typed:
            return known
        also: dict[str, Collection[str]] = {}
        for term in self._loose_terms():
            longer = self._compounds(term.plain)
            if longer:
                also[term.plain] = longer
        missing = self._missing(known, also)
        for word in missing:
            nearest = self._nearest(word)
            if nearest:
                also[word] = nearest
                self._instead[word] = nearest
        return Sought(known.stems, also)

    def _loose_terms(self) -> Iterator[Term]:
        """The terms that may be meant otherwise than they are typed: those in quotation marks may not."""
        for words in self._words:
            if not words.exact and not words.begun:
                for run in words.runs:
                    if not run.spaceless:
                        yield from run.terms

    def _compounds(self, part: str) -> list[str]:
        """Longer words that hold one as a part of theirs."""
        if len(part) < SHORTEST_PART:
            return []
        found = near.longer(part, near_words.holding(self._connection, part, self._ids))
        if len(part) < LONG_PART and found:
            parts = {each for word in found for each in word.parts()}
            known = near_words.known(self._connection, parts, self._ids)
            found = [word for word in found if word.is_compound(known)]
        return [each.word for each in found]

    def _missing(self, known: Sought, also: Mapping[str, Collection[str]]) -> list[str]:
        """Words that no page holds in any form."""
        terms = {term.plain: term for term in self._loose_terms() if term.plain not in also}
        if not terms:
            return []
        forms = {plain: known.forms(term) for plain, term in terms.items()}
        there = near_words.known(self._connection, {f for each in forms.values() for f in each}, self._ids)
        missing = {
            plain: each
            for plain, each in forms.items()
            if there.isdisjoint(each) and len(plain) >= near.SHORTEST
        }
        # A stem need be no word itself: of “seals” it is “seal”.
        said = {form for each in missing.values() for form in each}
        found = near_words.pages_of(self._connection, said, self._ids) if said else {}
        return [plain for plain, each in missing.items() if not any(found.get(form) for form in each)]

    def _nearest(self, word: str) -> list[str]:
        """The words nearest to one that pages hold now."""
        one_away = near_words.known(self._connection, near.one_slip_away(word), self._ids)
        alike = near_words.alike(self._connection, word, self._ids) if near.allowed(word) > 1 else []
        nearest = near.nearest(word, one_away) or near.nearest(word, alike)
        there = near_words.pages_of(self._connection, nearest, self._ids) if nearest else {}
        return [each for each in nearest if there.get(each)]

    def _besides(self) -> Besides:
        key, folded = names.key(self._question.typed), folded_name(self._question.typed)
        if not self._question.plain or not names.is_storable(key):
            return Besides()
        if near_words.is_named(self._connection, folded, self._ids):
            return Besides(key, folded)
        called = near_words.called(self._connection, near.one_slip_away(key), self._ids)
        if len(key) > near.LISTED:
            called = near_words.called_alike(self._connection, key, self._ids)
        distances = {id_: near.slips(key, name, NAME_SLIPS) for id_, name in called.items()}
        nearly = sorted(
            (id_ for id_, distance in distances.items() if distance <= NAME_SLIPS),
            key=lambda id_: (distances[id_], near.unlikely(key, called[id_]), called[id_]),
        )
        return Besides(key, folded, nearly[:MOST_NEARLY], bool(nearly) and self._are_rare())

    def _are_rare(self) -> bool:
        """Whether the words are on so few pages that they may be misspelt there too."""
        if self._known and self._instead:
            return True
        return asked_for.are_few(self._connection, self._part, self._scope, self._known, RARE)

    # ---- the sentences that answer -------------------------------------------

    def _found(self, hits: Sequence[Hit]) -> tuple[Found, ...]:
        texts = asked_for.told(self._connection, [hit.head.id for hit in hits])
        return tuple(self._quoting(hit, texts.get(hit.head.id, "")) for hit in hits)

    def _quoting(self, hit: Hit, text: str) -> Found:
        home = self._volumes[hit.head.volume]
        quoted = self._quote(told.read_kept(text), home)
        for put in self._through.get(hit.head.id, ()):
            inner = self._quote(put.lines, self._volumes[put.source.volume])
            if inner:
                # An anchor of the other page leads nowhere on this one.
                own = tuple(replace(each, anchor="", section="") for each in inner)
                return Found(hit, home, own, put.source)
        return Found(hit, home, quoted or picking.beginning(told.read_kept(text)))

    def _quote(self, lines: Iterable[Line], home: Volume) -> tuple[Quoted, ...]:
        found = picking.candidates(lines, self._wanted)
        stems = page_words.stems(self._connection, home.language, found.words)
        return picking.quote(found, self._wanted, stems)

    @cached_property
    def _volumes(self) -> dict[int, Volume]:
        return {volume.id: volume for volume in self._context.volumes.values()}

    @cached_property
    def _wanted(self) -> list[Wanted]:
        known = self._known
        return [
            picking.wanted_of(
                words,
                {
                    term: [term.plain] if words.exact or words.begun else known.forms(term)
                    for run in words.runs
                    for term in run.terms
                },
                [run.whole for run in words.runs if run.whole and len(words.runs) == 1],
            )
            for words in self._words
        ]


def _facts(part: Part) -> Iterator[Fact]:
    if isinstance(part, Fact):
        yield part
    elif isinstance(part, Without):
        yield from _facts(part.part)
    elif isinstance(part, All | Either):
        for each in part.parts:
            yield from _facts(each)
