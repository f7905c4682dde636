"""Sections follow: where headings have other words, came, went or moved to another page, references to them do, too.

That can change headings again, so it goes in rounds until nothing moves."""

from __future__ import annotations

import re

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, Use
from mokuji.core.model.references import Resolver, Sections
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.composing import Carried
from mokuji.core.refactor.engine.decide import Decider
from mokuji.core.refactor.engine.outcome import AffectedReference
from mokuji.core.refactor.engine.state import State
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.parts import Part
from mokuji.core.syntax.reference import Kind, Reference

ROUNDS = 20
"""Number of pages deep a change of headings may travel before the act is refused."""


class SectionNames:
    """Lets the sections in references follow."""

    def __init__(self, state: State, candidates: Candidates, decider: Decider) -> None:
        self.state = state
        self.candidates = candidates
        self.decider = decider

    def sections(self) -> None:
        """Follows references to headings that moved, or whose words have changed, until nothing moves."""
        for id_ in self.state.outcome.edits:
            self.state.mark_dirty(id_)
        for id_ in self.state.outcome.texts:
            self.state.dirty |= {each for each in self.state.sources_of(id_) if each in self.state.stored}
        self.state.dirty |= {id_ for id_ in self.state.outcome.successors if id_ in self.state.stored}
        if self.candidates.changed_volumes():
            self.state.dirty |= {
                id_
                for id_, page in self.state.stored.items()
                if any(
                    use.in_heading and use.reference.name and use.reference.name.volume
                    for use in page.every_use()
                )
            }
        for _ in range(ROUNDS):
            dirty, self.state.dirty = sorted(self.state.dirty), set()
            if not dirty:
                self._check_aims()
                return
            self.state.load(dirty)
            for page_id in dirty:
                if page_id in self.state.pages:
                    self._follow_sections(self.state.pages[page_id])
        raise Refused(
            "The headings of these pages refer to each other in a circle, so their sections cannot follow. "
            "Take the reference out of one of the headings first.",
            code="section_circle",
        )

    def _check_aims(self) -> None:
        """References that were given another target keep their section; where it has none of that name, it is lost."""
        for (id_, span), aim in self.state.outcome.aims.items():
            page = self.state.pages.get(id_)
            reference = next((r for r in page.content.references if r.span == span), None) if page else None
            if page is None or reference is None or not reference.section:
                continue
            insert = reference.kind is Kind.INSERT
            if not self.state.sections_after(aim).holds(reference.section, insert=insert):
                self.state.lost_sections[id_, span] = AffectedReference(page.head, span)

    def _follow_sections(self, target: Page) -> None:
        was = self.state.sections_before(target.head.id)
        alone = target.head.id not in self.state.hosts and target.head.id not in self.state.outcome.gone
        if (
            alone
            and target.head.id not in self.state.outcome.texts
            and was == self.state.sections_after(target.head.id)
        ):
            return
        keys = {target.head.key, *target.alias_keys}
        ids = {target.head.id, *self.state.wiki.naming_sections([(target.head.volume, key) for key in keys])}
        self.state.load(ids)
        for page_id in sorted((ids | self.state.outcome.sources.keys()) & self.state.pages.keys()):
            page = self.state.pages[page_id]
            for use in page.section_uses(keys):
                if self._leads_to(page, use, target):
                    self._follow_section(page, use, target, was)

    def _leads_to(self, page: Page, use: Use, target: Page) -> bool:
        if use.reference.name is None:
            return self.state.speaker(page) == target.head.id
        home = self.state.home(page)
        insert = use.reference.kind is Kind.INSERT
        key = (False, home.id, use.reference.name, insert)
        if key not in self.state.resolved:
            resolver = Resolver.of(self.state.wiki, [(home, use.reference)])
            self.state.resolved[key] = resolver.resolve(use.reference.name, home, insert=insert)
        head = self.state.resolved[key].page
        return head is not None and head.id == target.head.id

    def _follow_section(self, page: Page, use: Use, target: Page, was: Sections) -> None:
        reference = use.reference
        at = (page.head.id, reference.span)
        settled = (
            at in self.state.unsectioned or at in self.state.gone_references or at in self.state.outcome.aims
        )
        if (
            not reference.section
            or reference.section_span is None
            or settled
            or self.state.left(page, reference)
        ):
            return
        if self.state.host(*at) is None:
            return
        if reference.kind is Kind.INSERT and was.is_part(reference.section):
            self._follow_part(page, reference, target)
            return
        old = was.find(reference.section)
        current = self.state.edits.get(page.head.id, {}).get(reference.section_span)
        now = names.unescape(current.words) if current else reference.section
        if old is None:
            self._follow_broken(page, reference, target, now)
            return
        found = self.state.located(target.head.id, old)
        if found is None:
            return
        host, index = found
        insert = reference.kind is Kind.INSERT
        if index is None and host != target.head.id:
            # The page that takes the place of a whole text may have a section of the same words.
            will = self.state.sections_after(host)
            same = None if insert and will.is_part(now) else will.find(now)
            if same is not None and will.keys[same] == was.keys[old]:
                self.state.lost_sections.pop(at, None)
                return
        if index is None:
            self.state.lost_sections[at] = AffectedReference(page.head, reference.span)
            return
        self.state.lost_sections.pop(at, None)
        if self._leads_there(host, now, index, insert=insert):
            return
        words = self._section_words(host, index, insert=insert)
        self.state.edit(page, use, Edit(reference.section_span, names.escape_section(words)))
        self.state.careful.add(page.head.id)
        self.state.sections.add((page.head.id, use.index))

    def _leads_there(self, host: int, words: str, index: int, *, insert: bool) -> bool:
        """Whether these words name that heading afterwards; an insert by them finds a part of that name first."""
        will = self.state.sections_after(host)
        return will.find(words) == index and not (insert and will.is_part(words))

    def _follow_part(self, page: Page, reference: Reference, target: Page) -> None:
        """An insert of a named part: it is lost if the part went with its page, or another one of its name comes
        first where it is now."""
        part = self.decider.part(reference, target.head.id)
        gone = target.head.id in self.state.outcome.gone
        if part is None or reference.section is None:
            return
        at = (page.head.id, reference.span)
        host = self.state.host(target.head.id, part.opening)
        if host is None:
            if (
                gone
                and target.head.id in self.state.outcome.successors
                and not self._comes_back(target, part)
            ):
                self.state.lost_sections[at] = AffectedReference(page.head, reference.span)
            return
        made = self.state.composition(host)
        first = next((each for each in made.content.parts if each.key == part.key), None)
        piece = made.piece_of(target.head.id, part.opening.start)
        right = (
            first is not None and piece is not None and piece.place(part.opening.start) == first.opening.start
        )
        if not right or not self.state.sections_after(host).is_part(reference.section):
            self.state.lost_sections[at] = AffectedReference(page.head, reference.span)

    def _comes_back(self, target: Page, part: Part) -> bool:
        """Whether the text that takes a page's place has a part of this name that is no other page's."""
        made = self.state.composition(self.state.outcome.successors[target.head.id].page)
        found = next((each for each in made.content.parts if each.key == part.key), None)
        if found is None:
            return False
        piece = made.piece_at(found.opening.start)
        return not (isinstance(piece.part, Carried) and piece.part.source in self.state.stored)

    def _follow_broken(self, page: Page, reference: Reference, target: Page, now: str) -> None:
        keeper: int | None = target.head.id
        if target.head.id in self.state.outcome.gone:
            entry = self.state.outcome.successors.get(target.head.id)
            keeper = entry.page if entry is not None else None
        if keeper is not None and self.state.sections_after(keeper).find(now) is not None:
            self.state.captured[page.head.id, reference.span] = AffectedReference(page.head, reference.span)

    def _section_words(self, host: int, index: int, *, insert: bool = False) -> str:
        """Words that lead to this heading afterwards; an identifier is added where none would."""
        will = self.state.sections_after(host)
        id_ = will.ids[index]
        if id_ is not None and self._leads_there(host, id_, index, insert=insert):
            return id_
        made = self.state.composition(host)
        content = made.content
        heading = content.headings[index]
        words = "".join(
            part
            if isinstance(part, str)
            else shown(content.references[part], made.text, self.state.volume_keys_after)
            for part in heading.parts
        )
        words = " ".join(words.split())
        if self._leads_there(host, words, index, insert=insert):
            return words
        new = self._new_id(will, will.keys[index])
        self._add_id(host, index, new)
        return new

    def _add_id(self, host: int, index: int, new: str) -> None:
        made = self.state.composition(host)
        start = made.content.headings[index].span.start
        part = made.piece_at(start).part
        if not isinstance(part, Carried):
            raise Refused(
                "A heading that comes back has the words of another one of its page by now, so references "
                "cannot lead to it. Change one of the two first.",
                code="section_hidden",
            )
        source = part.source
        heading = next(
            h
            for h in self.state.page(source).content.headings
            if made.heading_at(source, h.span.start) == index
        )
        self.state.put_edit(source, Edit(Span(heading.end, heading.end), f" {{#{new}}}"))
        self.state.careful.add(source)
        self.state.mark_dirty(source)

    def _new_id(self, will: Sections, key: str) -> str:
        base = re.sub(r"[^0-9a-z]+", "-", key).strip("-") or "section"
        number = 2
        while will.find(f"{base}-{number}") is not None:
            number += 1
        return f"{base}-{number}"
