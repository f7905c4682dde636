"""Restore pages from the trash: at their old names and places, with their own references mended.

What asked for them meanwhile finds them again, and is listed. What led
elsewhere by their names (an alias that another page took, say) still leads
there. References of a restored text lead to what they led to when it was
deleted, under whatever name that has by now.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import Placing, Put, Row, index_of, parent_key, place, where
from mokuji.core.model.references import volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.composing import Carried
from mokuji.core.refactor.engine.outcome import At, Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, check_free, make


@dataclass(frozen=True, slots=True)
class Trashed:
    """A page in the trash: its last head and text, what its references led to (index and page id), the act that put it
    there."""

    head: PageHead
    text: str
    leads: tuple[tuple[int, int], ...] = ()
    change_set: int = 0


def returning(
    rows: Sequence[Row],
    puts: Sequence[Put],
    trashed: Sequence[Trashed],
    *,
    titles: Mapping[int, str],
    away: Collection[str] = (),
) -> list[Put]:
    """Where pages come back in the contents of their volume, the first first, so that each finds what it stands below
    and behind. ``puts`` give back what acts took, the newest act first: among them those of pages that are back
    already, which say what stood before what went later. ``away`` are keys that other pages had then."""
    called = {trashed_page.head.key: _head(trashed_page, titles) for trashed_page in trashed}
    there = {row.key for row in rows}
    now = tuple(rows)
    for put in puts:
        head = called.get(put.key)
        under = called[put.under].key if put.under in called else put.under
        after = called[put.after].key if put.after in called else put.after
        if head is None:
            at = index_of(now, put.key)
            if put.key not in there or at is None or parent_key(now, at) != under:
                continue
        elif put.under not in called and (put.under not in there or put.under in away):
            under = None
        key, title = (head.key, head.title) if head is not None else (put.key, put.title)
        now, _ = place(now, [replace(put, key=key, title=title, under=under, after=after)])
    volume = trashed[0].head.volume
    keys = {head.key for head in called.values()}
    return [where(now, n, volume) for n, row in enumerate(now) if row.key in keys]


def _head(each: Trashed, titles: Mapping[int, str]) -> PageHead:
    title = names.check_title(titles.get(each.head.id, each.head.title))
    return replace(each.head, title=title, key=names.key(title))


@dataclass(frozen=True, slots=True)
class Restored(Facts):
    """Pages that are back: the title of the first, how many."""

    title: str
    pages: int


def restore(
    wiki: Wiki,
    trashed: Sequence[Trashed],
    *,
    titles: Mapping[int, str] | None = None,
    captured: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
    places: Sequence[Placing] = (),
    act: str = "restore",
) -> Plan:
    """The plan to restore pages, each under its old title or the one given in ``titles`` by id.

    ``captured`` are references (by page, its revision then, and span) that their deletion let fall to
    another page; they lead back again. ``places`` are those of ``returning``.
    Collision, naming the page, if a name is taken; Missing if a volume is gone.
    """
    homes = volumes_by_id(wiki)
    heads: dict[int, PageHead] = {}
    aims: dict[At, int] = {}
    sources: dict[int, Page] = {}
    for trashed_page in trashed:
        if trashed_page.head.volume not in homes:
            raise Missing(
                f"The volume of “{trashed_page.head.title}” is not there any more. Restore the volume first.",
                named=[trashed_page.head.volume],
            )
        head = _head(trashed_page, titles or {})
        check_free(wiki, head, "Restore this one under another title.")
        heads[head.id] = head
        sources[head.id] = Page(trashed_page.head, trashed_page.text)
    there = wiki.pages({page for each in trashed for _, page in each.leads} - heads.keys())
    for trashed_page in trashed:
        references = sources[trashed_page.head.id].content.references
        for index, page in trashed_page.leads:
            if index < len(references) and (page in heads or page in there):
                aims[trashed_page.head.id, references[index].span] = page
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
        contents=places,
        facts=Restored(first.title, len(heads)),
        leave=captured,
    )
