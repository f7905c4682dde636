"""Faulty inserts. The values of these inserts do not fit the template that they lead to."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.reports.insert_faults import faulty_inserts
from mokuji.core.reports.page_findings import missing_values
from mokuji.core.style.flaws import Mend
from mokuji.store.index.volume_pages import Holding
from mokuji.upkeep.reports.mending import mends_in_text
from mokuji.upkeep.reports.reading import collect, key_at, spot_of, text_batches
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext, by_target


def _on_pages(scene: ReportContext, pages: list[Page]) -> Iterator[Finding]:
    wiki = scene.wiki
    by_id = {page.head.id: page for page in pages}
    lacking: dict[int, dict[Span, tuple[Mend, ...]]] = {}
    for insert in faulty_inserts(wiki, pages):
        page, span = by_id[insert.page.id], insert.reference.span
        spot = spot_of(page, span, insert.index)
        said = " ".join(fault.message for fault in insert.faults)
        if page.head.id not in lacking:
            lacking[page.head.id] = dict(missing_values(wiki, page))
        yield Finding(
            key_at(page, span),
            insert.target.title,
            page.head,
            reason=said,
            target=insert.target,
            spots=(spot,),
            mends=lacking[page.head.id].get(span, ()),
        )


def _insert_faults(scene: ReportContext, after: str, most: int) -> Listing:
    batches = text_batches(scene, after, Holding.INSERTS)
    return collect(batches, after, most, partial(_on_pages, scene)), {}


REPORT = Report(
    "insert-faults",
    Group.MATERIALS,
    "Faulty inserts",
    "Values that do not fit the template they are given to.",
    "The values of these inserts do not fit the template that they lead to.",
    _insert_faults,
    mends=mends_in_text,
    on_pages=_on_pages,
    parts=by_target("puts in"),
    reasons="problem",
)
