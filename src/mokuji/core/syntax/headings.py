"""The headings typed on a page, from the events of its lifted text."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import Event
from mokuji.core.syntax.reference import Kind, Reference, plain
from mokuji.core.syntax.slots import unmasked

_MARKS = re.compile(r"#{1,6}[ \t]+")
_LINE_END = re.compile(r"\r\n|\n|\r")


@dataclass(frozen=True, slots=True)
class Heading:
    """A heading typed on the page.

    ``parts`` are its words as shown, with the index of a reference where one
    stands. ``end`` is where an ``{#id}`` can be added. Offsets in code points.
    """

    level: int
    id: str | None
    parts: tuple[str | int, ...]
    span: Span
    end: int


@dataclass(slots=True)
class _Raw:
    """A heading in the byte offsets of the lifted text."""

    level: int
    id: str | None
    start: int
    end: int
    words: list[str]
    words_end: int


def headings(body: Body) -> tuple[Heading, ...]:
    """The headings of a page, in order."""
    text, prefix = body.text, body.lifted.prefix
    found: list[Heading] = []
    for heading in _collect(body.events):
        start, end = body.span(heading.start, heading.end)
        words_end = body.at(heading.words_end)
        parts = _parts("".join(heading.words), prefix, body.outer)
        line_end = _LINE_END.search(text, words_end)
        stop = min(line_end.start() if line_end else end, end)
        while stop > words_end and text[stop - 1] in " \t\r\n":
            stop -= 1
        found.append(Heading(heading.level, heading.id, parts, Span(start, end), stop))
    return tuple(found)


def _collect(events: Iterable[Event]) -> list[_Raw]:
    raws: list[_Raw] = []
    inside: _Raw | None = None
    for event in events:
        if inside is not None:
            inside = _inside(event, inside)
        elif event[0] == "Start" and event[1].__class__ is dict and "Heading" in event[1]:
            data = event[1]["Heading"]
            inside = _Raw(int(data["level"][1]), data["id"], event[2], event[3], [], event[2])
            raws.append(inside)
    return raws


def _inside(event: Event, heading: _Raw) -> _Raw | None:
    kind, value, _, end = event
    if kind == "End" and value.__class__ is dict and "Heading" in value:
        return None
    if kind in {"Text", "Code", "InlineMath"}:
        heading.words.append(unmasked(value))
    elif kind in {"SoftBreak", "HardBreak"}:
        heading.words.append(" ")
    if kind != "Start":
        heading.words_end = max(heading.words_end, end)
    return heading


def _parts(words: str, prefix: str, outermost: Sequence[int]) -> tuple[str | int, ...]:
    # The prefix is another one on every page: to compile a pattern for it would cost more than it finds.
    first, *behind = words.split(prefix) if prefix else [words]
    parts: list[str | int] = [first] if first else []
    for piece in behind:
        number, _, rest = piece.partition("q")
        parts += [outermost[int(number)], rest] if rest else [outermost[int(number)]]
    return tuple(parts)


def shown(reference: Reference, text: str, volumes: Collection[str], *, whole: bool = False) -> str:
    """The words a reader sees for a reference, as plain text; ``volumes`` are the keys of all volumes. ``whole`` says
    that a name with “/” is the title of a page, not one of a page in a volume.

    An insert shows no words of its own and counts as its title.
    """
    label = reference.label(text)
    if label and reference.kind is Kind.LINK:
        return plain(label)
    if reference.name is None:
        return reference.section or ""
    in_volume = reference.name.absolute or (reference.name.volume in volumes and not whole)
    span = reference.title_span if in_volume else reference.name_span
    title = names.unescape(span.of(text))
    return f"{title} § {reference.section}" if reference.section else title


def typed_span(text: str, heading: Heading) -> Span:
    """The range of a heading's words as typed: without its marks, its underline and its ``{#id}``."""
    start, end = heading.span.start, heading.end
    line = text[start:end]
    lead = _MARKS.match(line)
    if lead is not None:
        start += lead.end()
    return Span(start, start + _without_tail(text[start:end]))


def _without_tail(line: str) -> int:
    """How far a heading goes without its attributes, and the closing marks that may stand before them."""
    rest = line.rstrip(" \t")
    if rest.endswith("}"):
        at = rest.rfind("{")
        if at >= 0 and not {"}", "\n", "\r"} & set(rest[at + 1 : -1]):
            rest = rest[:at].rstrip(" \t")
    bare = rest.rstrip("#")
    if bare != rest and bare.endswith((" ", "\t")):
        rest = bare.rstrip(" \t")
    return len(rest)


def section_end(text: str, all_headings: Sequence[Heading], index: int) -> int:
    """Where the section under a heading ends: at the next heading that is no lower, or at the end."""
    level = all_headings[index].level
    for heading in all_headings[index + 1 :]:
        if heading.level <= level:
            start = heading.span.start
            return max(text.rfind("\n", 0, start), text.rfind("\r", 0, start)) + 1
    return len(text)


def words(heading: Heading, text: str, references: Sequence[Reference], volumes: Collection[str]) -> str:
    """The words of a heading as a reader sees them."""
    pieces = [
        part if isinstance(part, str) else shown(references[part], text, volumes) for part in heading.parts
    ]
    return " ".join("".join(pieces).split())
