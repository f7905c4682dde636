"""Save another text of a page, and see what that takes from references elsewhere.

A heading with other words, an alias that came or went: references that led
there would lead nowhere, or elsewhere. This plan makes them follow. A save
cannot be refused for them; whoever saves may also leave them as they are.
"""

from __future__ import annotations

from mokuji.core.composing import Words
from mokuji.core.following import Outcome
from mokuji.core.plan import Plan, make, need
from mokuji.core.wiki import Wiki


def save(wiki: Wiki, page_id: int, text: str) -> Plan:
    """The plan to give a page another text: its own change, and the references of others that follow it."""
    page = need(wiki, page_id)
    outcome = Outcome(texts={page_id: [Words(text)]})
    return make(wiki, "edit", page.head, outcome, asked=(text,))
