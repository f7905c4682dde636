"""Save another text of a page, and see what that takes from references elsewhere.

A heading with other words, an alias that came or went: references that led
there would lead nowhere, or elsewhere. This plan makes them follow, those that
the new text itself has to its own headings, too. A save cannot be refused for
them; whoever saves may also leave them as they are.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.diff.diff import matching
from mokuji.core.language.page import Page
from mokuji.core.model.references import Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Words
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, need
from mokuji.core.syntax.headings import words as words_of
from mokuji.core.syntax.reference import Kind


@dataclass(frozen=True, slots=True)
class Edited(Facts):
    """A page that has another text: how many references to its own sections follow."""

    own_sections: int = 0


def save(wiki: Wiki, page_id: int, text: str) -> Plan:
    """The plan to give a page another text: its own change, and the references that follow it."""
    page = need(wiki, page_id)
    edits = tuple(_own_sections(wiki, page, Page(page.head, text)))
    outcome = Outcome(texts={page_id: [Words(apply(text, edits))]})
    return make(wiki, "edit", page.head, outcome, asked=(text,), facts=Edited(len(edits)))


def _own_sections(wiki: Wiki, page: Page, new: Page) -> Iterator[Edit]:
    """What makes references of a new text to its own headings follow those that have other words than before."""
    keys = {new.head.key, *new.alias_keys}
    uses = [each for each in new.section_uses(keys) if each.reference.section_span is not None]
    if not uses:
        return
    volumes = frozenset(wiki.volumes)
    was, will = Sections.of(page, volumes), Sections.of(new, volumes)
    home = volumes_by_id(wiki)[page.head.volume]
    resolver = Resolver.of(wiki, ((home, each.reference) for each in uses))
    found: dict[int, int] | None = None
    for use in uses:
        reference = use.reference
        insert = reference.kind is Kind.INSERT
        if (
            not reference.section
            or reference.section_span is None
            or will.holds(reference.section, insert=insert)
        ):
            continue
        if reference.name is not None:
            led_to = resolver.resolve(reference.name, home, insert=insert).page
            if led_to is None or led_to.id != page.head.id:
                continue
        old = was.find(reference.section)
        if old is None:
            continue
        if found is None:
            levels = [[each.level for each in some.content.headings] for some in (page, new)]
            found = matching(
                list(zip(was.ids, was.keys, levels[0], strict=True)),
                list(zip(will.ids, will.keys, levels[1], strict=True)),
            )
        index = found.get(old)
        if index is None:
            continue
        heading = new.content.headings[index]
        words = will.ids[index] or " ".join(
            words_of(heading, new.text, new.content.references, volumes).split()
        )
        # A reference in the heading itself cannot say all of it.
        inside = heading.span.holds(reference.span.start)
        if not inside and will.find(words) == index and not (insert and will.is_part(words)):
            yield Edit(reference.section_span, names.escape_section(words))
