"""Amend: other words at some places of some pages; references to headings and other names follow.

It stands above the plans: it is put together of saves where names change.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base.edits import Edit, apply, arrange
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Named
from mokuji.core.language.page import Page
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.combining import Combining
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need
from mokuji.core.refactor.plans.save import save


@dataclass(frozen=True, slots=True)
class Amended(Facts):
    """Places that have other words, and on how many pages; the first of these."""

    page: Named
    pages: int
    places: int


def amend(wiki: Wiki, edits: Mapping[int, Sequence[Edit]]) -> Plan:
    """The plan to make edits of texts (by page). Overlap if two claim one character, Refused if there are none."""
    together = Combining(wiki, "amend")
    first: Page | None = None
    for id_, given in edits.items():
        page, wanted = need(together.wiki, id_), arrange(given)
        first = first or page
        text = apply(page.text, wanted)
        if _same_names(page, Page(page.head, text), frozenset(wiki.volumes)):
            together.add(make(together.wiki, "amend", page.head, Outcome(edits={id_: wanted})))
        else:
            together.add(save(together.wiki, id_, text))
    places = sum(len(set(given)) for given in edits.values())
    if first is None:
        raise Refused("There is no place to amend.", code="nothing_to_do")
    return together.plan(Amended(naming(first.head), len(edits), places))


def _same_names(one: Page, other: Page, volumes: frozenset[str]) -> bool:
    """Whether all that references can name of a page is the same, and in the same order."""
    headings = [Sections.of(page, volumes).anchors() for page in (one, other)]
    aliases = [tuple(page.alias_keys) for page in (one, other)]
    return headings[0] == headings[1] and aliases[0] == aliases[1]
