"""Inline: inserts are replaced by the text that they stand for, one or all of a page; a page that nothing uses any
more can go to the trash with the same act.

The other way round than ``extract``. Every page is read before and after:
where readers would see something else, the insert stays and is counted.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.assembly.rendered_equality import Reader, Revised
from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.phrases import Named
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.edit.front_edit import add_lists
from mokuji.core.language.page import Page
from mokuji.core.language.scan import scan
from mokuji.core.model.contents import Take
from mokuji.core.model.references import Resolver, inserts_of, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Carried, Composition, Part, Words, gap_behind
from mokuji.core.refactor.engine.inlining import Flat, Flattener, Left
from mokuji.core.refactor.engine.outcome import AffectedReference, Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need
from mokuji.core.syntax.reference import Kind

MOST = 300
"""Maximum number of places that one act replaces: each page is read twice."""
ENDLESS = "it comes back to itself, so its text has no end: mend that first"
FRONT = "what it files its pages under cannot be put into their front matter, which is written in another way"
DIFFERS = "it would not read the same there"


@dataclass(frozen=True, slots=True)
class Inlined(Facts):
    """An insert whose text stands in its place."""

    template: Named


@dataclass(frozen=True, slots=True)
class InlinedEverywhere(Facts):
    """Inserts whose text stands in their place: how many, how many stay and why, whether the page goes to the trash."""

    template: str
    places: int
    left: int
    why: tuple[str, ...]
    trash: bool


def inline(wiki: Wiki, page_id: int, index: int, readable: Collection[int] | None = None) -> Plan:
    """The plan to replace one insert (``index`` among the references of its page) by its text. Missing if there is
    no such insert, or if it leads into a volume that is not among the ``readable`` ones; Refused with the reason if
    its text cannot stand there."""
    page = need(wiki, page_id)
    template = _template(wiki, page, index, readable)
    done = _Page(wiki, page, [(index, template)])
    if done.left:
        raise Refused(
            f"“{template.head.title}” cannot be replaced by its text on “{page.head.title}”: {done.left[0]}.",
            code="not_inlined",
            named=[template.head.volume, page.head.volume],
        )
    outcome = Outcome(texts={page_id: done.parts}, edits={page_id: done.edits} if done.edits else {})
    facts = Inlined(naming(template.head))
    return make(wiki, "inline", page.head, outcome, asked=(page_id, index), facts=facts)


def inline_everywhere(wiki: Wiki, template_id: int, *, trash: bool = False) -> Plan:
    """The plan to replace all inserts of a page by its text. With ``trash`` the page goes to the trash if no insert
    of it is left; links to it are unwritten then."""
    template = need(wiki, template_id)
    places: dict[int, list[tuple[int, Page]]] = {}
    pages: dict[int, Page] = {}
    left: Counter[str] = Counter()
    count = 0
    for page, index in inserts_of(wiki, template):
        count += 1
        if page.head.id == template_id:
            left["it stands on the page itself"] += 1
        elif count > MOST:
            left[f"one act replaces {MOST} places at most, so do it again for the rest"] += 1
        else:
            pages[page.head.id] = page
            places.setdefault(page.head.id, []).append((index, template))
    if not count:
        raise Refused(
            f"Nothing inserts “{template.head.title}”.", code="nothing_to_do", named=[template.head.volume]
        )
    made = {id_: _Page(wiki, pages[id_], found) for id_, found in places.items()}
    for each in made.values():
        left.update(each.left)
    gone = trash and not left
    outcome = Outcome(
        gone=frozenset({template_id} if gone else ()),
        texts={id_: each.parts for id_, each in made.items() if each.done},
        edits={id_: each.edits for id_, each in made.items() if each.edits},
    )
    facts = InlinedEverywhere(
        template.head.title,
        sum(each.done for each in made.values()),
        sum(left.values()),
        tuple(f"{why} ({n})" if n > 1 else why for why, n in left.most_common(3)),
        gone,
    )
    contents = [Take(template.head.volume, template.head.key)] if gone else []
    plan = make(
        wiki,
        "inline everywhere",
        template.head,
        outcome,
        asked=(template_id, trash),
        facts=facts,
        contents=contents,
    )
    if not gone:
        return plan
    lost = (
        *plan.followed.lost,
        *(reference for page in made.values() for reference in _lost(wiki, page, template_id)),
    )
    return replace(plan, followed=replace(plan.followed, lost=lost))


def _lost(wiki: Wiki, made: _Page, template: int) -> Iterator[AffectedReference]:
    """The inserts whose text, typed out, refers to the page that goes."""
    home = volumes_by_id(wiki)[made.page.head.volume]
    for index, flat in made.flats.items():
        references = scan("\n\n".join((flat.words, *flat.told))).references
        resolver = Resolver.of(wiki, ((home, reference) for reference in references))
        for reference in references:
            insert = reference.kind is Kind.INSERT
            head = reference.name and resolver.resolve(reference.name, home, insert=insert).page
            if head and head.id == template:
                yield AffectedReference(made.page.head, made.page.content.references[index].span)
                break


def _template(wiki: Wiki, page: Page, index: int, readable: Collection[int] | None) -> Page:
    references = page.content.references
    if not 0 <= index < len(references) or references[index].kind is not Kind.INSERT:
        raise Missing("There is no such insert on the page any more.", code="insert_missing")
    reference = references[index]
    home = volumes_by_id(wiki)[page.head.volume]
    assert reference.name is not None
    head = Resolver.of(wiki, [(home, reference)]).resolve(reference.name, home, insert=True).page
    template = wiki.pages([head.id]).get(head.id) if head is not None else None
    if template is None or (readable is not None and template.head.volume not in readable):
        raise Missing("This insert leads to no page.", code="insert_unwritten")
    if template.head.id == page.head.id:
        raise Refused("An insert of a page on itself stands for no text.", code="insert_loop")
    return template


@dataclass
class _Page:
    """A page with some of its inserts replaced: its new text as parts, how many are, and why others are not. What a
    template gives its users stays with the page, as categories in its front matter (``edits``)."""

    parts: Composition
    done: int
    left: list[str]
    edits: tuple[Edit, ...]
    page: Page
    flats: Mapping[int, Flat]

    def __init__(self, wiki: Wiki, page: Page, inserts: Sequence[tuple[int, Page]]) -> None:
        flattener = Flattener(wiki, page)
        flats: dict[int, Flat] = {}
        self.left = []
        reader = Reader(wiki)
        endless = reader.endless(page)
        for index, template in inserts:
            if index in endless:
                # It may read the same here; but not where this page is put in, itself a part of the circle.
                self.left.append(ENDLESS)
                continue
            try:
                flats[index] = flattener.flat(index, template)
            except Left as why:
                self.left.append(str(why))
        before = reader.read(page)
        if flats and not _reads_as(wiki, page, flats, before):
            # One of them is the cause: those that do well by themselves are taken, one after the other.
            taken: dict[int, Flat] = {}
            for index, flat in flats.items():
                if _reads_as(wiki, page, taken | {index: flat}, before):
                    taken[index] = flat
                else:
                    self.left.append(DIFFERS)
            flats = taken
        try:
            self.edits = _given(page, [(index, t) for index, t in inserts if index in flats])
        except Refused:
            # Reasons are told in one list for all pages, of which some may be closed to who asks.
            self.left += [FRONT] * len(flats)
            flats, self.edits = {}, ()
        self.page, self.flats = page, flats
        self.done = len(flats)
        self.parts = _parts(page, flats)


def _given(page: Page, replaced: Sequence[tuple[int, Page]]) -> tuple[Edit, ...]:
    """The edits that file a page where templates filed it that it inserts no more."""
    gone = {index for index, _ in replaced}
    references = page.content.references
    kept = {each.name for n, each in enumerate(references) if each.kind is Kind.INSERT and n not in gone}
    now = {names.key(each) for each in page.content.front_matter.names("categories")}
    wanted: dict[str, str] = {}
    for index, template in replaced:
        if references[index].name not in kept:
            wanted |= {names.key(each): each for each in template.content.front_matter.names("gives")}
    more = [name for key, name in wanted.items() if key not in now]
    return add_lists(page.text, {"categories": more}, page.head.title) if more else ()


def _reads_as(wiki: Wiki, page: Page, flats: Mapping[int, Flat], before: str) -> bool:
    text = "".join(p.words if isinstance(p, Words) else p.span.of(page.text) for p in _parts(page, flats))
    new = Page(page.head, text)
    return Reader(Revised(wiki, {page.head.id: new})).read(new) == before


def _parts(page: Page, flats: Mapping[int, Flat]) -> Composition:
    parts: list[Part] = []
    told: list[str] = []
    at = 0  # behind what was carried or replaced so far
    for index in sorted(flats, key=lambda n: page.content.references[n].span):
        flat, span = flats[index], page.content.references[index].span
        start = flat.before.start if flat.before is not None else span.start
        if start > at:
            parts.append(Carried(page.head.id, Span(at, start)))
        # What stands apart from the one before is parted by that one, if it was typed out as well.
        parts.append(Words((flat.gap if flat.before is not None and start >= at else "") + flat.words))
        at = span.end
        if flat.behind is not None:
            parts.append(Words(flat.gap))
            at = flat.behind.end
        told += [each for each in flat.told if each not in told]
    parts.append(Carried(page.head.id, Span(at, len(page.text))))
    if told:
        end = front_edit.line_end(page.text)
        last = page.text if at < len(page.text) else "".join(flat.words for flat in flats.values())
        parts.append(Words(gap_behind(last, end) + (end * 2).join(told) + end))
    return parts
