"""One bracket reference, read from its own characters.

``read`` needs only what stands between ``[[`` and ``]]``, so a stored range of
a page is enough to rewrite its target exactly.
"""

from __future__ import annotations

import re
from enum import Enum
from functools import lru_cache
from typing import NamedTuple

from mokuji.core.base import names
from mokuji.core.base.findings import Problem
from mokuji.core.base.names import Name
from mokuji.core.base.spans import Span
from mokuji.core.syntax.parser import events

LONGEST_SECTION = 500
"""Maximum number of code points of a section as typed."""

_MARKS = re.compile(r"\\.|[|#/]", re.DOTALL)
_LABEL_ESCAPE = re.compile(r"\\([\[\]|])")


class Kind(Enum):
    """What a reference does where it stands."""

    LINK = "link"
    INSERT = "insert"
    LISTING = "listing"


class Reference(NamedTuple):
    """A bracket reference; all ranges in code points of the stored text.

    ``name`` is None for a section of the own page and for a listing.
    ``name_span`` is the target without white space around it, ``title_span``
    the part of it behind a volume; ``section_span`` and ``label_span`` (for an
    insert: its values) lie behind ``#`` and the first ``|``.
    """

    kind: Kind
    span: Span
    name: Name | None
    name_span: Span
    title_span: Span
    section: str | None = None
    section_span: Span | None = None
    label_span: Span | None = None

    def moved(self, by: int) -> Reference:
        """The same reference ``by`` code points further on."""
        return Reference(
            self.kind,
            self.span.moved(by),
            self.name,
            self.name_span.moved(by),
            self.title_span.moved(by),
            self.section,
            self.section_span and self.section_span.moved(by),
            self.label_span and self.label_span.moved(by),
        )

    def label(self, text: str) -> str:
        """The label as Markdown, escapes of brackets and bars resolved; empty when there is none."""
        if self.label_span is None or self.kind is not Kind.LINK:
            return ""
        return _LABEL_ESCAPE.sub(r"\1", self.label_span.of(text)).strip()

    def title_typed(self, text: str) -> str:
        """The title as this writer typed it, without volume, escapes resolved."""
        return names.unescape(self.title_span.of(text))


def read(source: str, at: int) -> Reference | Problem:
    """The reference written as ``source`` (with its brackets) that starts at ``at``.

    A Problem says why the brackets stay text.
    """
    found = _read(source)
    if isinstance(found, Reference):
        return found.moved(at)
    return Problem(found.code, found.message, found.span.moved(at))


@lru_cache(maxsize=16384)
def _read(source: str) -> Reference | Problem:
    whole = Span(0, len(source))
    insert = source.startswith("[[=")
    start, end = (3 if insert else 2), len(source) - 2
    pipe = hash_ = slash = -1
    for mark in _MARKS.finditer(source, start, end):
        if mark[0] == "|":
            pipe = mark.start()
            break
        if mark[0] == "#" and hash_ < 0:
            hash_ = mark.start()
        elif mark[0] == "/" and hash_ < 0 and (slash < 0 or slash == _first(source, start)):
            # A slash that comes first makes the reference absolute; the next one parts.
            slash = mark.start() if slash < 0 or mark.start() > slash else slash
    target_end = pipe if pipe >= 0 else end
    name_span = _stripped(source, start, hash_ if hash_ >= 0 else target_end)
    section_span = _stripped(source, hash_ + 1, target_end) if hash_ >= 0 else None
    label_span = Span(pipe + 1, end) if pipe >= 0 else None
    if insert and name_span.of(source) == "*" and section_span is None:
        return Reference(Kind.LISTING, whole, None, name_span, name_span, label_span=label_span)
    kind = Kind.INSERT if insert else Kind.LINK
    return _checked(source, kind, name_span, slash, section_span, label_span)


def _checked(
    source: str, kind: Kind, name_span: Span, slash: int, section_span: Span | None, label_span: Span | None
) -> Reference | Problem:
    whole = Span(0, len(source))
    section = names.unescape(section_span.of(source)) if section_span is not None else None
    typed = name_span.of(source)
    if section is not None and len(section) > LONGEST_SECTION:
        return Problem("section_long", f"The section has more than {LONGEST_SECTION} characters.", whole)
    if not typed:
        if section and kind is Kind.LINK:
            return Reference(kind, whole, None, name_span, name_span, section, section_span, label_span)
        return Problem("reference_empty", "These brackets name no page. Type a title between them.", whole)
    made = _name(source, name_span, slash)
    if isinstance(made, Problem):
        return made
    name, title_span = made
    return Reference(kind, whole, name, name_span, title_span, section, section_span, label_span)


def _name(source: str, span: Span, slash: int) -> tuple[Name, Span] | Problem:
    whole = Span(0, len(source))
    typed = span.of(source)
    if "\n" in typed or "\r" in typed:
        return Problem("reference_lines", "The name in these brackets runs over a line end.", whole)
    if len(typed) > 2 * names.LONGEST:
        return Problem("reference_long", f"The name in these brackets is longer than {names.LONGEST}.", whole)
    absolute = typed.startswith("/")
    volume = title = None
    title_span = span
    if slash > span.start:
        first = span.start + 1 if absolute else span.start
        volume = names.key(names.unescape(source[first:slash])) or None
        title_span = _stripped(source, slash + 1, span.end)
        title = names.key(names.unescape(title_span.of(source)))
        if volume is None or not names.is_key(title):
            volume = title = None
            title_span = span
    if absolute:
        if volume is None:
            return Problem(
                "reference_absolute",
                "After a leading “/” a volume and a title are needed: [[/Volume/Title]].",
                whole,
            )
        return Name("", volume, title, True), title_span
    key = names.key(names.unescape(typed))
    if not names.is_key(key):
        return Problem("reference_name", f"“{typed}” cannot be the name of a page.", whole)
    return Name(key, volume, title), title_span


def _first(source: str, start: int) -> int:
    """Where the first character that is no white space stands."""
    return start + len(source[start:]) - len(source[start:].lstrip())


def _stripped(source: str, start: int, end: int) -> Span:
    """The range without white space at its ends; an escaped space needs no care, there is none."""
    piece = source[start:end]
    inner = piece.strip()
    if not inner:
        return Span(start, start)
    start += len(piece) - len(piece.lstrip())
    return Span(start, start + len(inner))


def as_markdown(words: str) -> str:
    """Words as Markdown that shows exactly them."""
    return re.sub(r"[\\\[\]|`*_<$~!&]", r"\\\g<0>", words)


@lru_cache(maxsize=16384)
def plain(markdown: str) -> str:
    """Inline Markdown as the words a reader sees, on one line."""
    if markdown.isalnum():
        return markdown
    words: list[str] = []
    for event in events(markdown):
        if isinstance(event, str):
            words.append(" ")
        elif "Text" in event:
            words.append(event["Text"])
        elif "Code" in event:
            words.append(event["Code"])
        elif "InlineMath" in event:
            words.append(event["InlineMath"])
    return " ".join("".join(words).split())
