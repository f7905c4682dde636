"""What is found on a page through what it puts in: joined when it is asked, as its reader sees it.

From the pages that hold the words and are put in somewhere, to those that put
them in, and again to those that put these in. Of each insert only the part
counts that it takes; what its reader may not read is no source.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain

from mokuji.core.assembly.inserts import select
from mokuji.core.base.spans import Span
from mokuji.core.finding import told
from mokuji.core.finding.question import Part, Question
from mokuji.core.finding.told import Line
from mokuji.core.finding.vector import LARGEST, PageTerms
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import lookups, volumes_by_id
from mokuji.core.model.wiki import Place
from mokuji.core.syntax.reference import Reference, read
from mokuji.services.app_context import ReadContext
from mokuji.store import page_words
from mokuji.store.index import put_in, uses
from mokuji.store.index.asked_for import Scope
from mokuji.store.index.term_queries import Sought, any_of
from mokuji.store.snapshot import StoredWiki

DEEPEST = 3
"""So many inserts inside each other are followed."""
MOST_USES = 200
"""Maximum number of inserts of one page that are looked at."""
MOST_PAGES = 300
"""Maximum number of pages that are looked at for what they put in."""


@dataclass(frozen=True, slots=True)
class PutIn:
    """What a page puts in of another: that page, and the lines that it takes."""

    source: PageHead
    lines: tuple[Line, ...]


@dataclass
class _Round:
    """Pages whose text, or what they put in, holds some of the words: what each hands on to those that put it in."""

    pages: dict[int, Page] = field(default_factory=dict)
    carried: dict[int, list[tuple[int, PutIn]]] = field(default_factory=dict)
    """Of each page what it puts in itself, and where."""


def shown_through(
    context: ReadContext, question: Question, part: Part, scope: Scope, known: Sought
) -> Mapping[int, Sequence[PutIn]]:
    """The pages that answer a question only with what they put in, and what that is."""
    words = any_of(question.words(), known)
    wiki = StoredWiki(context.connection, context.volumes)
    places = _places(context, wiki) if words else set()
    if not places:
        return {}
    heads = put_in.sources(context.connection, places, words)
    found = _putting_in(wiki, scope, heads)
    vectors = {page: _vector(context, wiki, each) for page, each in found.items()}
    if not vectors:
        return {}
    answering = put_in.answering_with(context.connection, part, scope, known, vectors)
    return {page: found[page] for page in answering}


def _places(context: ReadContext, wiki: StoredWiki) -> set[Place]:
    """Where the pages may be that are put in somewhere."""
    homes = volumes_by_id(wiki)
    named = put_in.insert_names(context.connection, sorted(homes))
    return set(
        chain.from_iterable(lookups(name, homes[home], wiki.volumes, insert=True) for home, name in named)
    )


def _putting_in(wiki: StoredWiki, scope: Scope, heads: Sequence[PageHead]) -> dict[int, list[PutIn]]:
    """The pages that put some in, straight or through others, with what they take."""
    found: dict[int, list[PutIn]] = {}
    current = _Round({page.head.id: page for page in wiki.pages([head.id for head in heads]).values()})
    for _ in range(DEEPEST):
        following = _Round()
        heads_of: dict[int, PageHead] = {}
        for page in current.pages.values():
            for use in uses.uses(wiki, page.head, scope.readable, MOST_USES):
                taken = _taken(wiki, page, use.typed, current.carried.get(page.head.id, ()))
                if use.page.id == page.head.id or len(found) >= MOST_PAGES or not taken:
                    continue
                found.setdefault(use.page.id, []).extend(taken)
                heads_of[use.page.id] = use.page
                following.carried.setdefault(use.page.id, []).extend((use.start, each) for each in taken)
        following.pages = dict(wiki.pages(list(heads_of)))
        current = following
        if not current.pages:
            break
    return found


def _taken(wiki: StoredWiki, page: Page, typed: str, carried: Sequence[tuple[int, PutIn]]) -> list[PutIn]:
    """What an insert takes of a page: its own lines, and of what that puts in, what stands in the same part."""
    reference = read(typed, 0)
    if not isinstance(reference, Reference):
        return []
    spans = select(page, reference.section, wiki.volumes)
    if spans is None:
        return []
    inner = [each for at, each in carried if any(span.start <= at < span.end for span in spans)]
    return [PutIn(page.head, tuple(_lines(page, spans, wiki.volumes))), *inner]


def _lines(page: Page, spans: Sequence[Span], volumes: Collection[str]) -> list[Line]:
    found: list[Line] = []
    for span in spans:
        found += told.told(Page(page.head, span.of(page.text)), volumes)
    return found


def _vector(context: ReadContext, wiki: StoredWiki, taken: Sequence[PutIn]) -> str:
    """The terms of what is put in, by the languages of the volumes where it stands."""
    homes = volumes_by_id(wiki)
    pieces: list[str] = []
    for each in {(each.source.id, each.lines): each for each in taken}.values():
        terms = PageTerms("", (), each.lines)
        language = homes[each.source.volume].language
        vector, _ = terms.vectors(page_words.stems(context.connection, language, terms.words()))
        if sum(map(len, pieces)) + len(vector) < LARGEST:
            pieces.append(vector)
    return " ".join(pieces)
