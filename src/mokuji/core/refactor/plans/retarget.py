"""Retarget: all or chosen references to one name now lead to another page.

For unwritten names that mean a page under another spelling, and for
look-alikes. What is chosen is named by page and range, as they are now.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from mokuji.core.base.phrases import Named
from mokuji.core.model.references import uses_of
from mokuji.core.model.wiki import Place, Wiki
from mokuji.core.refactor.engine.outcome import At, Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need


@dataclass(frozen=True, slots=True)
class Retargeted(Facts):
    """References that lead elsewhere: the name that they say, and the page."""

    name: str
    target: Named


def retarget(
    wiki: Wiki,
    place: Place,
    target_id: int,
    *,
    only: Collection[At] | None = None,
    present_words: bool = False,
) -> Plan:
    """The plan to make references to a place lead to page ``target_id``: all of them, or those in ``only``.

    The place is that of a page or of an unwritten name. Missing if the target is gone.
    """
    target = need(wiki, target_id)
    page = wiki.titles([place]).get(place)
    aims: dict[At, int] = {}
    for source, use in uses_of(wiki, place):
        at = (source.head.id, use.reference.span)
        if (only is None or at in only) and not (page is not None and page.id == target_id):
            aims[at] = target_id
    chosen = "all" if only is None else sorted(only)
    return make(
        wiki,
        "retarget",
        target.head,
        Outcome(aims=aims),
        asked=(place, target_id, chosen, present_words),
        present_words=present_words,
        facts=Retargeted(place[1], naming(target.head)),
    )
