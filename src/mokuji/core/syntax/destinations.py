"""Where the links and pictures of a text say which file they mean: each destination, exactly as it is typed.

A destination stands behind the words of a link, ``](name "title")``, or in a
link definition, ``[label]: name`` (CommonMark 0.31.2, sections 4.7 and 6.3). It
may be put in angle brackets, and hold escapes and character references.
"""

from __future__ import annotations

import html
import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import CodePoints, Span
from mokuji.core.syntax import files
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.definitions import Definitions
from mokuji.core.syntax.parser import Event, events_with_ranges, tag_name
from mokuji.core.syntax.reference import Kind, Reference

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


def destinations(
    body: Body, references: Sequence[Reference], defined: Definitions
) -> tuple[Destination, ...]:
    """All places of a page that name a file, in order. Linear."""
    text = body.text
    if "](" not in text and "]:" not in text:
        return ()
    starts = sorted(set(_starts(body, references, defined)))
    return tuple(each for start in starts if (each := _read(text, start)) is not None)


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


def _starts(body: Body, references: Sequence[Reference], defined: Definitions) -> Iterator[int]:
    """Where destinations begin, white space before them included."""
    if "](" in body.text:
        yield from (body.at(end) for end in _ends(body.events, body.lifted.data))
        yield from _in_values(body.text, references)
    for definition in (*defined.defined, *defined.again):
        if not definition.key.note:
            yield definition.label.end + len("]:")


def _in_values(text: str, references: Sequence[Reference]) -> Iterator[int]:
    """Values of inserts are texts of their own."""
    for reference in references:
        span = reference.label_span
        if reference.kind is Kind.INSERT and span is not None and "](" in span.of(text):
            data = span.of(text).encode()
            points = CodePoints(data)
            yield from (span.start + points.at(end) for end in _ends(events_with_ranges(span.of(text)), data))


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
