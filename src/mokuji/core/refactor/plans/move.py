"""Move pages: to another place in the contents, or to another volume.

In another volume a page needs its volume before its name where it is referred
to, and what it refers to itself needs the one it came from: references gain
and lose their volume. An unwritten name that a moved page asks for stays asked
for in the volume it came from.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.phrases import Named
from mokuji.core.language.page import PageHead
from mokuji.core.model.assets import Copies
from mokuji.core.model.contents import LAST, Placing, Put, Row, Take, rearrange
from mokuji.core.model.references import volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, check_free, make


@dataclass(frozen=True, slots=True)
class Moved(Facts):
    """Pages that went to another volume: how many, the title of the first, where they stood and stand."""

    pages: int
    title: str
    source: str
    target: Named


@dataclass(frozen=True, slots=True)
class Reordered(Facts):
    """Names that have another place in the contents; ``unplaced`` are titles of pages that have none any more."""

    moved: int
    unplaced: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Placed(Facts):
    """A name that has another place in the contents."""

    title: str


@dataclass(frozen=True, slots=True)
class Outlined(Facts):
    """Names of an outline: how many were placed, how many of these are written, how many had a place."""

    placed: int
    written: int
    had: int


def move_to_volume(
    wiki: Wiki,
    page_ids: Sequence[int],
    volume: int,
    *,
    parents: Mapping[str, str | None] | None = None,
    unwritten: Collection[tuple[str, str]] = (),
    under: str | None = None,
    copies: Copies | None = None,
) -> Plan:
    """The plan to move pages to another volume.

    ``page_ids`` are in the order of the contents. ``parents`` says of their
    keys (and of the keys in ``unwritten``, names with their titles that are
    placed among them) which key of the same branch they stand under; the tops
    go ``under`` a key of the new volume, at the end. Collision if a name is
    taken there, Missing if a page is gone. ``copies`` are the files that come along under other names.
    """
    pages = wiki.pages(page_ids)
    if len(pages) < len(set(page_ids)):
        raise Missing("One of these pages is not there any more.", code="page_missing")
    homes = volumes_by_id(wiki)
    if volume not in homes:
        raise Missing("The volume to move to is not there any more.", code="volume_missing")
    heads: dict[int, PageHead] = {}
    placings: list[Placing] = []
    placed: list[tuple[int, str, str]] = []
    for id_ in page_ids:
        head = pages[id_].head
        if head.volume == volume:
            raise Refused(
                f"“{head.title}” is in “{homes[volume].title}” already.",
                code="nothing_to_do",
                named=[head.volume],
            )
        heads[id_] = replace(head, volume=volume)
        check_free(wiki, heads[id_])
        placed.append((head.volume, head.key, head.title))
    source = placed[0][0]
    placed += [(source, key, title) for key, title in unwritten]
    order = list(parents) if parents else [key for _, key, _ in placed]
    titles = {key: (home, title) for home, key, title in placed}
    for key in reversed(order):
        placings.append(Take(titles[key][0], key))
    for key in order:
        parent = (parents or {}).get(key)
        placings.append(Put(volume, key, titles[key][1], parent if parent is not None else under, LAST))
    first = pages[page_ids[0]].head
    target = Named("volume", volume, volume, homes[volume].title)
    return make(
        wiki,
        "move",
        first,
        Outcome(heads=heads, edits=copies.edits if copies else {}),
        assets=copies.changes if copies else (),
        asked=(volume, under, *page_ids),
        contents=placings,
        facts=Moved(len(heads), first.title, homes[first.volume].title, target),
    )


def reorder(
    wiki: Wiki,
    volume: int,
    rows: Sequence[Row],
    wished: Sequence[Row],
    page: PageHead | None = None,
    *,
    act: str = "contents",
) -> Plan:
    """The plan to bring the contents of a volume, ``rows``, into the form wished. No text changes."""
    placings = rearrange(volume, rows, wished)
    facts = Reordered(len(placings))
    return make(wiki, act, page, Outcome(), asked=(volume, *wished), contents=placings, facts=facts)


def put(wiki: Wiki, placing: Put, page: PageHead | None) -> Plan:
    """The plan to give a name, with its branch, another place in the contents."""
    facts = Placed(placing.title)
    return make(wiki, "contents", page, Outcome(), asked=[placing], contents=[placing], facts=facts)
