"""Missing sections. These references lead to a section that its page does not have."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from mokuji.core.language.page import Page
from mokuji.core.reports.sections import broken_sections, nearest
from mokuji.store.index.volume_pages import Holding
from mokuji.upkeep.reports.mending import mends_in_text
from mokuji.upkeep.reports.reading import collect, key_at, spot_of, text_batches
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext, by_target


def _on_pages(scene: ReportContext, pages: list[Page]) -> Iterator[Finding]:
    wiki = scene.wiki
    by_id = {page.head.id: page for page in pages}
    brokens = list(broken_sections(wiki, pages))
    targets = wiki.pages({broken.target.id for broken in brokens})
    for broken in brokens:
        page, span = by_id[broken.page.id], broken.reference.span
        near = nearest(targets[broken.target.id], broken.reference.section or "", frozenset(wiki.volumes))
        spot = spot_of(page, span, broken.index)
        title = f"{broken.target.title} § {broken.reference.section}"
        yield Finding(
            key_at(page, span),
            title,
            page.head,
            target=broken.target,
            reason=f"like it: {', '.join(f'“{each}”' for each in near)}" if near else "",
            spots=(spot,),
            nearest=tuple(near),
        )


def _sections(scene: ReportContext, after: str, most: int) -> Listing:
    batches = text_batches(scene, after, Holding.SECTIONS)
    return collect(batches, after, most, partial(_on_pages, scene)), {}


REPORT = Report(
    "sections",
    Group.TEXT,
    "Missing sections",
    "References to a section that its page does not have.",
    "These references lead to a section that its page does not have.",
    _sections,
    mends=mends_in_text,
    on_pages=_on_pages,
    parts=by_target("leads to"),
)
