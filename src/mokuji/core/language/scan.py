"""Reads a page's text: its front matter, references, headings and problems.

The way it is done: find bracket pairs where the parser reports text
(``literal``, ``brackets``), put an ASCII stand-in in the place of each, parse
again, and keep those whose stand-in arrives as text. A pair whose removal
would change what is literal is no reference but text, and a problem. So
references are atomic: no ``|`` or ``*`` inside one divides a table cell or
starts emphasis.

Where nothing inside the brackets could mean anything to the parser (as on most
pages), all are taken out at once and the text is parsed only then: if every
stand-in arrives as text, that is what the long way would have come to.

What holds: the ranges are exact, ``text[span]`` is what was typed; nothing is
recognised inside literal text; the work is linear in the text.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base.cache import BoundedCache
from mokuji.core.base.errors import BadText
from mokuji.core.base.findings import Problem
from mokuji.core.base.spans import CodePoints, Lines, Span
from mokuji.core.syntax import front_matter, literal
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.brackets import Candidate, every, find
from mokuji.core.syntax.definitions import NO_DEFINITIONS, Definitions, definitions
from mokuji.core.syntax.destinations import Destination, destinations
from mokuji.core.syntax.fences import Fence, diagrams
from mokuji.core.syntax.front_matter import FrontMatter
from mokuji.core.syntax.headings import Heading, headings
from mokuji.core.syntax.latex import Latex, formulas
from mokuji.core.syntax.marks import Mark, marks
from mokuji.core.syntax.parser import Event, events_with_ranges
from mokuji.core.syntax.parts import Part, parts
from mokuji.core.syntax.placeholders import Lifted, lift, outermost
from mokuji.core.syntax.pointers import Cite, Handle, pointers
from mokuji.core.syntax.raw_html import comments
from mokuji.core.syntax.reference import Reference, read
from mokuji.core.syntax.slots import NO_SLOTS, Declared, declared, masked, parse
from mokuji.core.syntax.steps import MOST_READ, too_many
from mokuji.core.syntax.tasks import Task, tasks

ROUNDS = 8
"""How often the text is parsed again before what is left is taken as text."""
LARGEST = 2_000_000
"""Maximum number of code points of a page."""
READ_LATELY = 8_000_000
"""Number of code points of the texts of which is kept what was read in them; each thing found counts as ``_PART``."""
_PART = 300


_SIMPLE = re.compile(rb"(?<![\[\]\\!^])\[\[[^\[\]\\`<>&$*_~!{}\r\n]+\]\](?![\[\](:])")
"""A reference in which, and around which, nothing stands that the parser could take as something else."""
_CODE_WITH_ONE = re.compile(rb"`[^`\[\n]*\[\[")
_RULE = frozenset(b"-|: \t>")
"""What a row of dashes under the head of a table is made of, in a quotation too."""
_IN_HTML = re.compile(rb"\[\[[^\[\]\r\n]+\]\]")


def _seen(raw: bytes) -> bytes:
    """Some HTML with its comments blank: brackets in them are meant to be out of sight."""
    seen = bytearray(raw)
    for start, end in comments(raw):
        seen[start:end] = b" " * (end - start)
    return bytes(seen)


@dataclass(frozen=True, slots=True)
class PageText:
    """What stands in a page's text. ``references`` are in the order of their start;
    those inside an insert's values follow it. ``in_heading`` holds their indexes."""

    front_matter: FrontMatter
    references: tuple[Reference, ...]
    headings: tuple[Heading, ...]
    problems: tuple[Problem, ...]
    in_heading: frozenset[int]
    parts: tuple[Part, ...] = ()
    marks: tuple[Mark, ...] = ()
    declared: Declared = NO_SLOTS
    cites: tuple[Cite, ...] = ()
    handles: tuple[Handle, ...] = ()
    tasks: tuple[Task, ...] = ()
    definitions: Definitions = NO_DEFINITIONS
    destinations: tuple[Destination, ...] = ()
    formulas: tuple[Latex, ...] = ()
    diagrams: tuple[Fence, ...] = ()

    @property
    def size(self) -> int:
        """Number of things that were found."""
        found = (
            self.references,
            self.headings,
            self.problems,
            self.parts,
            self.marks,
            self.cites,
            self.handles,
        )
        more = (self.tasks, self.definitions.defined, self.definitions.used, self.destinations, self.formulas)
        return sum(map(len, (*found, *more, self.diagrams)))


def check(text: str) -> None:
    """BadText, with the place, if the text cannot be stored at all."""
    if len(text) > LARGEST:
        raise BadText(
            f"The page has {len(text):,} characters; {LARGEST:,} is the most. Divide it into several pages.",
            code="text_large",
        )
    for match in re.finditer("[\x00\ud800-\udfff]", text):
        place = Lines(text).position(match.start())
        what = "a NUL character" if match[0] == "\x00" else f"half of a character (U+{ord(match[0]):04X})"
        raise BadText(
            f"Line {place.line}, column {place.column} holds {what}, which no text can keep. Remove it."
        )


def check_page(text: str) -> None:
    """BadText, with the reason, if the text cannot be that of a page: it cannot be stored, or has more parts than can
    be read at once."""
    check(text)
    if too_many(text):
        raise BadText(
            f"The page has more than {MOST_READ:,} parts, each reference and heading counted several times: so many "
            "cannot be read at once. Divide it into several pages.",
            code="text_large",
        )


_READ: BoundedCache[tuple[str, PageText]] = BoundedCache(
    READ_LATELY, lambda kept: len(kept[0]) + _PART * kept[1].size
)


def read_text(text: str) -> PageText:
    """As ``scan``, which is asked once: who looks at a page saves it, and who saves it looks at it."""
    return _READ.made(text, lambda: (text, scan(text)))[1]


def forget_texts() -> None:
    """Forgets what was read lately."""
    _READ.clear()


def scan(text: str, *, long_way: bool = False) -> PageText:
    """Everything that the text of one page says of itself. The text must have passed ``check``. ``long_way`` is for
    comparing both ways."""
    front = front_matter.read(text)
    slots = declared(front)
    words = masked(text[front.span.end :], slots.slots)
    data = words.encode()
    if "[[" in words and not long_way:
        simple = _all_simple(text, front.span.end, words, data)
        if simple is not None:
            return _finish(front, slots, *simple, list(front.problems))
    lifted = Lifted(words, data, (), ())
    typed = Body(text, front.span.end, data, CodePoints(data), lifted, events_with_ranges(words))
    problems = list(front.problems)
    if "[[" not in words:
        return _finish(front, slots, typed, [], problems)
    cover = literal.coverage(typed.events, data)
    found = find(data, cover)
    candidates, references = _read_all(typed, found.candidates, problems)
    kept, lifted, events = _settle(typed, candidates)
    _explain(typed, candidates, kept, found.unclosed, cover, problems)
    ordered = sorted((references[c.start, c.end] for c in every(kept)), key=lambda r: r.span)
    outer = tuple(index for index, _ in _outermost(ordered))
    body = replace(typed, lifted=lifted, events=events, outer=outer)
    return _finish(front, slots, body, ordered, problems)


def _all_simple(text: str, offset: int, words: str, data: bytes) -> tuple[Body, list[Reference]] | None:
    """The body of a text all of whose references are simple, and these; None if one may not be."""
    if b"]:" in data or b"\r" in data or _CODE_WITH_ONE.search(data):
        return None
    places = [Candidate(found.start(), found.end(), []) for found in _SIMPLE.finditer(data)]
    if not len(places) == data.count(b"[[") == data.count(b"]]") or _heads_a_table(data, places):
        return None
    points = CodePoints(data)
    references: list[Reference] = []
    for place in places:
        start, end = offset + points.at(place.start), offset + points.at(place.end)
        got = read(text[start:end], start)
        if isinstance(got, Problem):
            return None
        references.append(got)
    lifted = lift(words, data, places)
    events = events_with_ranges(lifted.text)
    arrived = literal.coverage(events, lifted.data)
    if not all(arrived.text.holds(*place) and not arrived.dropped.holds(*place) for place in lifted.places):
        return None
    return Body(text, offset, data, points, lifted, events, tuple(range(len(places)))), references


def _heads_a_table(data: bytes, places: Sequence[Candidate]) -> bool:
    """Whether one with a label stands above a row of dashes: whether that is a table depends on its `|`."""
    seen = -1
    for place in places:
        if place.start > seen and b"|" in data[place.start : place.end]:
            seen = data.find(b"\n", place.end)
            if seen < 0:
                return False
            end = data.find(b"\n", seen + 1)
            below = data[seen + 1 : end if end >= 0 else len(data)]
            if b"-" in below and _RULE.issuperset(below):
                return True
    return False


def body_of(text: str, content: PageText) -> Body:
    """The body of a text that was read, for those who look for more in it than ``PageText`` says. The parser reads it
    anew, since its events take far more room than what is kept of them: hand it on."""
    offset = content.front_matter.span.end
    words = masked(text[offset:], content.declared.slots)
    data = words.encode()
    outer, places = outermost(text, offset, content.references)
    lifted = lift(words, data, places)
    return Body(text, offset, data, CodePoints(data), lifted, events_with_ranges(lifted.text), tuple(outer))


def _read_all(
    body: Body, found: Sequence[Candidate], problems: list[Problem]
) -> tuple[list[Candidate], dict[tuple[int, int], Reference]]:
    """Reads each candidate; one that names nothing gives way to those inside it."""
    text = body.text
    references: dict[tuple[int, int], Reference] = {}

    def readable(candidates: Sequence[Candidate]) -> list[Candidate]:
        kept: list[Candidate] = []
        for candidate in candidates:
            inner = readable(candidate.inner)
            start, end = body.typed(candidate.start), body.typed(candidate.end)
            got = read(text[start:end], start)
            if isinstance(got, Problem):
                problems.append(got)
                kept.extend(inner)
            else:
                references[candidate.start, candidate.end] = got
                kept.append(Candidate(candidate.start, candidate.end, inner))
        return kept

    return readable(found), references


def _settle(typed: Body, candidates: list[Candidate]) -> tuple[list[Candidate], Lifted, list[Event]]:
    """Those candidates whose stand-ins all arrive as text; the others go back, until nothing changes."""
    for _ in range(ROUNDS):
        if not candidates:
            break
        lifted = lift(typed.lifted.text, typed.data, candidates)
        lifted_events = events_with_ranges(lifted.text)
        arrived = literal.coverage(lifted_events, lifted.data)
        kept: list[Candidate] = []
        for candidate, place in zip(candidates, lifted.places, strict=True):
            if arrived.text.holds(*place) and not arrived.dropped.holds(*place):
                kept.append(candidate)
            else:
                kept.extend(candidate.inner)
        if kept == candidates:
            return kept, lifted, lifted_events
        candidates = kept
    return [], typed.lifted, typed.events


def _explain(
    body: Body,
    candidates: Sequence[Candidate],
    kept: Sequence[Candidate],
    unclosed: Sequence[int],
    cover: literal.Coverage,
    problems: list[Problem],
) -> None:
    """Says of brackets that stay text why they do."""
    lost = {(c.start, c.end) for c in every(list(candidates))} - {(c.start, c.end) for c in every(list(kept))}
    in_html = [
        (low + found.start(), low + found.end())
        for low, high in cover.html
        for found in _IN_HTML.finditer(_seen(body.data[low:high]))
    ]
    for start, end in lost:
        problems.append(
            Problem(
                "reference_literal",
                "These brackets stay text: taken as a reference they would change what stands around them. "
                "Escape them, or move them out of the code, HTML or definition that they touch.",
                Span(body.typed(start), body.typed(end)),
            )
        )
    for start, end in in_html:
        problems.append(
            Problem(
                "reference_in_html",
                "References are not read inside a block of HTML. Put empty lines around the text.",
                Span(body.typed(start), body.typed(end)),
            )
        )
    for start in unclosed:
        begin = body.typed(start)
        problems.append(
            Problem("reference_unclosed", "“[[” is not closed by “]]” on its line.", Span(begin, begin + 2))
        )


def _finish(
    front: FrontMatter, slots: Declared, body: Body, references: list[Reference], problems: list[Problem]
) -> PageText:
    text = body.text
    found = headings(body)
    problems += [_section_empty(reference) for reference in references if reference.section == ""]
    problems += [_first_level(heading) for heading in found if heading.level == 1]
    marked = parts(body)
    problems += [*marked.problems, *slots.problems, *_slot_problems(text, front.span.end, slots, references)]
    in_heading = frozenset(part for heading in found for part in heading.parts if isinstance(part, int))
    cites, handles = pointers(body)
    listed = tasks(body, handles)
    defined = definitions(body)
    problems += [_no_day(text, task.due_typed) for task in listed if task.due is None and task.due_typed]
    problems.sort(key=lambda problem: problem.span)
    return PageText(
        front,
        tuple(references),
        found,
        tuple(problems),
        in_heading,
        marked.parts,
        marks(body),
        slots,
        cites,
        handles,
        listed,
        defined,
        destinations(body, references, defined),
        tuple(formulas(body)),
        tuple(diagrams(body)),
    )


def _no_day(text: str, typed: Span) -> Problem:
    said = f"“{typed.of(text)}” is no day of the calendar. Write it as year, month and day: due:2027-03-01."
    return Problem("task_due", said, typed)


def _slot_problems(
    text: str, offset: int, slots: Declared, references: Sequence[Reference]
) -> Iterator[Problem]:
    """What is wrong with the slots that a text uses, and targets that hold one: a reference is read before any slot
    is filled."""
    if not slots.slots or "${" not in text:
        return
    for problem in parse(text[offset:], slots.slots.keys()).problems:
        yield Problem(problem.code, problem.message, problem.span.moved(offset))
    for reference in references:
        end = reference.label_span.start if reference.label_span is not None else reference.span.end
        if (
            "${" in text[reference.span.start : end]
            and parse(text[reference.span.start : end], slots.slots).uses()
        ):
            yield Problem(
                "slot_in_target",
                "A slot cannot name the page that a reference leads to. Let the whole reference be the value.",
                reference.span,
            )


def _outermost(references: Sequence[Reference]) -> Iterator[tuple[int, Reference]]:
    end = -1
    for index, reference in enumerate(references):
        if reference.span.start >= end:
            end = reference.span.end
            yield index, reference


def _section_empty(reference: Reference) -> Problem:
    return Problem(
        "section_empty",
        "Nothing stands after “#”. If “#” belongs to the name, write “\\#”.",
        reference.span,
    )


def _first_level(heading: Heading) -> Problem:
    return Problem(
        "heading_first_level",
        "A first-level heading: the title is the only one. Start headings with “##”.",
        Span(heading.span.start, heading.end),
    )
