"""What is known while references follow: texts before and after, the edits so far, what was noted of references.

Texts are read once. A page put together anew is made of passages of the texts of before (``composing``), so a
reference is named by the text it was typed in and its range there, wherever it stands afterwards."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property

from mokuji.core.base.edits import Edit
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import matching
from mokuji.core.language.page import Page, PageHead, Use, alias_keys
from mokuji.core.model.references import Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Overlay, Place, Volume, Wiki
from mokuji.core.refactor.engine.composing import Carried, Composed
from mokuji.core.refactor.engine.decision import Decision, Exchange, Note
from mokuji.core.refactor.engine.outcome import AffectedReference, At, Outcome
from mokuji.core.syntax.reference import Kind, Reference


class State:
    """One outcome being followed: the wiki before (``wiki``) and ``after``, edits by text, notes by reference."""

    def __init__(
        self,
        wiki: Wiki,
        outcome: Outcome,
        present_words: bool,
        leave: Mapping[int, tuple[int, frozenset[Span]]],
        minimal: bool,
    ) -> None:
        self.wiki = wiki
        self.outcome = outcome
        self.present_words = present_words
        self.leave = leave
        self.minimal = minimal
        self.pages: dict[int, Page] = {}
        self.edits: dict[int, dict[Span, Edit]] = {}
        self.exchanged: dict[int, Exchange] = {}
        """Pages in which plain names are exchanged and nothing else; none of them is in ``edits``."""
        self.stored: dict[int, Page] = {}
        self.renamed: dict[int, dict[int, Name]] = {}
        self.careful: set[int] = set()
        self.dirty: set[int] = set()
        self.captured: dict[At, AffectedReference] = {}
        self.lost: dict[At, AffectedReference] = {}
        self.lost_sections: dict[At, AffectedReference] = {}
        self.other_texts: dict[At, AffectedReference] = {}
        self.resettled: dict[At, AffectedReference] = {}
        self.released: dict[At, AffectedReference] = {}
        self.returned: dict[At, AffectedReference] = {}
        self.unsectioned: set[At] = set()
        self.gone_references: set[At] = set()
        self.wanted_ids: dict[At, int | None] = {}
        self.sections: set[tuple[int, int]] = set()
        self.labelled: dict[int, set[int]] = {}
        self.added = 0
        self.resolved: dict[tuple[bool, int, Name, bool], Resolution] = {}
        self._whole_homes: dict[int, Volume | None] = {}
        self._composed: dict[int, Composed] = {}
        self._known_sections: dict[int, Sections] = {}
        self._read_sections: dict[int, tuple[Composed, Sections]] = {}
        self.load([*outcome.texts, *outcome.edits, *(i for i in outcome.heads if i > 0), *outcome.gone])
        self.load({p.source for parts in outcome.texts.values() for p in parts if isinstance(p, Carried)})
        self.load({page for page, _ in (*outcome.aims, *outcome.plain)})
        for id_, edits in outcome.edits.items():
            self.edits[id_] = {edit.span: edit for edit in edits}
            self.careful.add(id_)
        self.after = self._overlay()
        self.homes_after = volumes_by_id(self.after)
        # A text that comes back with its volume has no other home before.
        self.homes = {**self.homes_after, **volumes_by_id(wiki)}
        self.volume_keys = frozenset(wiki.volumes)
        self.volume_keys_after = frozenset(self.after.volumes)

    def _overlay(self) -> Overlay:
        outcome = self.outcome
        changed = self.recast - outcome.gone
        changed |= {
            id_
            for id_, head in outcome.heads.items()
            if id_ not in self.stored or self.stored[id_].head.volume != head.volume
        }
        aliases: dict[int, tuple[str, ...]] = {}
        heads = dict(outcome.heads)
        for id_ in changed:
            aliases[id_] = alias_keys(self.composition(id_).content.front_matter)
            if id_ not in heads:
                heads[id_] = self.page(id_).head
        return Overlay(self.wiki, heads, gone=outcome.gone, aliases=aliases, volumes=outcome.volumes)

    @cached_property
    def recast(self) -> set[int]:
        """The pages whose text is another one by the act itself."""
        edited = {host for id_ in self.outcome.edits for host in self.hosts_of(id_)}
        return {*self.outcome.texts, *edited}

    @cached_property
    def apart(self) -> frozenset[int]:
        """The pages on which two references typed alike may follow differently."""
        outcome = self.outcome
        aimed = {id_ for id_, _ in (*outcome.aims, *outcome.plain)}
        parted = self.hosts.keys() | outcome.texts.keys() | outcome.sources.keys() | outcome.edits.keys()
        return frozenset(aimed | parted | outcome.heads.keys() | outcome.gone | self.leave.keys())

    def load(self, ids: Iterable[int]) -> None:
        """Reads the texts with these ids, those of the act among them, in one question."""
        missing = [id_ for id_ in dict.fromkeys(ids) if id_ not in self.pages]
        if missing:
            asked = [id_ for id_ in missing if id_ not in self.outcome.sources]
            self.stored.update(self.wiki.pages(asked) if asked else {})
            pages = {id_: self.stored[id_] for id_ in asked if id_ in self.stored}
            pages |= {i: self.outcome.sources[i] for i in missing if i in self.outcome.sources}
            self.pages.update(pages)

    def page(self, id_: int) -> Page:
        """The text of before with this id: a page's own, or one of the sources."""
        if id_ not in self.pages:
            self.load([id_])
        return self.pages[id_]

    def head_after(self, id_: int) -> PageHead:
        """The head that a page has afterwards."""
        head = self.outcome.heads.get(id_)
        if head is None and id_ not in self.pages:
            self.load([id_])
        return head if head is not None else self.page(id_).head

    @cached_property
    def hosts(self) -> Mapping[int, list[tuple[Span, int]]]:
        """Source → which of its ranges go into which page that is put together anew."""
        hosts: dict[int, list[tuple[Span, int]]] = {}
        for id_, parts in self.outcome.texts.items():
            for part in parts:
                if isinstance(part, Carried):
                    hosts.setdefault(part.source, []).append((part.span, id_))
        return hosts

    def host(self, source: int, span: Span) -> int | None:
        """The page on which a passage stands afterwards; None if nowhere."""
        for carried, id_ in self.hosts.get(source, ()):
            if carried.covers(span):
                return id_
        if source in self.outcome.gone or source in self.outcome.texts or source not in self.stored:
            return None
        return source

    def composition(self, id_: int) -> Composed:
        """The text of a page afterwards, with the edits made so far."""
        if id_ not in self._composed:
            parts = self.outcome.texts.get(id_)
            if parts is None:
                page = self.page(id_)
                parts = [Carried(id_, Span(0, len(page.text)))]
            self._composed[id_] = Composed(parts, lambda source: self.page(source).text, self.edits_of)
        return self._composed[id_]

    def edits_of(self, source: int) -> Iterable[Edit]:
        """The edits of a text so far."""
        if source in self.exchanged:
            self.settle(source)
        return self.edits.get(source, {}).values()

    def sources_of(self, id_: int) -> set[int]:
        """The texts that a page consists of."""
        parts = self.outcome.texts.get(id_)
        return {id_} if parts is None else {p.source for p in parts if isinstance(p, Carried)} | {id_}

    def hosts_of(self, source: int) -> set[int]:
        """The pages that a text goes into."""
        if not self.hosts:
            return {source}
        hosts = {id_ for _, id_ in self.hosts.get(source, ())}
        return hosts or {source}

    def alias_places(self, id_: int) -> set[Place]:
        page = self.stored.get(id_)
        return set() if page is None else {(page.head.volume, key) for key in page.alias_keys}

    def aliases_after(self, id_: int) -> tuple[str, ...]:
        return alias_keys(self.composition(id_).content.front_matter)

    def home(self, page: Page) -> Volume:
        """The volume that a page stands in before."""
        return self.homes[page.head.volume]

    def home_after(self, page: Page, span: Span) -> Volume | None:
        """The volume that a passage stands in afterwards."""
        id_ = page.head.id
        if id_ in self._whole_homes:
            return self._whole_homes[id_]
        host = self.host(id_, span)
        home = None if host is None else self.homes_after.get(self.head_after(host).volume)
        if id_ not in self.hosts:
            # All of the text stays together: what was found for one range fits all.
            self._whole_homes[id_] = home
        return home

    def left(self, page: Page, reference: Reference) -> bool:
        revision, spans = self.leave.get(page.head.id, (0, frozenset[Span]()))
        return revision == page.head.revision and reference.span in spans

    def speaker(self, page: Page) -> int:
        """The page that a text means by ``[[#section]]``."""
        return self.outcome.copies.get(page.head.id, page.head.id)

    def must_keep_place(self, page: Page, reference: Reference, was: Resolution) -> bool:
        if was.place[0] not in self.homes_after or reference.name is None:
            return False
        home = self.home_after(page, reference.span)
        if home is None or home.id != page.head.volume:
            return True
        by_volume = reference.name.volume is not None and was.place[1] == reference.name.title
        return by_volume and self.wiki.volumes.get(reference.name.volume or "") is not None

    def resolve_after(self, name: Name, home: Volume, insert: bool) -> Resolution:
        key = (True, home.id, name, insert)
        if key not in self.resolved:
            resolver = Resolver.of(self.after, [(home, _bare(name, insert))])
            self.resolved[key] = resolver.resolve(name, home, insert=insert)
        return self.resolved[key]

    def decided(self, page: Page, use: Use, decision: Decision) -> None:
        """Writes down what was decided of a reference."""
        id_, span = page.head.id, use.reference.span
        at = (id_, span)
        if decision.leads:
            self.wanted_ids[at] = decision.wanted
        if decision.unsectioned:
            self.unsectioned.add(at)
        if decision.note is not None:
            self._listed(decision.note)[at] = AffectedReference(page.head, span)
        if decision.words:
            for inside in [each for each in self.edits.get(id_, {}) if span.covers(each)]:
                del self.edits[id_][inside]
        for edit in decision.edits:
            self.edit(page, use, Edit(edit.span.moved(span.start), edit.words))
        if decision.words:
            self.gone_references.add(at)
        if decision.name is not None:
            self.renamed.setdefault(id_, {})[use.index] = decision.name
        if decision.labelled:
            self.labelled.setdefault(id_, set()).add(use.index)
        if decision.careful:
            self.careful.add(id_)
        self.added += decision.label_added

    def _listed(self, note: Note) -> dict[At, AffectedReference]:
        return {
            Note.CAPTURED: self.captured,
            Note.LOST: self.lost,
            Note.OTHER_TEXTS: self.other_texts,
            Note.RESETTLED: self.resettled,
            Note.RELEASED: self.released,
            Note.RETURNED: self.returned,
        }[note]

    def settle(self, id_: int) -> None:
        """Makes of a page in which only names were exchanged one like all others, since more is to become of it."""
        exchange = self.exchanged.pop(id_)
        for index, decision in exchange.decisions:
            use = exchange.page.use(index)
            if use is not None:
                self.decided(exchange.page, use, decision)

    def edit(self, page: Page, use: Use, edit: Edit) -> None:
        gone = self.gone_references
        if gone and any(id_ == page.head.id and span.covers(edit.span) for id_, span in gone):
            return
        self.put_edit(page.head.id, edit)
        if use.in_heading:
            self.mark_dirty(page.head.id)
            self.careful.add(page.head.id)

    def put_edit(self, source: int, edit: Edit) -> None:
        """Adds an edit to a text."""
        if source in self.exchanged:
            self.settle(source)
        self.edits.setdefault(source, {})[edit.span] = edit
        if self._composed:
            for host in self.hosts_of(source):
                self._composed.pop(host, None)

    def mark_dirty(self, source: int) -> None:
        """Notes that texts which a text goes into are to be looked at again for their sections."""
        for host in self.hosts_of(source):
            self.dirty |= {id_ for id_ in self.sources_of(host) if id_ in self.stored}

    def sections_before(self, id_: int) -> Sections:
        if id_ not in self._known_sections:
            self._known_sections[id_] = Sections.of(self.stored[id_], self.volume_keys)
        return self._known_sections[id_]

    def sections_after(self, id_: int) -> Sections:
        made = self.composition(id_)
        known = self._read_sections.get(id_)
        if known is None or known[0] is not made:
            page = _Read(self.head_after(id_), made)
            known = self._read_sections[id_] = (made, Sections.of(page, self.volume_keys_after))
        return known[1]

    def located(self, target: int, index: int) -> tuple[int, int | None] | None:
        """Where a heading of a page is afterwards: the page and the index there; None if it went with its page."""
        heading = self.stored[target].content.headings[index]
        host = self.host(target, Span(heading.span.start, heading.span.start + 1))
        if host is not None:
            at = self.composition(host).heading_at(target, heading.span.start)
            if at is not None or host != target or target not in self.outcome.texts:
                return host, at
        entry = self.outcome.successors.get(target)
        keeper = entry.page if entry is not None else (None if target in self.outcome.gone else target)
        if keeper is None:
            return None
        return keeper, self._alike(target, keeper).get(index)

    def _alike(self, target: int, keeper: int) -> dict[int, int]:
        """Headings of a text that was replaced by another: which of the new ones they are."""
        was, will = self.sections_before(target), self.sections_after(keeper)
        old = [heading.level for heading in self.stored[target].content.headings]
        new = [heading.level for heading in self.composition(keeper).content.headings]
        free = {
            n
            for n, heading in enumerate(self.composition(keeper).content.headings)
            if self._is_free(keeper, n)
        }
        found = matching(
            list(zip(was.ids, was.keys, old, strict=True)), list(zip(will.ids, will.keys, new, strict=True))
        )
        return {a: b for a, b in found.items() if b in free}

    def _is_free(self, page: int, index: int) -> bool:
        """Whether a heading afterwards is none that was carried from a page of before."""
        made = self.composition(page)
        piece = made.piece_at(made.content.headings[index].span.start)
        return not (isinstance(piece.part, Carried) and piece.part.source in self.stored)

    def within_gone(self, source: int, reference: Reference) -> bool:
        """Whether a reference became words, or stands in what an edit of the act itself replaces."""
        if (source, reference.span) in self.gone_references:
            return True
        if any(edit.span.covers(reference.span) for edit in self.outcome.edits.get(source, ())):
            return True
        return any(page == source and gone.covers(reference.span) for page, gone in self.gone_references)


def name_of(head: PageHead) -> tuple[int, str, str]:
    """What references call a page by: volume, key and title."""
    return head.volume, head.key, head.title


class _Read(Page):
    """A page of which the text was scanned already."""

    def __init__(self, head: PageHead, made: Composed) -> None:
        super().__init__(head, made.text)
        self.__dict__["content"] = made.content


def _bare(name: Name, insert: bool) -> Reference:
    return Reference(Kind.INSERT if insert else Kind.LINK, Span(0, 0), name, Span(0, 0), Span(0, 0))
