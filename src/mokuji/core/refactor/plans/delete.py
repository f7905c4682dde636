"""Delete pages: they go to the trash, and what led to them is left unwritten, led elsewhere, or made plain words.

What is left unwritten is listed. A name that another page has as alias leads
to that one afterwards; that is listed too, as captured.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from mokuji.core.base.errors import Missing, Refused
from mokuji.core.model.contents import Take
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make

References = Literal["leave", "words", "retarget"]
"""What becomes of references to what is deleted."""


@dataclass(frozen=True, slots=True)
class Deleted(Facts):
    """Pages that go to the trash: the title of the first, how many, what becomes of references."""

    title: str
    pages: int
    references: References


def delete(
    wiki: Wiki,
    page_ids: Sequence[int],
    *,
    references: References = "leave",
    target: int | None = None,
    keep_places: bool = False,
) -> Plan:
    """The plan to delete pages, the first one in hand.

    ``target`` is the page that references lead to when they are retargeted.
    With ``keep_places`` the names stay in the contents, as unwritten ones.
    """
    pages = wiki.pages(page_ids)
    if len(pages) < len(set(page_ids)):
        raise Missing("One of these pages is not there any more.", code="page_missing")
    gone = frozenset(page_ids)
    successors: dict[int, Successor] = {}
    if references == "retarget":
        if target is None or target in gone or not wiki.pages([target]):
            raise Refused("Choose a page that references are to lead to, and that is not deleted itself.")
        successors = {id_: Successor(target) for id_ in gone}
    outcome = Outcome(
        gone=gone, successors=successors, plain_targets=gone if references == "words" else frozenset()
    )
    placings = (
        [] if keep_places else [Take(pages[i].head.volume, pages[i].head.key) for i in reversed(page_ids)]
    )
    first = pages[page_ids[0]].head
    return make(
        wiki,
        "delete",
        first,
        outcome,
        asked=(references, target, keep_places, *page_ids),
        contents=placings,
        facts=Deleted(first.title, len(gone), references),
    )
