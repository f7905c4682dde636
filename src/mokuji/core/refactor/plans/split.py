"""Split: a section of a page becomes a page of its own; join: a page becomes a section of another.

References to the section, and to those inside it, lead to the page that
received the text. In its place stays a link to that page, or its heading with
an insert of it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.edit.levels import raised
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import LAST, Put
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine import definitions
from mokuji.core.refactor.engine.composing import Composition, Words, gap_behind, text_of
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, check_free, make, need
from mokuji.core.syntax.headings import Heading, section_end, words

Leave = Literal["link", "insert"]
"""What stays in the place of the section."""
COPY = -1
"""The id of the page's text as a source of what both pages need."""


@dataclass(frozen=True, slots=True)
class Parted(Facts):
    """A section that became a page."""

    page: str
    section: str
    title: str


def split(
    wiki: Wiki,
    page_id: int,
    index: int,
    title: str,
    *,
    leave: Leave = "link",
    under: str | None = None,
    present_words: bool = False,
) -> Plan:
    """The plan to make a page called ``title`` of the section under heading ``index`` (from 0).

    The heading becomes the title; those below it move up as many levels.
    ``under`` is where the page is placed in the contents, by default below the
    page it comes from. Refused if the section ends in the middle of something.
    """
    page = need(wiki, page_id)
    headings = page.content.headings
    heading = _outermost(page, index)
    title = names.check_title(title)
    new = PageHead(0, page.head.volume, names.key(title), title, 0)
    check_free(wiki, new)
    start = _line_start(page.text, heading.span.start)
    body = _skip_ends(page.text, heading.span.end)
    end = section_end(page.text, headings, index)
    inside = [n for n, h in enumerate(headings) if body <= h.span.start < end]
    passage = Span(body, end)
    parted = definitions.part(page, passage)
    trimmed = Span(body, body + _skip_back(page.text[body:end]))
    new_text = definitions.without(page, trimmed, parted.rest.moved)
    new_text += definitions.at_end(page, text_of(new_text, page.text), parted.passage, COPY)
    outcome = Outcome(
        heads={0: new},
        texts={page_id: _left(page, new, start, passage, leave, parted), 0: new_text},
        sources={COPY: definitions.copy_of(page, COPY)},
        copies={COPY: page_id},
        edits={page_id: edits}
        if (edits := raised(page, [headings[n] for n in inside], heading.level - 1))
        else {},
        became={(page_id, index): 0},
        fates={0: Fate.MADE},
    )
    section = words(heading, page.text, page.content.references, wiki.volumes)
    place = Put(
        page.head.volume, new.key, title, page.head.key if under is None else under, LAST, new_only=True
    )
    return make(
        wiki,
        "split",
        page.head,
        outcome,
        asked=(index, title, leave, under, present_words),
        present_words=present_words,
        contents=[place],
        facts=Parted(page.head.title, section, title),
        entries={0: Successor(page_id, section)},
        headings={0: len(inside), page_id: len(headings) - len(inside) - (leave == "link")},
    )


def _outermost(page: Page, index: int) -> Heading:
    """A heading of a page; Missing if there is none of this number, Refused if it stands inside a block."""
    headings = page.content.headings
    if not 0 <= index < len(headings):
        raise Missing(
            f"“{page.head.title}” has no heading number {index + 1}; it has {len(headings)}.",
            named=[page.head.volume],
        )
    start = headings[index].span.start
    if page.text[_line_start(page.text, start) : start].strip():
        raise Refused("This heading stands inside a list or quotation. Move it out first.", code="nested")
    return headings[index]


def _left(
    page: Page, new: PageHead, start: int, passage: Span, leave: Leave, parted: definitions.Parted
) -> Composition:
    """What the page consists of without its section."""
    gap = front_edit.line_end(page.text)
    target = names.escape(new.title)
    behind_it = definitions.without(page, Span(passage.end, len(page.text)), parted.passage.moved)
    behind = gap * 2 if text_of(behind_it, page.text).strip() else gap
    first = Span(0, passage.start if leave == "insert" else start)
    lead = ""
    if leave == "insert":
        lead = gap_behind(first.of(page.text), gap)
    words = f"{lead}[[{'=' if leave == 'insert' else ''}{target}]]{behind}"
    parts = [*definitions.without(page, first, parted.passage.moved), Words(words), *behind_it]
    return [*parts, *definitions.at_end(page, text_of(parts, page.text), parted.rest, COPY)]


def _line_start(text: str, at: int) -> int:
    return max(text.rfind("\n", 0, at), text.rfind("\r", 0, at)) + 1


def _skip_back(text: str) -> int:
    """Where the empty lines at the end of a text begin."""
    last = re.compile(r"[ \t]*(?:\r\n|\n|\r)").match(text, len(text.rstrip()))
    return last.end() if last else len(text)


def _skip_ends(text: str, at: int) -> int:
    """Past the empty lines that follow a heading."""
    match = re.compile(r"(?:[ \t]*(?:\r\n|\n|\r))*").match(text, at)
    return match.end() if match else at
