"""Rename a page: its title changes, and every reference that led to it says the new one.

Refused if the name belongs to another page of the volume. What was unwritten
under the new name leads to the page afterwards, and is listed. The old name
can stay as an alias; words that say it without being a reference are offered
as rows, and exchanged only if chosen.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, arrange
from mokuji.core.base.errors import Refused
from mokuji.core.edit import front_edit
from mokuji.core.language.page import Page
from mokuji.core.model.contents import Rekey
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan, check_free, make, need
from mokuji.core.style import mentions


@dataclass(frozen=True, slots=True)
class Renamed(Facts):
    """A page that has another title."""

    before: str
    after: str


def rename(
    wiki: Wiki,
    page_id: int,
    title: str,
    *,
    present_words: bool = False,
    keep_alias: bool = False,
    rows: Collection[str] = (),
    offer: Collection[int] = (),
) -> Plan:
    """The plan to give a page another title.

    With ``present_words`` readers go on seeing the words they see now: a label
    is added where there is none. With ``keep_alias`` the old title becomes an
    alias of the page. ``offer`` are the ids of pages that may say the old name
    without a reference; what they say is listed as rows, of which those named
    in ``rows`` are exchanged too. Raises BadName for words that cannot be a
    title, Collision if another page has the name, Missing if the page is gone,
    Refused if a reference cannot follow.
    """
    title = names.check_title(title)
    page = need(wiki, page_id)
    head = replace(page.head, key=names.key(title), title=title)
    check_free(wiki, head)
    edits: dict[int, tuple[Edit, ...]] = {}
    if head.key != page.head.key:
        edits = _alias(page, head.key, keep_alias)
    offered = _offered(wiki, page, title, offer)
    for row, change in offered.items():
        if row.id in rows:
            edits[row.page.id] = arrange((*edits.get(row.page.id, ()), change))
    outcome = Outcome(heads={page_id: head}, edits=edits)
    placing = Rekey(head.volume, page.head.key, head.key, title)
    return make(
        wiki,
        "rename",
        page.head,
        outcome,
        asked=(title, present_words, keep_alias, *sorted(rows)),
        present_words=present_words,
        contents=[placing] if title != page.head.title else [],
        facts=Renamed(page.head.title, title),
        rows=tuple(offered),
    )


def _alias(page: Page, new_key: str, keep: bool) -> dict[int, tuple[Edit, ...]]:
    """The old title added to the aliases; an alias that is now the title taken out."""
    text = page.text
    now = front_edit.names_of(text, "aliases")
    wanted = [each for each in now if names.key(each) != new_key]
    if keep and page.head.key not in {names.key(each) for each in wanted}:
        wanted.append(page.head.title)
    if wanted == list(now):
        return {}
    try:
        edits = front_edit.set_names(text, "aliases", wanted, page.head.title)
    except Refused:
        if keep:
            raise
        # Without being asked nothing in a front matter that does not parse is touched: the alias is dead, no more.
        return {}
    return {page.head.id: edits} if edits else {}


def _offered(wiki: Wiki, page: Page, title: str, offer: Collection[int]) -> Mapping[OptionalChange, Edit]:
    edits: dict[OptionalChange, Edit] = {}
    for other in sorted(wiki.pages(offer).values(), key=lambda p: (p.head.volume, p.head.key)):
        for mention in mentions.sayings(other, page.head.title, title):
            row = OptionalChange(
                f"{other.head.id}-{other.head.revision}-{mention.edit.span.start}",
                mention.kind,
                other.head,
                mention.line,
                mention.before,
                mention.after,
            )
            edits[row] = mention.edit
    return edits
