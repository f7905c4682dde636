"""The text that an insert stands for, typed out in its place.

What a reader sees stays the same: slots hold the values given here, references
lead to what they led to, headings stand as deep as they were shown. What
cannot be typed out so is left, with the reason.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.assembly.inserts import Inserter, assign, select
from mokuji.core.assembly.rendered_equality import KEY
from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.html.filling import form
from mokuji.core.html.html import Head, Open
from mokuji.core.language.page import Page
from mokuji.core.model.references import Resolver, Sections, name_for, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.syntax import definitions
from mokuji.core.syntax.calls import call, dedented
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.placeholders import prefix, replaced
from mokuji.core.syntax.reference import Kind, Reference, as_markdown
from mokuji.core.syntax.slots import Slot, parse

DEEPEST = 6
_SLOT = "put_here"
_LEAD = re.compile(r"[ \t>]*")


class Left(Exception):
    """An insert that cannot be typed out; says why, as the end of a sentence about it."""


@dataclass(frozen=True, slots=True)
class Flat:
    """What stands in the place of an insert, and what it needs at the end of the page. Beside other inserts of its
    paragraph it stands apart: with ``gap`` in the place of the white space between the two."""

    words: str
    told: tuple[str, ...] = ()
    gap: str = ""
    before: Span | None = None
    behind: Span | None = None


@dataclass(frozen=True, slots=True)
class _Place:
    """How an insert stands on its page: by itself or in a line, under a heading of some level."""

    block: bool
    level: int


_Tokens = list[tuple[Page, int, bool]]
"""References by stand-in: page and index, and whether it was typed in the inserted page (or else in a value)."""


class Flattener:
    """Types out inserts of one page."""

    def __init__(self, wiki: Wiki, page: Page) -> None:
        self._wiki = wiki
        self._page = page
        self._homes = volumes_by_id(wiki)
        self._home = self._homes[page.head.volume]
        self._volumes = frozenset(wiki.volumes)
        self._sections = Sections.of(page, self._volumes)
        self._mark = prefix(page.text.encode(), KEY)
        self._places = _places(page, self._volumes)

    def flat(self, index: int, template: Page) -> Flat:
        """The text of the insert at ``index`` among the references of the page, which leads to ``template``; raises
        Left."""
        place = self._places.get(index)
        if place is None:
            raise Left("it stands inside another reference or a link")
        volume = self._homes[template.head.volume]
        if volume.closed and volume.id != self._home.id:
            raise Left("it comes from a closed volume, whose text not all may read here")
        reference = self._page.content.references[index]
        spans = select(template, reference.section, self._volumes)
        if spans is None:
            raise Left("the section or part that it names is gone")
        tokens: _Tokens = []
        values = self._values(index, template, tokens)
        told = self._told(template, spans)
        shift = self._shift(template, spans, place)
        pieces = [self._cut(template, span, told, shift, tokens) for span in spans]
        text = self._filled("\n\n".join(piece.strip("\r\n") for piece in pieces), template, values)
        here = frozenset(
            n
            for n, h in enumerate(template.content.headings)
            if any(span.holds(h.span.start) for span in spans)
        )
        placed = self._placed(index, text, place)
        gap, before, behind = self._apart(index) if place.block else ("", None, None)
        ends = [
            self._filled(self._cut(template, definition.span, (), 0, tokens), template, values)
            for definition in told
        ]
        typed = [self._typed(text, tokens, template, values, here) for text in (placed, *ends)]
        return Flat(typed[0], tuple(typed[1:]), gap, before, behind)

    # ---- what is put in ------------------------------------------------------------

    def _values(self, index: int, template: Page, tokens: _Tokens) -> dict[str, str]:
        """The values given here by slot, with stand-ins for the references in them."""
        page = self._page
        given = call(page.text, page.content.references, index)
        handed: list[tuple[str | None, str]] = []
        for value in given.values:
            changes = []
            for inner in value.references:
                changes.append((page.content.references[inner].span, f"{self._mark}{len(tokens)}q"))
                tokens.append((page, inner, False))
            handed.append((value.name, dedented(replaced(page.text, value.span, changes), given.indent)))
        values, faults = assign(handed, template.content.declared.slots, template.head.title)
        if faults:
            raise Left("its values do not fit: put them right first")
        return values

    def _cut(
        self,
        page: Page,
        span: Span,
        told: Sequence[definitions.Definition],
        shift: int,
        tokens: _Tokens,
    ) -> str:
        """A range of the inserted page with stand-ins for references, without markers of parts and what is told at
        the end."""
        content = page.content
        changes: list[tuple[Span, str]] = [
            (marker, "") for part in content.parts for marker in (part.opening, part.closing)
        ]
        changes += [(definition.span, "") for definition in told if span.holds(definition.span.start)]
        for heading in content.headings:
            if shift and span.holds(heading.span.start):
                changes.append(_deeper(page.text, heading.span, heading.end, heading.level, shift))
        at = span.start
        for index, reference in enumerate(content.references):
            if at <= reference.span.start and reference.span.end <= span.end:
                changes.append((reference.span, f"{self._mark}{len(tokens)}q"))
                tokens.append((page, index, True))
                at = reference.span.end
        text = replaced(page.text, span, changes)
        return self._escaped(text, content.declared.slots)

    def _escaped(self, text: str, slots: Mapping[str, Slot]) -> str:
        """What is no slot there, but would be one here, escaped."""
        own = self._page.content.declared.slots.keys() - slots.keys()
        if not own or "${" not in text:
            return text
        starts = sorted(use.span.start for use in parse(text, own).uses())
        return replaced(text, Span(0, len(text)), [(Span(at, at), f"{self._mark}eq") for at in starts])

    def _filled(self, text: str, template: Page, values: Mapping[str, str]) -> str:
        slots = template.content.declared.slots
        filled = form(re.sub(r"\r\n?", "\n", text), slots, self._mark).fill(values)
        if filled.faults:
            raise Left("its values do not fit: put them right first")
        return filled.text

    def _told(self, template: Page, spans: Sequence[Span]) -> list[definitions.Definition]:
        """The link definitions and notes that the text uses; they go to the end of the page."""
        found = template.content.definitions
        wanted = {usage.key for usage in found.used if any(span.holds(usage.span.start) for span in spans)}
        by_key = {definition.key: definition for definition in found.defined}
        open_ = [key for key in wanted if key in by_key]
        while open_:
            note = by_key[open_.pop()]
            inner = {usage.key for usage in found.used if note.span.holds(usage.span.start)} - wanted
            wanted |= inner
            open_ += [key for key in inner if key in by_key]
        told = [definition for definition in found.defined if definition.key in wanted]
        if not told:
            return []
        ours = self._page.content.definitions.defined
        if {definition.key for definition in told} & {our.key for our in ours} or any(
            definition.nested for definition in told
        ):
            raise Left("its notes or link definitions have labels that are taken here")
        return told

    def _shift(self, template: Page, spans: Sequence[Span], place: _Place) -> int:
        levels = [
            max(2, heading.level)
            for heading in template.content.headings
            if any(span.holds(heading.span.start) for span in spans)
        ]
        return place.level + 1 - min(levels) if levels else 0

    # ---- in its place --------------------------------------------------------------

    def _placed(self, index: int, text: str, place: _Place) -> str:
        """The text as it stands on the page: further lines led like the first, bars escaped in cells."""
        text = text.strip() if not place.block else text.strip("\n").rstrip()
        if not place.block and re.search(r"\n[ \t]*\n", text):
            raise Left("its text has more than one paragraph and stands inside a line")
        page = self._page
        span = page.content.references[index].span
        start = page.content.front_matter.span.end
        before = self._lifted(Span(start, span.start))
        behind = self._lifted(Span(span.end, len(page.text)))
        made = form(f"{before}${{{_SLOT}}}{behind}", {_SLOT: Slot(_SLOT)}, self._mark)
        whole = made.fill({_SLOT: text}).text
        words = whole[len(before) : len(whole) - len(behind)]
        end = front_edit.line_end(page.text)
        # An empty line has no lead but for the marks of quotations.
        words = re.sub(r"(?<=\n)[ \t>]++(?=\n)", lambda lead: lead[0].rstrip(" \t"), words)
        return words.replace("\n", end)

    def _apart(self, index: int) -> tuple[str, Span | None, Span | None]:
        """The white space between an insert and those beside it in its paragraph, and what it becomes."""
        text, references = self._page.text, self._page.content.references
        span = references[index].span
        end = front_edit.line_end(text)
        line = _LEAD.match(text, max(text.rfind("\n", 0, span.start), text.rfind("\r", 0, span.start)) + 1)
        lead = line[0] if line is not None else ""
        gap = f"{end}{lead.rstrip()}{end}{lead}"
        before = next(
            (
                reference.span
                for reference in reversed(references[:index])
                if reference.span.end <= span.start
            ),
            None,
        )
        behind = next(
            (reference.span for reference in references[index + 1 :] if reference.span.start >= span.end),
            None,
        )
        return (
            gap,
            _between(text, before.end, span.start) if before is not None else None,
            _between(text, span.end, behind.start) if behind is not None else None,
        )

    def _lifted(self, span: Span) -> str:
        changes = []
        at = span.start
        for n, reference in enumerate(self._page.content.references):
            if at <= reference.span.start and reference.span.end <= span.end:
                changes.append((reference.span, f"{self._mark}{n}q"))
                at = reference.span.end
        # Slots of the page itself, and escapes of slots, are none of the text that is placed.
        return replaced(self._page.text, span, changes).replace("${", "\x1a{")

    # ---- references at home here -----------------------------------------------------

    def _typed(
        self,
        text: str,
        tokens: _Tokens,
        template: Page,
        values: Mapping[str, str],
        here: frozenset[int],
    ) -> str:
        """A text with references in the place of its stand-ins, each written so that it leads from this page to what
        it led to from its own."""
        stand_in = re.compile(re.escape(self._mark) + r"(\d+)q")

        def reference(found: re.Match[str]) -> str:
            page, index, theirs = tokens[int(found[1])]
            if not theirs:
                return page.content.references[index].span.of(page.text)
            return self._retyped(page, index, template, values, tokens, here)

        # What a value brings along may stand inside a reference of the inserted text.
        for _ in range(3):
            if not stand_in.search(text):
                break
            text = stand_in.sub(reference, text)
        return text.replace(f"{self._mark}eq", "\\")

    def _retyped(
        self,
        page: Page,
        index: int,
        template: Page,
        values: Mapping[str, str],
        tokens: _Tokens,
        here: frozenset[int],
    ) -> str:
        reference = page.content.references[index]
        home = self._homes[page.head.volume]
        if reference.kind is Kind.LISTING and home.id != self._home.id:
            raise Left("it holds a list of pages of its own volume")
        target_end = reference.label_span.start - 1 if reference.label_span else reference.span.end - 2
        opening = page.text[reference.span.start : reference.name_span.start]
        target = page.text[reference.name_span.start : target_end]
        rest = self._rest(page, index, target_end, values, template, tokens)
        words = shown(reference, page.text, self._volumes)
        if reference.name is None:
            if reference.kind is not Kind.LISTING and not self._came_along(page, reference, here):
                name = name_for(self._wiki, self._home, page.head)
                target = f"{self._sure(name)}{target}"
                rest = rest if reference.label(page.text) else f"|{as_markdown(words)}]]"
            return f"{opening}{target}{rest}"
        if home.id == self._home.id:
            return f"{opening}{target}{rest}"
        insert = reference.kind is Kind.INSERT
        resolution = Resolver.of(self._wiki, [(home, reference)]).resolve(reference.name, home, insert=insert)
        if resolution.page is not None:
            name = name_for(self._wiki, self._home, resolution.page, insert=insert)
        else:
            volume = self._homes.get(resolution.place[0])
            title = names.escape(reference.title_typed(page.text))
            name = f"/{names.escape(volume.title)}/{title}" if volume is not None else None
        behind = page.text[reference.name_span.end : target_end]
        if not insert and not reference.label(page.text):
            rest = f"|{as_markdown(words)}]]"
        return f"{opening}{self._sure(name)}{behind}{rest}"

    def _sure(self, name: str | None) -> str:
        if name is None:
            raise Left("a reference in it cannot be written from here")
        return name

    def _came_along(self, page: Page, reference: Reference, here: frozenset[int]) -> bool:
        """Whether a section of the own page stands here afterwards, and no other one of its name."""
        found = Sections.of(page, self._volumes).find(reference.section or "")
        if found is None or found not in here:
            return False
        return self._sections.find(reference.section or "") is None

    def _rest(
        self,
        page: Page,
        index: int,
        start: int,
        values: Mapping[str, str],
        template: Page,
        tokens: _Tokens,
    ) -> str:
        """What stands behind the target of a reference: label or values, with slots filled, and its brackets."""
        references = page.content.references
        end = references[index].span.end
        changes: list[tuple[Span, str]] = []
        at = start
        for other in range(index + 1, len(references)):
            span = references[other].span
            if span.start >= end:
                break
            if span.start >= at:
                changes.append((span, f"{self._mark}{len(tokens)}q"))
                tokens.append((page, other, True))
                at = span.end
        text = replaced(page.text, Span(start, end), changes)
        slots = template.content.declared.slots
        return self._filled(text, template, values) if slots and "${" in text else text


def _places(page: Page, volumes: frozenset[str]) -> dict[int, _Place]:
    """How each insert of a page stands there; those inside links and other references are left out."""
    inserter = Inserter(KEY, volumes)
    instance = inserter.whole(page)
    level = 1
    places: dict[int, _Place] = {}
    for piece in instance.compiled.pieces:
        if isinstance(piece, Head):
            level = min(DEEPEST, piece.level)
        elif isinstance(piece, Open) and not piece.linked:
            token = instance.tokens[piece.index]
            if token.reference.kind is Kind.INSERT:
                places[token.index] = _Place(piece.block, level)
    return places


def _between(text: str, start: int, end: int) -> Span | None:
    """The range between two inserts of one paragraph; None if more than white space and one line end is there."""
    gap = re.compile(r"[ \t]*(?:(?:\r\n|\n|\r)[ \t>]*)?").fullmatch(text, start, end)
    return Span(start, end) if gap is not None else None


def _deeper(text: str, span: Span, end: int, level: int, shift: int) -> tuple[Span, str]:
    """A heading at another level: its marks exchanged; an underlined one is written with marks."""
    wanted = min(DEEPEST, max(2, level) + shift)
    marks = re.match(r"#+", text[span.start :])
    if marks is not None:
        return Span(span.start, span.start + len(marks[0])), "#" * wanted
    words = text[span.start : end]
    if "\n" in words or "\r" in words:
        raise Left("an underlined heading of several lines stands in it")
    whole = span.of(text)
    tail = whole[len(whole.rstrip("\r\n")) :]
    return span, f"{'#' * wanted} {words}{tail}"
