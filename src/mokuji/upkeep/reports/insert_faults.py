"""Faulty inserts. The values of these inserts do not fit the template that they lead to."""

from __future__ import annotations

from collections.abc import Iterator

from mokuji.core.language.page import Page
from mokuji.core.reports.insert_faults import faulty_inserts
from mokuji.store.index import upkeep
from mokuji.upkeep.reports.in_text import mends_in_text
from mokuji.upkeep.reports.reading import collect, key_at, spot_of, text_batches
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext, by_target


def _insert_faults(scene: ReportContext, after: str, most: int) -> Listing:
    wiki = scene.wiki

    def of(batch: list[Page]) -> Iterator[Finding]:
        by_id = {page.head.id: page for page in batch}
        for insert in faulty_inserts(wiki, batch):
            page, span = by_id[insert.page.id], insert.reference.span
            spot = spot_of(page, span, insert.index)
            said = " ".join(fault.message for fault in insert.faults)
            yield Finding(
                key_at(page, span),
                insert.target.title,
                page.head,
                reason=said,
                target=insert.target,
                spots=(spot,),
            )

    return collect(text_batches(scene, after, upkeep.WITH_INSERTS), after, most, of), {}


REPORT = Report(
    "insert-faults",
    Group.MATERIALS,
    "Faulty inserts",
    "Values that do not fit the template they are given to.",
    "The values of these inserts do not fit the template that they lead to.",
    _insert_faults,
    mends=mends_in_text,
    parts=by_target("puts in"),
    reasons="problem",
)
