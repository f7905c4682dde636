"""What every act keeps (docs/markup.md, section 7), checked the slow way: by reading everything again."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from mokuji.core.base import names
from mokuji.core.base.edits import apply
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import Fate, VolumeChange
from mokuji.core.model.references import Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.refactor.plan import Plan, free
from mokuji.core.refactor.plans.undo import Before, Past, Returning
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.reference import Kind, Reference

Spot = tuple[int, int]
"""A reference or a heading: the id of its page, and its index there."""


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
        resolution = resolver.resolve(reference.name, homes[page.head.volume], insert=insert)
        target = resolution.page.id if resolution.page else None
        place = None if resolution.page else resolution.place
    section = sections[target].find(reference.section) if target is not None and reference.section else None
    return Lead(target, place, section)


def new_ids(wiki: MemoryWiki, plan: Plan) -> dict[int, int]:
    """The ids that pages still to be written get: those behind the highest one known."""
    highest = max([0, *wiki.pages_by_id, *(removed_page.head.id for removed_page in plan.change_set.removed)])
    made = [change.head.id for change in plan.change_set.changes if change.fate is Fate.MADE]
    return {id_: highest + 100 + n for n, id_ in enumerate(made)}


def applied(wiki: MemoryWiki, plan: Plan) -> MemoryWiki:
    """The wiki once a plan was done."""
    pages = dict(wiki.pages_by_id)
    given = new_ids(wiki, plan)
    for removed in plan.change_set.removed:
        del pages[removed.head.id]
    for change in plan.change_set.changes:
        after = change.head_after
        id_ = given.get(after.id, after.id)
        pages[id_] = Page(PageHead(id_, after.volume, after.key, after.title, after.revision), change.after)
    volumes = {volume.id: volume for volume in wiki.volumes.values()}
    for each in plan.change_set.volumes:
        if each.before is not None:
            volumes.pop(each.before.id)
        if each.after is not None:
            made = _given(wiki, each.after)
            assert made is not None
            volumes[made.id] = made
    return MemoryWiki(list(volumes.values()), list(pages.values()))


def past_of(wiki: MemoryWiki, plan: Plan) -> Past:
    """What the log of an act keeps, from the wiki before it."""
    given = new_ids(wiki, plan)
    changes = plan.change_set.changes
    before = {
        c.head.id: Before(c.head.revision + 1, c.before, c.after) for c in changes if c.fate is Fate.KEPT
    }
    return Past(
        texts=before,
        heads={c.head.id: c.head for c in changes if c.fate is Fate.KEPT and c.moved},
        called={c.head.id: c.title for c in changes if c.fate is Fate.KEPT and c.moved},
        stood={c.head.id: c.head_after.volume for c in changes if c.fate is Fate.KEPT and c.moved},
        made=frozenset(given.get(c.head.id, c.head.id) for c in changes if c.fate is not Fate.KEPT),
        entries={given.get(id_, id_): entry for id_, entry in plan.entries.items()},
        removed=tuple(
            Returning(r.head, wiki.pages_by_id[r.head.id].text, r.leads, r.successor)
            for r in plan.change_set.removed
        ),
        captured=plan.followed.landed,
        volumes=tuple(
            VolumeChange(volume.before, _given(wiki, volume.after)) for volume in plan.change_set.volumes
        ),
        free=free(plan.change_set.act, plan.page.id if plan.page else None, before, plan.free),
    )


def _given(wiki: MemoryWiki, volume: Volume | None) -> Volume | None:
    """A volume with the id that it is given when it is made."""
    if volume is None or volume.id:
        return volume
    return replace(volume, id=max([0, *(each.id for each in wiki.volumes.values())]) + 1)


@dataclass(frozen=True)
class Went:
    """What became of the references, headings and pages of before: where each is now.

    What is not named is where it was; None says that it is no more.
    """

    references: Mapping[Spot, Spot | None] = field(default_factory=dict)
    headings: Mapping[Spot, Spot | int | None] = field(default_factory=dict)
    """Of a heading that became a page: the id of that page alone."""
    pages: Mapping[int, int | None] = field(default_factory=dict)
    aims: Mapping[Spot, int] = field(default_factory=dict)


def check(before: MemoryWiki, after: MemoryWiki, plan: Plan, went: Went | None = None) -> None:
    """Promises 1 to 4: everything leads where it led, and nothing else was touched."""
    went = went or Went()
    was, will = leads(before), leads(after)
    captured = {(reference.page.id, reference.span) for reference in plan.followed.captured}
    lost = {(reference.page.id, reference.span) for reference in plan.followed.lost}
    lost_sections = {(section.page.id, section.span) for section in plan.followed.lost_sections}
    for id_, references in was.items():
        for index, (old, lead) in enumerate(references):
            spot = went.references.get((id_, index), (id_, index))
            if spot is None or (spot[0] not in will and went.pages.get(id_, id_) is None):
                continue
            assert spot[0] in will, f"page {spot[0]} is not there"
            assert spot[1] < len(will[spot[0]]), f"{old} of page {id_} is gone"
            new, now = will[spot[0]][spot[1]]
            assert old.kind is new.kind
            expected = _expected(lead, went, (id_, index))
            if now == expected:
                continue
            at = (id_, old.span)
            if at in lost:
                assert now.page is None, f"{old} is said to be lost, and leads to {now}"
                assert expected.page is None or expected.page not in will
            elif at in lost_sections:
                assert now.page == expected.page
            elif lead.section is not None and expected.page == now.page != lead.page:
                # What took the place of the page has a section that is called as the one that went.
                assert names.key(new.section or "") == names.key(old.section or "")
            elif at in captured:
                # Only what led nowhere, or to what is gone, may be captured.
                nowhere = lead.page is None or went.pages.get(lead.page, lead.page) is None
                assert nowhere or (expected.page == now.page and lead.section is None)
            elif lead.page is None and now.page is None and (plan.change_set.volumes):
                continue  # unwritten before and after; where it would be written depends on the volumes
            else:
                raise AssertionError(f"{old} of page {id_} led to {lead}, now to {now} instead of {expected}")
    for change in plan.change_set.changes:
        assert apply(change.before, change.edits) == change.after, "what is shown is what is done"


def _expected(lead: Lead, went: Went, spot: Spot) -> Lead:
    if spot in went.aims:
        return Lead(went.aims[spot], None, None)
    if lead.page is None:
        return lead
    if lead.section is not None:
        there = went.headings.get((lead.page, lead.section), (lead.page, lead.section))
        if isinstance(there, int):
            return Lead(there, None, None)
        if there is not None and there != (lead.page, lead.section):
            return Lead(there[0], None, there[1])
        if there is None:
            return Lead(went.pages.get(lead.page, lead.page), None, None)
    page = went.pages.get(lead.page, lead.page)
    return Lead(page, None, lead.section if page == lead.page else None)


def check_spans(plan: Plan, allowed: Collection[int] = ()) -> None:
    """Promise 4: outside names, sections, labels and identifiers no byte changes; ``allowed`` are pages whose
    text the act itself changes."""
    for change in plan.change_set.changes:
        if change.head.id in allowed or change.fate is not Fate.KEPT:
            continue
        may = set(_rewritable(Page(change.head, change.before)))
        for edit in change.edits:
            assert edit.span in may, f"{edit} touches more than a reference"


def _rewritable(page: Page) -> Iterator[tuple[int, int]]:
    for reference in page.content.references:
        yield reference.name_span
        yield reference.title_span
        if reference.section_span is not None:
            yield reference.section_span
            yield (reference.name_span.start, reference.section_span.end)
            yield (reference.title_span.start, reference.section_span.end)
        if reference.label_span is not None:
            yield reference.label_span
        yield (reference.span.end - 2, reference.span.end - 2)
    for heading in page.content.headings:
        yield (heading.end, heading.end)


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


def texts(wiki: MemoryWiki) -> dict[int, str]:
    """All texts by page."""
    return {id_: page.text for id_, page in wiki.pages_by_id.items()}


def named(wiki: MemoryWiki) -> dict[int, tuple[int, str]]:
    """All titles by page."""
    return {id_: (page.head.volume, page.head.title) for id_, page in wiki.pages_by_id.items()}


def appended(counts: Iterable[tuple[int, int]], to: int) -> dict[Spot, Spot]:
    """Indexes of several pages one after the other on one page: (page, how many) in order."""
    found: dict[Spot, Spot] = {}
    at = 0
    for page, count in counts:
        for n in range(count):
            found[page, n] = (to, at)
            at += 1
    return found
