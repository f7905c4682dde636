"""Restore pages from the trash: at their old names and places, with their own references mended.

What asked for them meanwhile finds them again, and is listed. What led
elsewhere by their names (an alias that another page took, say) still leads
there. References of a restored text lead to what they led to when it was
deleted, under whatever name that has by now.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core import names
from mokuji.core.changes import Fate
from mokuji.core.composing import Carried
from mokuji.core.contents import Placing, Put
from mokuji.core.errors import Missing
from mokuji.core.following import At, Outcome
from mokuji.core.plan import Plan, check_free, make
from mokuji.core.references import volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.wiki import Page, PageHead, Wiki


@dataclass(frozen=True, slots=True)
class Trashed:
    """A page in the trash: its last head and text, what its references led to (index and page id), its place."""

    head: PageHead
    text: str
    leads: tuple[tuple[int, int], ...] = ()
    places: tuple[Placing, ...] = ()


def restore(
    wiki: Wiki,
    trashed: Sequence[Trashed],
    *,
    titles: Mapping[int, str] | None = None,
    captured: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
    act: str = "restore",
) -> Plan:
    """The plan to restore pages, each under its old title or the one given in ``titles`` by id.

    ``captured`` are references (by page, its revision then, and span) that their deletion let fall to
    another page; they lead back again.
    Collision, naming the page, if a name is taken; Missing if a volume is gone.
    """
    homes = volumes_by_id(wiki)
    heads: dict[int, PageHead] = {}
    aims: dict[At, int] = {}
    sources: dict[int, Page] = {}
    placings: list[Placing] = []
    for each in trashed:
        if each.head.volume not in homes:
            raise Missing(
                f"The volume of “{each.head.title}” is not there any more. Restore the volume first."
            )
        title = names.check_title((titles or {}).get(each.head.id, each.head.title))
        head = replace(each.head, title=title, key=names.key(title))
        check_free(wiki, head, "Restore this one under another title.")
        heads[head.id] = head
        sources[head.id] = Page(each.head, each.text)
        placings += _renamed(each.places, each.head.key, head)
    there = wiki.pages({page for each in trashed for _, page in each.leads} - heads.keys())
    for each in trashed:
        references = sources[each.head.id].content.references
        for index, page in each.leads:
            if index < len(references) and (page in heads or page in there):
                aims[each.head.id, references[index].span] = page
    outcome = Outcome(
        heads=heads,
        texts={id_: [Carried(id_, Span(0, len(page.text)))] for id_, page in sources.items()},
        sources=sources,
        aims=aims,
        fates=dict.fromkeys(heads, Fate.RESTORED),
    )
    first = next(iter(heads.values()))
    return make(
        wiki,
        act,
        first,
        outcome,
        asked=sorted(f"{id_} {head.title}" for id_, head in heads.items()),
        contents=placings,
        facts={"title": first.title, "pages": len(heads)},
        leave=captured,
    )


def _renamed(places: Sequence[Placing], old: str, head: PageHead) -> list[Placing]:
    """The old places of a page, under the name it has now."""
    return [
        replace(place, key=head.key, title=head.title)
        if isinstance(place, Put) and place.key == old
        else place
        for place in places
    ]
