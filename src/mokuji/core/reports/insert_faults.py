"""Inserts whose values do not fit the template that they lead to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mokuji.core.assembly.inserts import Fault
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.reports.uses import use
from mokuji.core.syntax.reference import Kind, Reference


@dataclass(frozen=True, slots=True)
class FaultyInsert:
    """An insert on a page, the page that it leads to, and what is wrong about it."""

    page: PageHead
    index: int
    reference: Reference
    target: PageHead
    faults: tuple[Fault, ...]


def faulty_inserts(wiki: Wiki, pages: Iterable[Page]) -> Iterator[FaultyInsert]:
    """The faulty inserts of some pages, page by page in the order of the text. A section that is gone is in the report
    of missing sections."""
    homes = volumes_by_id(wiki)
    inserts = [
        (page, each.index, each.reference)
        for page in pages
        for each in page.every_use()
        if each.reference.kind is Kind.INSERT and each.reference.name is not None
    ]
    resolver = Resolver.of(wiki, ((homes[page.head.volume], each) for page, _, each in inserts))
    targets: dict[tuple[int, int], int] = {}
    for page, index, reference in inserts:
        assert reference.name is not None
        head = resolver.resolve(reference.name, homes[page.head.volume], insert=True).page
        if head is not None:
            targets[page.head.id, index] = head.id
    templates = wiki.pages(sorted(set(targets.values())))
    for page, index, reference in inserts:
        template = templates.get(targets.get((page.head.id, index), 0))
        if template is None:
            continue
        told = use(reference.span.of(page.text), template, wiki.volumes)
        faults = tuple(fault for fault in told.faults if fault.code != "section_missing")
        if faults:
            yield FaultyInsert(page.head, index, reference, template.head, faults)
