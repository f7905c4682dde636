"""What an insert or a listing hands over: its values, by name or without one, with their ranges.

``[[=Title | slot: value | slot: value]]``. A ``|`` parts right behind the
target, and before ``name:`` and white space; any other one belongs to the
value, and so does one inside a code span or a reference.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from mokuji.core.base.spans import Span
from mokuji.core.syntax.reference import Kind, Reference

_NAMED = re.compile(r"[ \t\r\n]*([A-Za-z_][A-Za-z0-9_]*):(?=\s|\Z)")
_TOKEN = re.compile(r"\\.|`+|\|", re.DOTALL)
_LINE_END = re.compile(r"\r\n|\n|\r")


@dataclass(frozen=True, slots=True)
class Value:
    """A value as typed: ``name`` is None for one without; ``span`` is without the white space around it, ``whole``
    from its ``|`` to the next one or the end. ``references`` are indexes of those inside it."""

    name: str | None
    span: Span
    whole: Span
    name_span: Span
    references: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Call:
    """The values of an insert in order, and how far its lines are indented in a list."""

    values: tuple[Value, ...]
    indent: int


def call(text: str, references: Sequence[Reference], index: int) -> Call:
    """The values of the insert or listing at ``index`` among the references of a page."""
    reference = references[index]
    if reference.label_span is None or reference.kind is Kind.LINK:
        return Call((), 0)
    inner = list(_inside(references, index))
    bars = [
        reference.label_span.start - 1,
        *_bars(text, reference.label_span, [references[i].span for i in inner]),
    ]
    values: list[Value] = []
    for start, end in zip(bars, [*bars[1:], reference.label_span.end], strict=True):
        named = _NAMED.match(text, start + 1, end)
        name_span = Span(*named.span(1)) if named is not None else Span(start + 1, start + 1)
        span = _stripped(text, named.end() if named is not None else start + 1, end)
        within = tuple(i for i in inner if span.start <= references[i].span.start < span.end)
        if named is not None or span.start < span.end:
            values.append(Value(named[1] if named else None, span, Span(start, end), name_span, within))
    return Call(tuple(values), _indent(text, reference.span.start))


def _inside(references: Sequence[Reference], index: int) -> Iterable[int]:
    """The references inside one, those inside these left out."""
    end = at = references[index].span.end
    at = references[index].span.start
    for other in range(index + 1, len(references)):
        span = references[other].span
        if span.start >= end:
            return
        if span.start >= at:
            yield other
            at = span.end


def _bars(text: str, region: Span, inner: Sequence[Span]) -> list[int]:
    found: list[int] = []
    at, skip, code = region.start, iter([*inner, Span(region.end, region.end)]), _code_ends(text, region)
    for span in skip:
        while at < span.start:
            token = _TOKEN.search(text, at, span.start)
            if token is None:
                break
            at = token.end()
            if token[0][0] == "`":
                at = code.get(token.start(), at)
            elif token[0] == "|" and _NAMED.match(text, at, region.end):
                found.append(token.start())
        at = max(at, span.end)
    return found


def _code_ends(text: str, region: Span) -> dict[int, int]:
    """Where code spans of a region begin and end (CommonMark 0.31.2, section 6.1): runs of equal length."""
    runs = [found.span() for found in re.finditer(r"`+", region.of(text))]
    waiting: dict[int, list[int]] = {}
    for n, (start, end) in enumerate(runs):
        waiting.setdefault(end - start, []).append(n)
    ends: dict[int, int] = {}
    for places in waiting.values():
        for one, other in pairwise(places):
            ends[region.start + runs[one][0]] = region.start + runs[other][1]
    return ends


def _stripped(text: str, start: int, end: int) -> Span:
    piece = text[start:end]
    inner = piece.strip()
    start += len(piece) - len(piece.lstrip()) if inner else 0
    return Span(start, start + len(inner))


def _indent(text: str, start: int) -> int:
    """How many columns of white space are an item's, before an insert that begins its line."""
    line = max(text.rfind("\n", 0, start), text.rfind("\r", 0, start)) + 1
    return start - line


def dedented(words: str, indent: int) -> str:
    """The lines of a value without the indentation of the item that its insert stands in; line ends become LF."""
    first, *rest = _LINE_END.split(words)
    return "\n".join([first, *(re.sub(rf"^[ \t]{{0,{indent}}}", "", line) for line in rest)])
