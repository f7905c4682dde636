"""References to a section that its page does not have."""

from __future__ import annotations

import difflib
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.syntax.headings import words
from mokuji.core.syntax.reference import Kind, Reference


@dataclass(frozen=True, slots=True)
class Broken:
    """A reference on a page whose target is there, but has no such section."""

    page: PageHead
    index: int
    reference: Reference
    target: PageHead


def broken_sections(wiki: Wiki, pages: Iterable[Page]) -> Iterator[Broken]:
    """The broken section references of some pages, page by page in the order of the text."""
    looked = list(pages)
    homes = volumes_by_id(wiki)
    named = [
        (page, use.index, use.reference)
        for page in looked
        for use in page.every_use()
        if use.reference.section
    ]
    resolver = Resolver.of(wiki, ((homes[page.head.volume], each) for page, _, each in named))
    targets: dict[tuple[int, int], PageHead] = {}
    for page, index, reference in named:
        if reference.name is None:
            targets[page.head.id, index] = page.head
            continue
        insert = reference.kind is Kind.INSERT
        found = resolver.resolve(reference.name, homes[page.head.volume], insert=insert).page
        if found is not None:
            targets[page.head.id, index] = found
    sections = _sections(wiki, {head.id for head in targets.values()})
    for page, index, reference in named:
        target = targets.get((page.head.id, index))
        insert = reference.kind is Kind.INSERT
        if target is not None and not sections[target.id].holds(reference.section or "", insert=insert):
            yield Broken(page.head, index, reference, target)


LIKE = 0.6
"""How alike the words of two sections must be (as ``difflib`` counts) to be offered."""


def nearest(page: Page, section: str, volumes: Collection[str], *, most: int = 3) -> list[str]:
    """The sections of a page whose words are most like those of one that it does not have, the likeliest first, as
    their words stand."""
    sections = Sections.of(page, volumes)
    every = [words(h, page.text, page.content.references, volumes) for h in page.content.headings]
    by_key = {names.key(each): each for n, each in enumerate(every) if sections.find(each) == n}
    typed = names.key(section)
    short = len(typed.split(" "))

    def alike(key: str) -> float:
        # Who remembers a long heading types its first words.
        first = " ".join(key.split(" ")[:short])
        return max(difflib.SequenceMatcher(None, typed, each).ratio() for each in (key, first))

    found = sorted(((alike(key), key) for key in by_key if key), key=lambda each: (-each[0], each[1]))
    return [by_key[key] for likeness, key in found[:most] if likeness >= LIKE]


def _sections(wiki: Wiki, ids: set[int]) -> Mapping[int, Sections]:
    keys = frozenset(wiki.volumes)
    return {id_: Sections.of(page, keys) for id_, page in wiki.pages(sorted(ids)).items()}
