"""Write a page that was not there: what led elsewhere by its name still leads there.

``[[X]]`` may have led to a page with the alias X, or to page B of volume A
when X is “A/B”. Once there is a page X it would lead to that one, so such
references are rewritten to the title of what they mean, with the words that
readers see kept as label.
"""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import LAST, Put
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Words
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, check_free, make

NEW = 0
"""The id of the page that is still to be written."""


@dataclass(frozen=True, slots=True)
class Written(Facts):
    """A page that was not there."""

    title: str


def create(wiki: Wiki, volume: int, title: str, text: str = "", *, under: str | None = None) -> Plan:
    """The plan to write a page of this title and text, placed ``under`` a key of the contents unless it has a
    place. BadName, Collision or Refused if that cannot be."""
    title = names.check_title(title)
    head = PageHead(NEW, volume, names.key(title), title, 0)
    check_free(wiki, head)
    outcome = Outcome(heads={NEW: head}, texts={NEW: [Words(text)]}, fates={NEW: Fate.MADE})
    placing = Put(volume, head.key, title, under, LAST, new_only=True)
    return make(wiki, "create", head, outcome, asked=(title, text), contents=[placing], facts=Written(title))
