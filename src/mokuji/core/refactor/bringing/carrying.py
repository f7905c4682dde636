"""A text that was changed elsewhere, as passages of the text that is here and words that are new.

What is carried keeps its references, which follow whatever the plan does. So as much is carried as can be, but for
references that one of the two texts does not have: a fence around a passage makes none of what was one.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import as_edits
from mokuji.core.language.page import Page, PageHead
from mokuji.core.refactor.engine.composing import Carried, Part, Words
from mokuji.core.syntax.reference import Kind, Reference

_NOBODY = PageHead(0, 0, "", "")


@dataclass(frozen=True, slots=True)
class Called:
    """What pages were called where a text was written, and are called here: titles by key, for names in volume
    ``volume`` (its key)."""

    volume: str
    titles: Mapping[str, tuple[str, str]]


def words_of(text: str, called: Called) -> str:
    """A text that is new, with pages called as they are called here."""
    return apply(text, tuple(_renamed(text, references_of(text), called)))


def composed(page: Page, text: str, called: Called) -> list[Part]:
    """A text in the place of a page's, in parts; what is new in it calls pages as they are called here."""
    now, new = page.content.references, references_of(text)
    parts: list[Part] = []
    loose = _loose(page.text, text, now, new)
    renamed = [edit for edit in _renamed(text, new, called) if any(gap.covers(edit.span) for gap, _ in loose)]
    at = 0
    for gap, source in loose:
        if gap.start > at:
            parts.append(Carried(page.head.id, Span(source.start - (gap.start - at), source.start)))
        own = [Edit(e.span.moved(-gap.start), e.words) for e in renamed if gap.covers(e.span)]
        parts.append(Words(apply(gap.of(text), own)))
        at = gap.end
    if at < len(text) or not parts:
        parts.append(Carried(page.head.id, Span(len(page.text) - (len(text) - at), len(page.text))))
    return parts


def references_of(text: str) -> Sequence[Reference]:
    """The references of a text by itself."""
    return Page(_NOBODY, text).content.references


def _loose(
    before: str, after: str, now: Sequence[Reference], new: Sequence[Reference]
) -> list[tuple[Span, Span]]:
    """The ranges of ``after`` that are not carried, with those of ``before`` in whose place they stand: what differs,
    and references that only one of the two has. In order, and apart."""
    edits = as_edits(before, after)
    gaps: list[tuple[Span, Span]] = []
    shift = 0
    for edit in edits:
        start = edit.span.start + shift
        gaps.append((Span(start, start + len(edit.words)), edit.span))
        shift += len(edit.words) - (edit.span.end - edit.span.start)
    runs = list(_runs(gaps, len(before), len(after)))
    here = {span for each in now if (span := _in_runs(runs, each.span, 0)) is not None}
    there = {each.span for each in new if _in_runs(runs, each.span, 1) is not None}
    kinds = {each.span: each.kind for each in new}
    stay = {
        there_span
        for each in now
        if (there_span := _in_runs(runs, each.span, 0)) in there and kinds[there_span] is each.kind
    } & here
    odd = [_widened(gaps, each.span, 0) for each in now if _in_runs(runs, each.span, 0) not in stay]
    odd += [_widened(gaps, each.span, 1) for each in new if each.span not in stay]
    return _united([*gaps, *odd])


def _runs(gaps: Sequence[tuple[Span, Span]], before: int, after: int) -> Iterator[tuple[Span, Span]]:
    """What stands between the gaps: its range in the text before, and in the one after."""
    edges = [(Span(0, 0), Span(0, 0)), *gaps, (Span(after, after), Span(before, before))]
    for (one_after, one_before), (next_after, next_before) in pairwise(edges):
        yield Span(one_before.end, next_before.start), Span(one_after.end, next_after.start)


def _in_runs(runs: Sequence[tuple[Span, Span]], span: Span, side: int) -> Span | None:
    """Where a range that lies within one run stands in the text after."""
    low, high = 0, len(runs)
    while low < high:
        middle = (low + high) // 2
        if runs[middle][side].end < span.end:
            low = middle + 1
        else:
            high = middle
    if low < len(runs) and runs[low][side].covers(span):
        return span.moved(runs[low][1].start - runs[low][side].start)
    return None


def _widened(gaps: Sequence[tuple[Span, Span]], span: Span, side: int) -> tuple[Span, Span]:
    """A range of one of the texts (``side`` 0: the one before) as ranges of both; its edges that lie in a gap are those
    of the gap."""

    def edge(at: int, *, end: bool) -> tuple[int, int]:
        shift = 0
        for after, before in gaps:
            own, other = (before, after) if side == 0 else (after, before)
            if at < own.start or (at == own.start and not end):
                break
            if at < own.end or (at == own.end and end and own.start < own.end):
                return (own.end, other.end) if end else (own.start, other.start)
            shift = other.end - own.end
        return at, at + shift

    first, last = edge(span.start, end=False), edge(span.end, end=True)
    own, other = Span(first[0], last[0]), Span(first[1], last[1])
    return (other, own) if side == 0 else (own, other)


def _united(gaps: Sequence[tuple[Span, Span]]) -> list[tuple[Span, Span]]:
    """Ranges in order; those that touch in either text are one."""
    found: list[tuple[Span, Span]] = []
    for gap in sorted(gaps):
        if found and (gap[0].start <= found[-1][0].end or gap[1].start <= found[-1][1].end):
            found[-1] = (_both(found[-1][0], gap[0]), _both(found[-1][1], gap[1]))
        else:
            found.append(gap)
    return found


def _both(one: Span, other: Span) -> Span:
    return Span(min(one.start, other.start), max(one.end, other.end))


def _renamed(text: str, references: Sequence[Reference], called: Called) -> Iterator[Edit]:
    for each in references:
        if each.name is None or each.kind is Kind.LISTING:
            continue
        whole = not each.name.absolute and each.name.key in called.titles
        key = each.name.key if whole else each.name.title if each.name.volume == called.volume else None
        if key is not None and key in called.titles:
            then, now = called.titles[key]
            span = each.name_span if whole else each.title_span
            typed = names.unescape(span.of(text))
            yield Edit(span, names.escape(names.like_typed(typed, then, now)))
