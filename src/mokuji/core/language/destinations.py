"""Where the links and pictures of a text say which file they mean: each destination, exactly as it is typed.

A destination stands behind the words of a link, ``](name "title")``, or in a
link definition, ``[label]: name`` (CommonMark 0.31.2, sections 4.7 and 6.3). It
may be put in angle brackets, and hold escapes and character references.
"""

from __future__ import annotations

import html
import re
from collections.abc import Iterator
from dataclasses import dataclass

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span, code_points
from mokuji.core.language import definitions, files
from mokuji.core.language.parser import Event, events_with_ranges, tag_name
from mokuji.core.language.placeholders import lift, outermost
from mokuji.core.language.reference import Kind
from mokuji.core.language.scan import PageText
from mokuji.core.language.slots import masked

_ANGLES = re.compile(r"<((?:[^<>\\\r\n]|\\.)*)>")
_PLAIN = re.compile(r"(?:[^\s()\\]|\\[^\s]|\\(?=\s)|\((?:[^\s()\\]|\\[^\s]|\([^\s()]*\))*\))+")
_SPACE = re.compile(r"[ \t]*(?:\r\n|\n|\r)?[ \t>]*")
_CHARACTER = re.compile(r"&(?:#[xX][0-9A-Fa-f]{1,6}|#\d{1,7}|[A-Za-z][A-Za-z0-9]*);")


@dataclass(frozen=True, slots=True)
class Destination:
    """A file where it is named: its name, the fragment behind it, and the range that says both, without brackets
    around it."""

    name: str
    fragment: str
    span: Span

    @property
    def key(self) -> str:
        """What the ways to write the file's name have in common."""
        return files.key(self.name)

    def called(self, name: str) -> Edit:
        """The edit that names another file here."""
        return Edit(self.span, files.destination(name) + self.fragment)


def destinations(text: str, content: PageText) -> list[Destination]:
    """All places of a page's text that name a file, in order. Linear."""
    if "](" not in text and "]:" not in text:
        return []
    found = {start: each for start in _starts(text, content) if (each := _read(text, start)) is not None}
    return [found[start] for start in sorted(found)]


def link_around(text: str, destination: Destination) -> tuple[Span, str]:
    """The whole link or picture that a destination belongs to, and its words; the destination itself and the name
    where it stands in a definition."""
    low, high = destination.span
    opening = text.rfind("](", 0, low)
    closing = text.find(")", high)
    if opening < 0 or closing < 0 or text[opening + 2 : low].strip(" \t\r\n<"):
        return destination.span, destination.name
    at, depth = opening, 1
    while at > 0 and depth:
        at -= 1
        depth += {"]": 1, "[": -1}.get(text[at], 0) if text[at - 1 : at] != "\\" else 0
    start = at - 1 if at and text[at - 1] == "!" else at
    return Span(start, closing + 1), text[at + 1 : opening] or destination.name


def _starts(text: str, content: PageText) -> Iterator[int]:
    """Where destinations begin, white space before them included."""
    offset = content.front_matter.span.end
    if "](" in text:
        body = masked(text[offset:], content.declared.slots)
        data = body.encode()
        _, places = outermost(text, offset, content.references)
        lifted = lift(body, data, places)
        ends = [lifted.origin(end) for end in _ends(events_with_ranges(lifted.text), lifted.data)]
        back = code_points(data, ends)
        yield from (offset + back[end] for end in ends)
        yield from _in_values(text, content)
    if "]:" in text:
        told = definitions.read(text, content)
        for definition in (*told.defined, *told.again):
            if not definition.key.note:
                yield definition.label.end + len("]:")


def _in_values(text: str, content: PageText) -> Iterator[int]:
    """Values of inserts are texts of their own."""
    for reference in content.references:
        span = reference.label_span
        if reference.kind is Kind.INSERT and span is not None and "](" in span.of(text):
            data = span.of(text).encode()
            ends = list(_ends(events_with_ranges(span.of(text)), data))
            back = code_points(data, ends)
            yield from (span.start + back[end] for end in ends)


def _ends(events: list[Event], data: bytes) -> Iterator[int]:
    """Behind the opening parenthesis of every link and picture that has one."""
    inside: list[int] = []
    for kind, value, start, end in events:
        name = tag_name(value) if kind in {"Start", "End"} else ""
        if name in {"Link", "Image"}:
            if kind == "Start":
                inside.append(start + (2 if name == "Image" else 1))
                continue
            words_end = inside.pop()
            if data[words_end : words_end + 2] == b"](":
                yield words_end + 2
        if inside and kind != "Start":
            inside[-1] = max(inside[-1], end)


def _read(text: str, start: int) -> Destination | None:
    space = _SPACE.match(text, start)
    at = space.end() if space is not None else start
    match = _ANGLES.match(text, at)
    span = Span(*match.span(1)) if match is not None else None
    if match is None:
        plain = _PLAIN.match(text, at)
        span = Span(*plain.span()) if plain is not None else None
    if span is None or "${" in span.of(text):
        return None
    named = files.named(_meant(span.of(text)))
    return None if named is None else Destination(*named, span)


def _meant(typed: str) -> str:
    """A destination without its escapes and character references."""
    pieces = re.split(r"(\\[!-/:-@\[-`{-~])", typed)
    return "".join(
        piece[1:] if n % 2 else _CHARACTER.sub(lambda found: html.unescape(found[0]), piece)
        for n, piece in enumerate(pieces)
    )
