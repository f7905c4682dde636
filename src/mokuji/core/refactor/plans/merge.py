"""Merge a page into another: one page is left, with the texts as the writer chose, and all references lead to it.

The name of the page that goes becomes an alias of the one that stays, with its
own aliases and categories. References to its sections lead to where their
headings went; such as went with the text are listed as lost.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from mokuji.core.assembly.inserts import puts_in
from mokuji.core.base import names
from mokuji.core.base.edits import Edit, arrange
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Named
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.language.page import Page
from mokuji.core.model.assets import Copies
from mokuji.core.model.contents import LAST, Placing, Put, Row, Take, branch_end, index_of
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine import definitions
from mokuji.core.refactor.engine.composing import Carried, Composed, Composition, Words, gap_behind
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, naming, need
from mokuji.core.syntax import front_matter

Texts = Literal["after", "before", "keep", "edited"]
"""How the texts are joined: that of the page that goes after or before the other, not at all, or as edited."""
EDITED = -1
"""The id of a text that the writer made of both."""


@dataclass(frozen=True, slots=True)
class Merged(Facts):
    """A page that became part of another."""

    title: str
    into: Named

    @property
    def leads_to(self) -> Named:
        return self.into


def merge(
    wiki: Wiki,
    page_id: int,
    into_id: int,
    *,
    texts: Texts = "after",
    edited: str | None = None,
    present_words: bool = False,
    alias: bool = True,
    rows: tuple[Row, ...] = (),
    copies: Copies | None = None,
) -> Plan:
    """The plan to merge page ``page_id`` into page ``into_id``.

    ``edited`` is the whole text that the page will have, when ``texts`` is
    “edited”. With ``alias`` the old title leads to the page from now on.
    ``rows`` are the contents of the volume of the page that goes, to give the
    branch below it to the other. ``copies`` are the files that come along to another volume under other names.
    """
    page, into = need(wiki, page_id), need(wiki, into_id)
    if page_id == into_id:
        raise Refused("A page cannot be merged into itself.", code="nothing_to_do")
    base = _edited(into, edited) if texts == "edited" else into
    _check_loops(wiki, page, base, into, both=texts in {"after", "before"})
    edits = _edits(wiki, page, base, texts, alias)
    carried = copies is not None and texts in {"after", "before"}
    for id_, each in copies.edits.items() if copies is not None and carried else ():
        edits[id_] = arrange([*edits.get(id_, ()), *each])
    outcome = Outcome(
        gone=frozenset({page_id}),
        successors={page_id: Successor(into_id)},
        texts={} if texts == "keep" else {into_id: _parts(page, base, texts)},
        sources={EDITED: base} if texts == "edited" else {},
        edits=edits,
    )
    return make(
        wiki,
        "merge",
        page.head,
        outcome,
        asked=(page_id, into_id, texts, edited, present_words, alias),
        present_words=present_words,
        contents=_placings(page, into, rows),
        assets=copies.changes if copies is not None and carried else (),
        facts=Merged(page.head.title, naming(into.head)),
        headings={into_id: len(page.content.headings) + len(into.content.headings)}
        if texts in {"after", "before"}
        else {},
    )


def _check_loops(wiki: Wiki, page: Page, base: Page, into: Page, *, both: bool) -> None:
    """Refused if the text that is left would put in itself, by an insert of the other page, straight or through more
    pages."""
    ends = {page.head.id, into.head.id}
    for text in (base, page) if both else (base,):
        other = page if text is base else into
        through = puts_in(wiki, text, into.head if text is base else page.head, ends)
        if through is not None:
            raise Refused(
                f"“{(into if text is base else page).head.title}” puts in “{other.head.title}”"
                f"{' through other pages' if through.id not in ends else ''}, so the one page that is left would "
                "put in itself. Put the text in the place of that insert first, or take the insert out.",
                code="insert_loop",
                named=[page.head.volume, into.head.volume],
            )


def joined(page: Page, into: Page, texts: Texts) -> str:
    """The text that the two make, for a writer to go on with; names and aliases are not yet united."""
    sources = {page.head.id: page.text, into.head.id: into.text}
    edits = dict(zip((into.head.id, page.head.id), definitions.unite(into, page), strict=True))
    return Composed(_parts(page, into, texts), sources.__getitem__, edits.__getitem__).text


def _edits(wiki: Wiki, page: Page, into: Page, texts: Texts, alias: bool) -> dict[int, tuple[Edit, ...]]:
    """What the act changes in the texts: names of both in one front matter, labels that both define."""
    edits = {into.head.id: _front(wiki, page, into, alias)}
    if texts in {"after", "before"}:
        theirs, ours = definitions.unite(into, page)
        edits = {into.head.id: arrange([*edits[into.head.id], *theirs]), page.head.id: ours}
    return {id_: each for id_, each in edits.items() if each}


def _edited(into: Page, edited: str | None) -> Page:
    if edited is None:
        raise Refused("There is no text to put in the place of the two. Write it first.", code="text_missing")
    return Page(replace(into.head, id=EDITED), edited)


def _parts(page: Page, into: Page, texts: Texts) -> Composition:
    if texts in {"edited", "keep"}:
        return [Carried(into.head.id, Span(0, len(into.text)))]
    head = front_matter.read(into.text).span.end
    start = front_matter.read(page.text).span.end
    end = front_edit.line_end(into.text)
    body = Carried(page.head.id, Span(start, len(page.text)))
    if not page.text[start:].strip():
        return [Carried(into.head.id, Span(0, len(into.text)))]
    if texts == "before":
        rest = into.text[head:]
        gap = [Words(gap_behind(page.text, end))] if rest.strip() else []
        return [
            Carried(into.head.id, Span(0, head)),
            body,
            *gap,
            Carried(into.head.id, Span(head, len(into.text))),
        ]
    whole = Carried(into.head.id, Span(0, len(into.text)))
    return [whole, Words(gap_behind(into.text, end)), body] if into.text[head:].strip() else [whole, body]


def _front(wiki: Wiki, page: Page, into: Page, alias: bool) -> tuple[Edit, ...]:
    """Aliases and categories of both in one front matter."""
    front = front_matter.read(page.text)
    same = page.head.volume == into.head.volume
    aliases = [*([page.head.title] if alias and same else ()), *(front.names("aliases") if same else ())]
    taken = {into.head.key, *(names.key(each) for each in front_edit.names_of(into.text, "aliases"))}
    places = wiki.titles([(into.head.volume, names.key(each)) for each in aliases])
    taken |= {key for (_, key), head in places.items() if head.id != page.head.id}
    aliases = [each for each in aliases if names.key(each) not in taken]
    have = {names.key(each) for each in front_edit.names_of(into.text, "categories")}
    categories = [name for name in front.names("categories") if names.key(name) not in have]
    return front_edit.add_lists(into.text, {"aliases": aliases, "categories": categories}, into.head.title)


def _placings(page: Page, into: Page, rows: tuple[Row, ...]) -> list[Placing]:
    """The branch below the page that goes is given to the one that stays, if both are in one volume."""
    volume = page.head.volume
    placings: list[Placing] = []
    at = index_of(rows, page.head.key)
    if at is not None and into.head.volume == volume:
        inside = range(at + 1, branch_end(rows, at))
        if any(rows[n].key == into.head.key for n in inside):
            return [Take(volume, page.head.key)]
        placings += [
            Put(volume, rows[n].key, rows[n].title, into.head.key, LAST)
            for n in inside
            if rows[n].depth == rows[at].depth + 1
        ]
    return [*placings, Take(volume, page.head.key)]
