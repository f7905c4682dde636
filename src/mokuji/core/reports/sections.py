"""References to a section that its page does not have."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core.references import Resolver, Sections, volumes_by_id
from mokuji.core.text.reference import Kind, Reference
from mokuji.core.wiki import Page, PageHead, Wiki


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


def _sections(wiki: Wiki, ids: set[int]) -> Mapping[int, Sections]:
    keys = frozenset(wiki.volumes)
    return {id_: Sections.of(page, keys) for id_, page in wiki.pages(sorted(ids)).items()}
