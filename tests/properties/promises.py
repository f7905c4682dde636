"""What every act keeps (docs/markup.md, section 7), checked the slow way: by reading everything again."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.changes import PageChange
from mokuji.core.edits import apply
from mokuji.core.references import Resolver, Sections, volumes_by_id
from mokuji.core.spans import Span
from mokuji.core.text.headings import shown
from mokuji.core.text.reference import Kind, Reference
from mokuji.core.wiki import MemoryWiki, Page, PageHead, Volume
from tests.wikis import with_pages


@dataclass(frozen=True)
class Lead:
    """Where one reference leads: a page or the place of an unwritten name, and a heading of the page."""

    page: int | None
    place: tuple[int, str] | None
    section: int | None


def leads(wiki: MemoryWiki) -> dict[int, list[tuple[Reference, Lead]]]:
    """All references of all pages, read from the texts, and where each leads."""
    homes = volumes_by_id(wiki)
    every = [(homes[p.head.volume], r) for p in wiki.pages_by_id.values() for r in p.content.references]
    resolver = Resolver.of(wiki, every)
    sections = {id_: Sections.of(page, wiki.volumes) for id_, page in wiki.pages_by_id.items()}
    return {
        id_: [
            (reference, _lead(page, reference, homes, resolver, sections))
            for reference in page.content.references
        ]
        for id_, page in wiki.pages_by_id.items()
    }


def _lead(
    page: Page,
    reference: Reference,
    homes: Mapping[int, Volume],
    resolver: Resolver,
    sections: Mapping[int, Sections],
) -> Lead:
    target: int | None = page.head.id
    place = None
    if reference.kind is Kind.LISTING:
        target = None
    elif reference.name is not None:
        insert = reference.kind is Kind.INSERT
        found = resolver.resolve(reference.name, homes[page.head.volume], insert=insert)
        target = found.page.id if found.page else None
        place = None if found.page else found.place
    section = sections[target].find(reference.section) if target and reference.section else None
    return Lead(target, place, section)


def applied(wiki: MemoryWiki, changes: Collection[PageChange], new: Collection[Page] = ()) -> MemoryWiki:
    """The wiki once a change set was done."""
    changed = {}
    for change in changes:
        old = change.head
        head = PageHead(old.id, old.volume, names.key(change.title), change.title, old.revision + 1)
        changed[old.id] = Page(head, change.after)
    return with_pages(wiki, changed | {page.head.id: page for page in new})


def check(
    before: MemoryWiki,
    after: MemoryWiki,
    changes: Collection[PageChange],
    captured: Collection[tuple[int, Span]],
) -> None:
    """Promises 1 to 4: everything leads where it led, and nothing else was touched."""
    was, will = leads(before), leads(after)
    listed = set(captured)
    for id_, references in was.items():
        assert len(will[id_]) == len(references), f"a reference came or went on page {id_}"
        for (old, lead), (new, now) in zip(references, will[id_], strict=True):
            assert old.kind is new.kind
            if lead == now:
                continue
            assert (id_, old.span) in listed, f"{old} led to {lead}, now to {now}"
            # Only what led nowhere may be captured.
            assert lead.page is None or (lead.page == now.page and lead.section is None)
    for change in changes:
        _check_bytes(change)


def _check_bytes(change: PageChange) -> None:
    assert apply(change.before, change.edits) == change.after
    page = Page(change.head, change.before)
    allowed = set(_rewritable(page))
    for edit in change.edits:
        assert edit.span in allowed, f"{edit} touches more than a reference"


def _rewritable(page: Page) -> Iterator[Span]:
    for reference in page.content.references:
        yield reference.name_span
        yield reference.title_span
        if reference.section_span is not None:
            yield reference.section_span
        if reference.label_span is not None:
            yield reference.label_span
        yield Span(reference.span.end - 2, reference.span.end - 2)
    for heading in page.content.headings:
        yield Span(heading.end, heading.end)


def words(wiki: MemoryWiki) -> dict[int, list[str]]:
    """What readers see of each link."""
    return {
        id_: [
            shown(reference, page.text, wiki.volumes)
            for reference in page.content.references
            if reference.kind is Kind.LINK
        ]
        for id_, page in wiki.pages_by_id.items()
    }
