"""Change the aliases of a page: its front matter is edited in place, and what an alias led to stays led to.

``[[K]]`` led here by the alias K; once K is none, it is rewritten to the title
with K as label. What led to another page with that alias still does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.phrases import Named
from mokuji.core.edit import front_edit
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, need


@dataclass(frozen=True, slots=True)
class Aliased(Facts):
    """The other names of a page; ``dead`` are those that lead elsewhere, since they are titles."""

    names: tuple[str, ...]
    dead: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class AliasAdded(Aliased):
    """The same, the last of them new."""

    page: Named


def set_aliases(wiki: Wiki, page_id: int, aliases: Sequence[str]) -> Plan:
    """The plan after which a page has exactly these aliases. BadName for one that cannot be a name."""
    page = need(wiki, page_id)
    wanted = list({names.key(alias): names.check_title(alias, what="alias") for alias in aliases}.values())
    edits = front_edit.set_names(page.text, "aliases", wanted, page.head.title)
    outcome = Outcome(edits={page_id: edits} if edits else {})
    # A title goes before every alias, so a name that is one leads to that page, whoever has it as an alias.
    titles = wiki.titles([(page.head.volume, names.key(each)) for each in wanted])
    dead = [each for each in wanted if (page.head.volume, names.key(each)) in titles]
    facts = Aliased(tuple(wanted), tuple(dead))
    return make(wiki, "aliases", page.head, outcome, asked=wanted, facts=facts)
