"""Orphans. No other page leads to these, by link or insert. Their place in the contents does not count."""

from __future__ import annotations

from mokuji.store import pages
from mokuji.store.index import to_mend
from mokuji.upkeep.reports.mending import lead_to_it_or_delete
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext, page_id


def _orphans(scene: ReportContext, after: str, most: int) -> Listing:
    heads = to_mend.orphans(scene.connection, scene.volume.id, scene.seen, after=after, most=most)
    summaries = pages.summaries(scene.connection, [head.id for head in heads])
    return [Finding(h.key, h.title, h, reason=summaries.get(h.id, "")) for h in heads], {}


REPORT = Report(
    "orphans",
    Group.REACH,
    "Orphans",
    "No other page leads to them.",
    "No other page leads to these, by link or insert. Their place in the contents does not count.",
    _orphans,
    mends=lead_to_it_or_delete,
    what=page_id,
    to_mend=True,
    number=lambda _, counts: counts.orphans,
    in_step=True,
)
