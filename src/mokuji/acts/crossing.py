"""References from where others read into a volume that closes, or opens."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, replace
from itertools import islice

from mokuji.acts.readership import beyond
from mokuji.acts.stored_context import StoredContext
from mokuji.core.model.changes import VolumeChange
from mokuji.core.model.references import Resolver, volumes_by_id
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.engine.outcome import AffectedReference
from mokuji.core.syntax.reference import Kind
from mokuji.services.reading.reference_lists import Listed, listed

MOST_PAGES = 500
"""Maximum number of pages that are looked through."""


@dataclass(frozen=True, slots=True)
class Crossing:
    """References into a volume, from volumes that more people read than read it closed. ``more`` says that there may be
    further ones, which were not looked for."""

    references: tuple[Listed, ...] = ()
    more: bool = False


def crossing(context: StoredContext, changes: Collection[VolumeChange]) -> Crossing | None:
    """What leads into volumes that close or open by some changes, of pages that the actor may read; None if nothing
    does."""
    found: list[AffectedReference] = []
    more = False
    for change in changes:
        before, after = change.before, change.after
        if before is None or after is None or before.closed == after.closed:
            continue
        pages = sorted(_may_lead_into(context, before))
        more = more or len(pages) > MOST_PAGES
        closed = replace(before, closed=True)
        found += _leading_into(context, closed, pages[:MOST_PAGES])
    return Crossing(listed(context.wiki, found), more) if found or more else None


def _may_lead_into(context: StoredContext, volume: Volume) -> set[int]:
    """Pages with a reference that names the volume, or with inserts that look in it."""
    pages = set(context.wiki.naming_volume(volume.key))
    for each in context.volumes.values():
        if volume.id in each.libraries:
            pages |= set(context.wiki.inserting(each.id))
    return pages


def _leading_into(
    context: StoredContext, closed: Volume, pages: Iterable[int]
) -> Iterator[AffectedReference]:
    homes = volumes_by_id(context.wiki)
    others = {
        id_ for id_ in context.reads if id_ != closed.id and beyond(context.connection, homes[id_], closed)
    }
    texts = [
        page for _, page in sorted(context.wiki.pages(list(pages)).items()) if page.head.volume in others
    ]
    uses = [
        (page, use.reference) for page in texts for use in page.every_use() if use.reference.name is not None
    ]
    resolver = Resolver.of(context.wiki, ((homes[page.head.volume], each) for page, each in uses))
    leading = (
        AffectedReference(page.head, each.span)
        for page, each in uses
        if each.name is not None
        and (
            target := resolver.resolve(
                each.name, homes[page.head.volume], insert=each.kind is Kind.INSERT
            ).page
        )
        is not None
        and target.volume == closed.id
    )
    yield from islice(leading, MOST_PAGES)
