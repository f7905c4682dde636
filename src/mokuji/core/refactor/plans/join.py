"""Join: a page becomes a section of another; the other way round than a split.

Where the other page holds a link or an insert of it alone on its line, the
section stands there; otherwise at the end. References to the page lead to the
section, and those to its headings follow.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.assembly.inserts import puts_in
from mokuji.core.base.edits import arrange
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Named
from mokuji.core.base.spans import Lines, Span
from mokuji.core.edit import front_edit
from mokuji.core.edit.levels import DEEPEST, lowered
from mokuji.core.language.page import Page
from mokuji.core.model.assets import Copies
from mokuji.core.model.contents import LAST, Placing, Put, Row, Take, branch_end, index_of
from mokuji.core.model.references import Sections, uses_of
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine import definitions
from mokuji.core.refactor.engine.composing import Carried, Composition, Part, Words, gap_behind
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.reference import Kind


@dataclass(frozen=True, slots=True)
class Joined(Facts):
    """A page that became a section of another."""

    title: str
    into: Named

    @property
    def leads_to(self) -> Named:
        return self.into


def join(
    wiki: Wiki,
    page_id: int,
    into_id: int,
    *,
    present_words: bool = False,
    rows: Sequence[Row] = (),
    copies: Copies | None = None,
) -> Plan:
    """The plan to make page ``page_id`` a section of page ``into_id``.

    Its headings go down below the one that its title becomes. ``rows`` are the
    contents of its volume, so that what stands below it goes below the other. ``copies`` are the files that come along
    to another volume under other names.
    """
    page, into = need(wiki, page_id), need(wiki, into_id)
    if page_id == into_id:
        raise Refused("A page cannot be joined to itself.", code="nothing_to_do")
    if (through := puts_in(wiki, page, page.head, {into_id})) is not None:
        raise Refused(
            f"“{page.head.title}” puts in “{into.head.title}”"
            f"{'' if through.id == into_id else ' through other pages'}, so that one would put in itself. "
            "Put the text in the place of that insert first, or take the insert out.",
            code="insert_loop",
            named=[page.head.volume, into.head.volume],
        )
    spot, level = _spot(wiki, page, into)
    section, id_ = _section(wiki, page, into)
    parts = _parts(page, into, spot, level, id_)
    theirs, ours = definitions.unite(into, page)
    along = copies.edits.get(page_id, ()) if copies else ()
    edits = {page_id: arrange([*lowered(page, level - 1), *ours, *along]), into_id: theirs}
    outcome = Outcome(
        gone=frozenset({page_id}),
        successors={page_id: Successor(into_id, section)},
        texts={into_id: parts},
        edits={id_: each for id_, each in edits.items() if each},
    )
    return make(
        wiki,
        "join",
        page.head,
        outcome,
        asked=(page_id, into_id, present_words),
        present_words=present_words,
        contents=_placings(page, into, rows),
        assets=copies.changes if copies else (),
        facts=Joined(page.head.title, naming(into.head)),
        headings={into_id: len(page.content.headings) + _left(into, spot) + 1},
    )


def _spot(wiki: Wiki, page: Page, into: Page) -> tuple[Span, int]:
    """The range that the section takes the place of, and the level of its heading; an insert that stands
    alone below a heading gives that heading to it."""
    place = (page.head.volume, page.head.key)
    lines = Lines(into.text)
    for source, use in uses_of(wiki, place):
        span = use.reference.span
        if source.head.id != into.head.id or use.reference.section:
            continue
        line = lines.line_span(lines.position(span.start).line)
        if line.of(into.text).strip() != span.of(into.text):
            continue
        before = [h for h in into.content.headings if h.span.end <= line.start]
        level = before[-1].level if before else 1
        own = (
            before
            and use.reference.kind is Kind.INSERT
            and not into.text[before[-1].span.end : line.start].strip()
        )
        if own:
            return Span(before[-1].span.start, line.end), level
        return line, min(level + 1, DEEPEST)
    return Span(len(into.text), len(into.text)), 2


def _section(wiki: Wiki, page: Page, into: Page) -> tuple[str, str]:
    """How references name the section, and the identifier its heading needs for that (empty: none)."""
    sections = Sections.of(into, frozenset(wiki.volumes))
    if sections.find(page.head.title) is None:
        return page.head.title, ""
    base = re.sub(r"[^0-9a-z]+", "-", page.head.key).strip("-") or "section"
    number = 2
    while sections.find(f"{base}-{number}") is not None:
        number += 1
    return f"{base}-{number}", f"{base}-{number}"


def _left(into: Page, spot: Span) -> int:
    """How many headings the other page keeps."""
    return sum(not spot.holds(heading.span.start) for heading in into.content.headings)


def _parts(page: Page, into: Page, spot: Span, level: int, id_: str) -> Composition:
    end = front_edit.line_end(into.text)
    start = front_matter.read(page.text).span.end
    words = re.sub(r"[\\\[\]`*_<$~!&{}#]", r"\\\g<0>", page.head.title)
    head = into.text[: spot.start]
    lead = gap_behind(head, end)
    title = f"{lead}{'#' * level} {words}{f' {{#{id_}}}' if id_ else ''}{end}{end}"
    rest = into.text[spot.end :]
    gap = (
        ""
        if not rest.strip() or page.text.endswith(end * 2)
        else (end if page.text.endswith(end) else end * 2)
    )
    if rest.startswith(("\n", "\r")):
        gap = "" if page.text.endswith(end) else end
    parts: list[Part] = [Carried(into.head.id, Span(0, spot.start)), Words(title)]
    parts.append(Carried(page.head.id, Span(start, len(page.text))))
    parts.append(Words(gap))
    parts.append(Carried(into.head.id, Span(spot.end, len(into.text))))
    return parts


def _placings(page: Page, into: Page, rows: Sequence[Row]) -> list[Placing]:
    volume = page.head.volume
    at = index_of(rows, page.head.key)
    placings: list[Placing] = []
    if at is not None and into.head.volume == volume:
        inside = [n for n in range(at + 1, branch_end(rows, at)) if rows[n].depth == rows[at].depth + 1]
        if into.head.key not in {rows[n].key for n in range(at, branch_end(rows, at))}:
            placings = [Put(volume, rows[n].key, rows[n].title, into.head.key, LAST) for n in inside]
    return [*placings, Take(volume, page.head.key)]
