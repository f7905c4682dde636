"""The end of following: every rewritten page is read again, and the act is refused unless its references are the
expected ones."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence

from mokuji.core.base.edits import Edit, apply, arrange
from mokuji.core.base.errors import Refused
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.model.changes import Fate, PageChange
from mokuji.core.model.references import Resolver
from mokuji.core.refactor.engine.composing import Composed, Words
from mokuji.core.refactor.engine.decision import Exchange
from mokuji.core.refactor.engine.outcome import AffectedReference, At, Followed
from mokuji.core.refactor.engine.state import State
from mokuji.core.syntax.reference import Kind, Reference


class Outcomes:
    """Makes changes of what was decided, and checks them."""

    def __init__(self, state: State) -> None:
        self.state = state

    def finish(self) -> Followed:
        """The changed pages, each read again where that could matter; Refused if one is not as expected."""
        outcome = self.state.outcome
        edited = {
            host
            for source, edits in self.state.edits.items()
            if edits
            for host in self.state.hosts_of(source)
        }
        ids = (edited | set(outcome.texts) | set(outcome.heads)) - outcome.gone
        changes = [self._change(id_) for id_ in ids if id_ in self.state.pages or id_ in outcome.texts]
        exchanged = [made for each in self.state.exchanged.values() if (made := _exchanged(each))]
        changes += exchanged
        changes.sort(key=lambda change: (change.head.volume, change.head.key, change.head.id))
        self._verify([change for change in changes if change.content is not None])

        def listed(found: Mapping[At, AffectedReference]) -> tuple[AffectedReference, ...]:
            return tuple(sorted(found.values(), key=lambda f: (f.page.volume, f.page.key, f.span)))

        return Followed(
            tuple(changes),
            captured=listed(self.state.captured),
            lost=listed(self.state.lost),
            lost_sections=listed(self.state.lost_sections),
            other_texts=listed(self.state.other_texts),
            resettled=listed(self.state.resettled),
            released=listed(self.state.released),
            returned=listed(self.state.returned),
            landed=self._landed({change.head.id: change for change in changes}),
            references=sum(len(indexes) for indexes in self.state.renamed.values())
            + sum(len(change.renamed) for change in exchanged),
            sections=len(self.state.sections),
            labels_kept=sum(len(indexes) for indexes in self.state.labelled.values())
            + sum(len(change.labelled) for change in exchanged),
            labels_added=self.state.added,
        )

    def _landed(self, changes: Mapping[int, PageChange]) -> dict[int, tuple[int, frozenset[Span]]]:
        """Where references stand once this is done that were captured, or would be written elsewhere: page → its
        revision then, and their ranges."""
        places: dict[int, tuple[int, frozenset[Span]]] = {}
        for source, span in (*self.state.captured, *self.state.resettled):
            host = self.state.host(source, span)
            if host is None:
                continue
            piece = self.state.composition(host).piece_of(source, span.start)
            if piece is not None:
                revision = self.state.head_after(host).revision
                if host in changes:
                    revision = changes[host].head.revision + 1
                there = Span(piece.place(span.start), piece.place(span.end))
                places[host] = (revision, places.get(host, (0, frozenset[Span]()))[1] | {there})
        return places

    def _change(self, id_: int) -> PageChange:
        stored = self.state.stored.get(id_)
        head = stored.head if stored is not None else self.state.outcome.heads[id_]
        before = stored.text if stored is not None else ""
        after = self.state.head_after(id_)
        fate = self.state.outcome.fates.get(id_, Fate.KEPT)
        if fate is not Fate.KEPT:
            before = self.state.outcome.sources[id_].text if id_ in self.state.outcome.sources else ""
        own = id_ in self.state.recast or id_ in self.state.outcome.heads
        if id_ in self.state.outcome.texts:
            made = self.state.composition(id_)
            edits = made.as_edits(id_, before)
            return PageChange(
                head,
                after.title,
                before,
                made.text,
                edits,
                made.content,
                {},
                frozenset(),
                after.volume,
                fate,
                own,
            )
        edits = arrange(self.state.edits_of(id_))
        volume_same = after.volume == head.volume
        if id_ not in self.state.careful and volume_same and fate is Fate.KEPT:
            text, content = apply(before, edits), None
        else:
            text, content = self.state.composition(id_).text, self.state.composition(id_).content
        renamed = self.state.renamed.get(id_, {})
        labelled = frozenset(self.state.labelled.get(id_, ()))
        return PageChange(
            head, after.title, before, text, edits, content, renamed, labelled, after.volume, fate, own
        )

    def _verify(self, changes: Collection[PageChange]) -> None:
        """Reads changed pages again; Refused if a reference came, went, or leads elsewhere than it should."""
        pairs: list[tuple[PageChange, int, Reference, Reference]] = []
        for change in changes:
            pairs += [(change, source, a, b) for source, a, b in self._pairs(change)]
        before = Resolver.of(
            self.state.wiki, ((self.state.home(self.state.page(s)), a) for _, s, a, _ in pairs)
        )
        homes = self.state.homes_after
        after = Resolver.of(self.state.after, ((homes[c.volume_after], b) for c, _, _, b in pairs))
        for change, source, a, b in pairs:
            if not self._as_expected(change, source, a, b, before, after):
                raise _unexpected(change)

    def _pairs(self, change: PageChange) -> Iterator[tuple[int, Reference, Reference]]:
        """References of before with those they became, part by part."""
        assert change.content is not None
        made = self.state.composition(change.head.id)
        new = self._not_of_the_act(made, change.content.references)
        at = 0
        for piece in made.pieces:
            standing: list[Reference] = []
            while at < len(new) and new[at].span.start < piece.end:
                standing.append(new[at])
                at += 1
            part = piece.part
            if isinstance(part, Words):
                continue
            old = [
                reference
                for reference in self.state.page(part.source).content.references
                if part.span.holds(reference.span.start)
                and not self.state.within_gone(part.source, reference)
            ]
            if len(old) != len(standing) or any(
                a.kind is not b.kind for a, b in zip(old, standing, strict=True)
            ):
                raise _unexpected(change)
            yield from ((part.source, a, b) for a, b in zip(old, standing, strict=True))

    def _not_of_the_act(self, made: Composed, references: Sequence[Reference]) -> list[Reference]:
        """The references of a text but for those that stand wholly in words that the act itself puts there."""
        put: list[Span] = []
        for piece in made.pieces:
            part = piece.part
            if isinstance(part, Words) or part.source not in self.state.outcome.edits:
                continue
            own = {edit.span: edit for edit in self.state.outcome.edits[part.source]}
            for edit in piece.edits:
                if own.get(edit.span) == edit and "[[" in edit.words:
                    end = piece.place(edit.span.end)
                    put.append(Span(end - len(edit.words), end))
        if not put:
            return list(references)
        return [reference for reference in references if not any(span.covers(reference.span) for span in put)]

    def _as_expected(
        self, change: PageChange, source: int, a: Reference, b: Reference, before: Resolver, after: Resolver
    ) -> bool:
        at = (source, a.span)
        if at in self.state.captured or at in self.state.lost or self.state.left(self.state.page(source), a):
            return True
        insert = a.kind is Kind.INSERT
        home, home_after = (
            self.state.home(self.state.page(source)),
            self.state.homes_after[change.volume_after],
        )
        if a.name is None and b.name is None:
            return a.kind is Kind.LISTING or self.state.wanted_ids.get(at, change.head.id) == change.head.id
        if b.name is None:
            return False
        will = after.resolve(b.name, home_after, insert=insert)
        if at in self.state.wanted_ids:
            return will.page is not None and will.page.id == self.state.wanted_ids[at]
        if a.name is None:
            return False
        was = before.resolve(a.name, home, insert=insert)
        same = (was.page and was.page.id) == (will.page and will.page.id)
        kept = was.place == will.place or not self.state.must_keep_place(self.state.page(source), a, was)
        return same and (was.page is not None or kept)


def _exchanged(exchange: Exchange) -> PageChange | None:
    """The change of a page in which plain names were exchanged; None if what it says stays."""
    page, starts = exchange.page, exchange.page.starts
    edits: list[Edit] = []
    renamed: dict[int, Name] = {}
    labelled: list[int] = []
    for index, decision in exchange.decisions:
        if decision.labelled:
            labelled.append(index)
        if decision.name is not None:
            renamed[index] = decision.name
        for edit in decision.edits:
            edits.append(Edit(edit.span.moved(starts[index]), edit.words))
    if not edits:
        return None
    head = page.head
    return PageChange(
        head,
        head.title,
        page.text,
        None,
        # References stand one after the other, and so do their names.
        tuple(edits),
        None,
        renamed,
        frozenset(labelled),
        head.volume,
        read=page,
    )


def _unexpected(change: PageChange) -> Refused:
    return Refused(
        f"The references on “{change.head.title}” would not come out as expected, so nothing was changed. "
        "Brackets there touch code, HTML or a definition: put spaces or empty lines around them, then try again.",
        code="unexpected_references",
        named=[change.head.volume],
    )
