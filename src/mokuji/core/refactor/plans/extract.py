"""Extract: a passage becomes a template or a page of its own, with chosen words as slots, and an insert stands in its
place; the same passage elsewhere is offered as rows, and replaced too if chosen.

The other way round than ``inline``. Every page is read before and after: what
readers see stays the same, or it is not done.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.assembly.rendered_equality import Reader, Revised
from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply, arrange
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.spans import Lines, Span
from mokuji.core.edit import front_edit
from mokuji.core.edit.levels import raised
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import LAST, Put
from mokuji.core.model.references import name_for, volumes_by_id
from mokuji.core.model.wiki import Overlay, Wiki
from mokuji.core.refactor.engine import definitions
from mokuji.core.refactor.engine.composing import Carried, Composition, Part, Words, text_of
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.engine.passages import Hole, Match, Pattern
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan, check_free, make, need
from mokuji.core.syntax.slots import Use, parse

COPY = -1
"""The id of the page's text as a source of what both pages need."""
NEW = 0
"""The id of the page that is still to be written."""
MOST_ROWS = 100
"""Maximum number of places that are offered."""
LONGEST_ROW = 200
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_LEAD = re.compile(r"(?:[ \t]|>|(?:[-*+]|\d{1,9}[.)])(?=[ \t]))*")


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is made of a passage: the title of its page, whether it is a template, and the words that become slots
    (name and words of each)."""

    title: str
    template: bool = True
    slots: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Extracted(Facts):
    """A passage that became a page or a template, and in how many places it was."""

    source: str
    title: str
    template: bool
    places: int


def extract(
    wiki: Wiki,
    page_id: int,
    passage: Span,
    wanted: Wanted,
    *,
    rows: Collection[str] = (),
    offer: Collection[int] = (),
) -> Plan:
    """The plan to make a page of a passage. ``offer`` are the ids of pages that may hold it too, ``rows`` the chosen
    ones of those that were offered. BadName, Collision, Missing or Refused if that cannot be.

    Of an item that cannot leave its list the text is taken, and its mark stays.
    """
    try:
        return _extract(wiki, page_id, passage, wanted, rows, offer)
    except Refused as refusal:
        item = _in_item(need(wiki, page_id), passage)
        if refusal.code != "not_extracted" or item is None:
            raise
        return _extract(wiki, page_id, item, wanted, rows, offer)


def _extract(
    wiki: Wiki,
    page_id: int,
    passage: Span,
    wanted: Wanted,
    rows: Collection[str],
    offer: Collection[int],
) -> Plan:
    page = need(wiki, page_id)
    title = names.check_title(wanted.title)
    new = PageHead(NEW, page.head.volume, names.key(title), title, 0)
    check_free(wiki, new, "Choose another title.")
    passage = _whole(page, passage)
    holes = _holes(page, passage, wanted)
    parted = definitions.part(page, passage)
    inside = [h for h in page.content.headings if passage.holds(h.span.start)]
    edits = raised(page, inside, min(h.level for h in inside) - 2) if inside else ()
    made = _made(page, passage, holes, parted, wanted)
    made_page = Page(new, apply_parts(made, page, edits))
    there = Revised(_with(wiki, new), {NEW: made_page})
    own = _Host(wiki, there, page, new, page_id, parted)
    places: dict[int, list[Match]] = {page_id: [Match(passage, _values(holes))]}
    texts: dict[int, Composition] = {page_id: own.replaced(places[page_id])}
    offered: list[OptionalChange] = []
    for other, matches in _elsewhere(wiki, page, passage, holes, offer):
        host = own if other.head.id == page_id else _Host(wiki, there, other, new, page_id)
        certain = places.get(other.head.id, [])
        fit = host.fitting(certain, matches)
        offered += map(host.row, fit)
        chosen = [match for match in fit if host.row(match).id in rows]
        if chosen:
            places[other.head.id] = sorted([*certain, *chosen], key=lambda each: each.span)
            texts[other.head.id] = host.replaced(places[other.head.id])
    outcome = Outcome(
        heads={NEW: new},
        texts={NEW: made, **texts},
        sources={COPY: definitions.copy_of(page, COPY)},
        copies={COPY: page_id},
        edits={page_id: edits} if edits else {},
        fates={NEW: Fate.MADE},
    )
    under = None if wanted.template else page.head.key
    return make(
        wiki,
        "extract",
        page.head,
        outcome,
        asked=(page_id, passage, title, wanted.template, wanted.slots, *sorted(rows)),
        contents=[Put(new.volume, new.key, title, under, LAST, new_only=True)],
        facts=Extracted(
            page.head.title, title, wanted.template, sum(len(place) for place in places.values())
        ),
        rows=offered,
        entries={NEW: Successor(page_id)},
    )


def words_of(page: Page, passage: Span, wanted: Wanted) -> str:
    """The fixed words of a passage, to find pages that may hold it too; empty if there are too few."""
    passage = _whole(page, passage)
    pattern = _pattern(page, passage, _holes(page, passage, wanted))
    typed = [reference.span for reference in page.content.references if passage.holds(reference.span.start)]
    if not pattern.searchable:
        return ""
    text, at = "", passage.start
    for span in [*typed, Span(passage.end, passage.end)]:
        text += page.text[at : max(at, span.start)] + " "
        at = max(at, span.end)
    chosen = {words for _, words in wanted.slots}
    for words in chosen:
        text = text.replace(words, " ")
    return " ".join(re.findall(r"\w+", text))


# ---- the passage ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Hole:
    """A range that becomes a slot, the first of a slot gives its value; ``own`` is the slot of the page itself that it
    is, if it is one."""

    span: Span
    slot: str
    own: str = ""


def _whole(page: Page, passage: Span) -> Span:
    """A range without white space at its ends, and with references that it would cut."""
    start, end = max(passage.start, page.content.front_matter.span.end), min(passage.end, len(page.text))
    for reference in page.content.references:
        if reference.span.start < end and reference.span.end > start:
            start, end = min(start, reference.span.start), max(end, reference.span.end)
    while start < end and page.text[start].isspace():
        start += 1
    while end > start and page.text[end - 1].isspace():
        end -= 1
    if start >= end:
        raise Refused("Select the text that is to become a page of its own.", code="nothing_selected")
    for part in page.content.parts:
        for marker in (part.opening, part.closing):
            if marker.start < end and marker.end > start and marker.start < marker.end:
                raise Refused(
                    "A marker of a part stands in the selection. Select text inside or outside of the part.",
                    code="part_cut",
                )
    return Span(start, end)


def _in_item(page: Page, passage: Span) -> Span | None:
    """The text of an item, for a range that begins with its mark; None for any other range."""
    start, end = _whole(page, passage)
    line = max(page.text.rfind("\n", 0, start), page.text.rfind("\r", 0, start)) + 1
    mark = re.compile(r"(?:[-*+]|\d{1,9}[.)])[ \t]+").match(page.text, start, end)
    if mark is None or page.text[line:start].strip(" \t>"):
        return None
    return Span(mark.end(), end)


def _holes(page: Page, passage: Span, wanted: Wanted) -> list[_Hole]:
    """What becomes slots: the chosen words wherever they stand in the passage, and the page's own slots, whose values
    are handed on."""
    found: list[_Hole] = []
    if wanted.slots and not wanted.template:
        raise Refused(
            "Only a template has slots. Make it a template, or choose no words.", code="no_template"
        )
    _own_slots(page, passage, found)
    for name, words in wanted.slots:
        if not _NAME.fullmatch(name):
            raise Refused(
                f"“{name}” cannot be the name of a slot: it takes letters, digits and “_”.", code="slot_name"
            )
        if any(hole.slot == name for hole in found):
            raise Refused(f"Two slots are called “{name}”. Give one another name.", code="slot_twice")
        if not words.strip() or "\n" in words:
            raise Refused(f"Say which words become the slot “{name}”: some of one line.", code="slot_words")
        more = [_Hole(span, name) for span in _standing(page, passage, words.strip())]
        more = [hole for hole in more if not any(_meet(hole.span, other.span) for other in found)]
        if not more:
            raise Missing(f"“{words.strip()}” does not stand in the selected text.", code="slot_words")
        found += more
    return sorted(found, key=lambda hole: hole.span)


def _own_slots(page: Page, passage: Span, found: list[_Hole]) -> None:
    slots = page.content.declared.slots
    if not slots:
        return
    names_of: dict[str, str] = {}
    # Positions in the whole text: a slot that the selection cuts is none of it.
    for use in (piece for piece in parse(page.text, slots.keys()).pieces if isinstance(piece, Use)):
        if passage.covers(use.span):
            typed = use.span.of(page.text)
            if typed not in names_of:
                taken, name, number = set(names_of.values()), use.name, 2
                while name in taken:
                    name, number = f"{use.name}_{number}", number + 1
                names_of[typed] = name
            found.append(_Hole(use.span, names_of[typed], use.name))


def _standing(page: Page, passage: Span, words: str) -> Iterator[Span]:
    """Where words stand in a passage, as whole words; in a reference only if they are all of it."""
    before = r"(?<!\w)" if words[0].isalnum() else ""
    behind = r"(?!\w)" if words[-1].isalnum() else ""
    for match in re.compile(before + re.escape(words) + behind).finditer(page.text, *passage):
        span = Span(*match.span())
        if not any(
            _meet(span, reference.span) and not span.covers(reference.span)
            for reference in page.content.references
        ):
            yield span


def _meet(one: Span, other: Span) -> bool:
    return one.start < other.end and other.start < one.end


def _values(holes: Sequence[_Hole]) -> dict[str, Span]:
    values: dict[str, Span] = {}
    for hole in holes:
        values.setdefault(hole.slot, hole.span)
    return values


def _pattern(page: Page, passage: Span, holes: Sequence[_Hole]) -> Pattern:
    """The passage as something to look for; a page's own slots are what they are."""
    pieces: list[str | Hole] = []
    at = passage.start
    for hole in holes:
        if not hole.own:
            pieces += [page.text[at : hole.span.start], Hole(hole.slot)]
            at = hole.span.end
    text = [*pieces, page.text[at : passage.end]]
    lead = _lead(page.text, passage.start)
    if lead:
        text = [_unled(each, lead) if isinstance(each, str) else each for each in text]
    return Pattern(text)


def _unled(text: str, lead: str) -> str:
    return re.sub(rf"(?<=[\n\r]){_optional(lead)}", "", text)


# ---- the new page ---------------------------------------------------------------


def _made(
    page: Page, passage: Span, holes: Sequence[_Hole], parted: definitions.Parted, wanted: Wanted
) -> Composition:
    """The text of the new page: front matter, the passage with slots in the place of words, what it needs."""
    end = front_edit.line_end(page.text)
    cuts: list[tuple[Span, str]] = [(hole.span, f"${{{hole.slot}}}") for hole in holes]
    lead = _lead(page.text, passage.start)
    if lead:
        cuts += [
            (Span(*found.span()), "")
            for found in re.compile(rf"(?<=[\n\r]){_optional(lead)}").finditer(page.text, *passage)
            if found.end() > found.start()
        ]
    names_ = {hole.slot for hole in holes}
    if names_:
        # What looks like one of the slots and is none.
        cuts += [
            (Span(use.span.start, use.span.start), "\\")
            for use in parse(page.text[: passage.end], names_).uses()
            if use.span.start >= passage.start and not any(_meet(use.span, hole.span) for hole in holes)
        ]
    body: list[Part] = []
    for part in definitions.without(page, passage, parted.rest.moved):
        body += _punched(part, cuts) if isinstance(part, Carried) else [part]
    needed = definitions.at_end(page, text_of(body, page.text), parted.passage, COPY)
    return [Words(_front(page, holes, wanted, end)), *body, *(needed or [Words(end)])]


def _front(page: Page, holes: Sequence[_Hole], wanted: Wanted, end: str) -> str:
    if not wanted.template and not holes:
        return ""
    if not holes:
        return f"---{end}template: true{end}---{end}"
    lines = ["---", "slots:"]
    declared = page.content.declared.slots
    for name, span in _values(holes).items():
        own = next(hole.own for hole in holes if hole.slot == name)
        example = declared[own].example if own else span.of(page.text)
        lines.append(f"  {name}: {{example: {front_edit.scalar(example)}}}" if example else f"  {name}:")
    return end.join([*lines, "---", ""])


def _punched(part: Carried, cuts: Sequence[tuple[Span, str]]) -> list[Part]:
    parts: list[Part] = []
    at = part.span.start
    for span, words in sorted(cuts):
        if span.start >= at and span.end <= part.span.end:
            parts += [Carried(part.source, Span(at, span.start)), Words(words)]
            at = span.end
    parts.append(Carried(part.source, Span(at, part.span.end)))
    return [each for each in parts if isinstance(each, Words) or each.span.start < each.span.end]


def _lead(text: str, start: int) -> str:
    """What stands before further lines of a passage: marks of list items as white space, those of quotations."""
    line = max(text.rfind("\n", 0, start), text.rfind("\r", 0, start)) + 1
    lead = _LEAD.match(text, line, start)
    return re.sub(r"[^\s>]", " ", lead[0]) if lead is not None else ""


def _optional(lead: str) -> str:
    """As much of a lead as a line has: the last lines of a paragraph need none."""
    pattern = ""
    for letter in reversed(lead):
        pattern = (r"(?:>" if letter == ">" else r"(?:[ \t]") + pattern + ")?"
    return pattern


def apply_parts(parts: Composition, page: Page, edits: Sequence[Edit]) -> str:
    """The text that parts of one page make with some edits in it, before references follow."""
    made: list[str] = []
    for part in parts:
        if isinstance(part, Words):
            made.append(part.words)
        else:
            inner = [e for e in edits if part.span.covers(e.span)]
            moved = [Edit(e.span.moved(-part.span.start), e.words) for e in arrange(inner)]
            made.append(apply(part.span.of(page.text), moved))
    return "".join(made)


def _with(wiki: Wiki, head: PageHead) -> Wiki:
    return Overlay(wiki, {head.id: head})


# ---- where it stood ------------------------------------------------------------


class _Host:
    """A page on which inserts take the place of passages."""

    def __init__(
        self,
        wiki: Wiki,
        there: Wiki,
        page: Page,
        new: PageHead,
        source: int,
        parted: definitions.Parted | None = None,
    ) -> None:
        self._page = page
        self._there = there
        home = volumes_by_id(wiki)[page.head.volume]
        name = name_for(there, home, new, insert=True)
        if name is None:
            raise Refused(
                f"No insert on “{page.head.title}” could lead to “{new.title}”.",
                code="unwritable",
                named=[page.head.volume, new.volume],
            )
        self._name = name
        self._reading: str | None = None
        self._wiki = wiki
        self._source = source
        self._parted = parted or definitions.Parted(definitions.Needs(), definitions.Needs())

    def row(self, passage: Match) -> OptionalChange:
        """A place as something to choose."""
        head, text = self._page.head, self._page.text
        return OptionalChange(
            f"{head.id}-{head.revision}-{passage.span.start}-{passage.span.end}",
            "passage",
            head,
            Lines(text).position(passage.span.start).line,
            _short(passage.span.of(text)),
            _short(self._insert(passage)),
        )

    def _insert(self, passage: Match) -> str:
        return text_of(self._parts_of(passage), self._page.text)

    def _parts_of(self, passage: Match) -> list[Part]:
        parts: list[Part] = [Words(f"[[={self._name}")]
        for name, span in passage.values.items():
            parts += [Words(f" | {name}: "), Carried(self._page.head.id, span)]
        return [*parts, Words("]]")]

    def fitting(self, certain: Sequence[Match], found: Sequence[Match]) -> list[Match]:
        """Those of the passages found in whose place an insert reads the same, beside those that are certain."""

        def fits(passages: Sequence[Match]) -> bool:
            try:
                self.replaced(sorted([*certain, *passages], key=lambda each: each.span))
            except Refused:
                return False
            return True

        return list(found) if fits(found) else [match for match in found if fits([match])]

    def replaced(self, passages: Sequence[Match]) -> Composition:
        """The page with inserts in the place of passages; Refused if readers would see something else. An insert
        that would run into the lines around it stands between empty ones."""
        for apart in (False, True):
            parts = self._composed(passages, apart)
            text = text_of(parts, self._page.text)
            if self._reads_as(text):
                return parts
        raise Refused(
            f"An insert would not read the same there on “{self._page.head.title}”: select whole paragraphs, items "
            "or tables, or words of one line.",
            code="not_extracted",
            named=[self._page.head.volume],
        )

    def _composed(self, passages: Sequence[Match], apart: bool) -> Composition:
        page, end = self._page, front_edit.line_end(self._page.text)
        gone = self._parted.passage.moved
        parts: list[Part] = []
        at = 0
        for passage in passages:
            lead = _lead(page.text, passage.span.start)
            parts += definitions.without(page, Span(at, passage.span.start), gone)
            line = page.text[: passage.span.start].rsplit("\n", 1)[-1]
            if apart and not _LEAD.sub("", line, count=1).strip() and passage.span.start > len(lead):
                parts.append(Words(f"{end}{lead}"))
            parts += self._parts_of(passage)
            if apart and re.match(r"[ \t]*(?:\r\n|\n|\r)[ \t>]*\S", page.text[passage.span.end :]):
                parts.append(Words(f"{end}{lead.rstrip()}"))
            at = passage.span.end
        rest = definitions.without(page, Span(at, len(page.text)), gone)
        parts = [*parts, *rest]
        return [*parts, *definitions.at_end(page, text_of(parts, page.text), self._parted.rest, COPY)]

    def _reads_as(self, text: str) -> bool:
        if self._reading is None:
            self._reading = Reader(self._wiki).read(self._page)
        new = Page(self._page.head, text)
        wiki = Revised(self._there, {new.head.id: new})
        return Reader(wiki, {NEW: self._source}).read(new) == self._reading


def _short(words: str) -> str:
    words = " ".join(words.split())
    return words if len(words) <= LONGEST_ROW else words[: LONGEST_ROW - 1].rstrip() + "…"


def _elsewhere(
    wiki: Wiki, page: Page, passage: Span, holes: Sequence[_Hole], offer: Collection[int]
) -> Iterator[tuple[Page, list[Match]]]:
    pattern = _pattern(page, passage, holes)
    own: Mapping[str, str] = {hole.slot: hole.span.of(page.text) for hole in holes if hole.own}
    count = 0
    pages = wiki.pages([page.head.id, *offer]) if not own else {page.head.id: page}
    # Whoever reads the passage must be able to read what is put in instead.
    closed = volumes_by_id(wiki)[page.head.volume].closed
    there = [each for each in pages.values() if not closed or each.head.volume == page.head.volume]
    for other in sorted(there, key=lambda p: (p.head.id != page.head.id, p.head.volume, p.head.key)):
        matches = [
            match
            for match in pattern.find(other)
            if other.head.id != page.head.id or not _meet(match.span, passage)
        ][: MOST_ROWS - count]
        count += len(matches)
        if matches:
            yield other, matches
