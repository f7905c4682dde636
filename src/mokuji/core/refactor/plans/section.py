"""Rename a section: its heading is changed in place, and references to it follow."""

from __future__ import annotations

import re
from dataclasses import dataclass

from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import BadName, Missing
from mokuji.core.base.spans import Span
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, need
from mokuji.core.syntax.headings import typed_span

LONGEST = 300
"""Maximum number of code points of a heading that an act writes."""


@dataclass(frozen=True, slots=True)
class SectionRenamed(Facts):
    """A heading that has other words."""

    before: str
    after: str


def rename_section(wiki: Wiki, page_id: int, index: int, words: str, *, present_words: bool = False) -> Plan:
    """The plan to give the heading ``index`` (from 0) of a page other words, written as inline Markdown.

    BadName if they cannot be a heading, Missing if the page has no such heading.
    """
    page = need(wiki, page_id)
    words = words.strip()
    if not words or re.search(r"[\r\n]", words) or len(words) > LONGEST:
        raise BadName(f"A heading needs words, on one line, {LONGEST} characters at most.")
    headings = page.content.headings
    if not 0 <= index < len(headings):
        raise Missing(
            f"“{page.head.title}” has no heading number {index + 1}; it has {len(headings)}.",
            named=[page.head.volume],
        )
    span = typed_span(page.text, headings[index])
    edits = (Edit(Span(*span), words),) if span.of(page.text) != words else ()
    return make(
        wiki,
        "section",
        page.head,
        Outcome(edits={page_id: edits} if edits else {}),
        asked=(index, words, present_words),
        present_words=present_words,
        facts=SectionRenamed(span.of(page.text), words),
    )
