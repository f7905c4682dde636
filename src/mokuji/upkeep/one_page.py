"""What is to mend on one page: the findings of the desk and of ``mokuji check``, with what mends them as plans."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.base.spans import Lines
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.reports.page_findings import PageFinding
from mokuji.core.style.flaws import Flaw
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.writing import findings
from mokuji.store.database import reading
from mokuji.upkeep.keeping import scene_of
from mokuji.upkeep.reports.mending import offer_of
from mokuji.upkeep.reports.reading import finding_of_flaw
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.upkeep.reports.report import Offer

LONGEST = 50_000
"""Number of code points up to which it is looked for beside a page: each view of it asks anew."""
SHOWN = 12
"""Number of findings that are shown beside a page."""
_REPORT = {"problem": "flaws", "advice": "flaws", "style": "style"}
"""In which report what a text says badly can have been put aside."""
_LISTED = {
    "section_missing": "sections",
    "own_address": "addresses",
    "file_missing": "no-file",
    "source_missing": "no-source",
}
"""In which report a finding of what a text names can have been put aside; any other in that of faulty inserts."""


@dataclass(frozen=True, slots=True)
class ToMend:
    """A finding of a page, its line (from 1), and what mends it."""

    finding: PageFinding
    line: int
    offers: tuple[Offer, ...]


@dataclass(frozen=True, slots=True)
class PageToMend:
    """The findings of a page in the order of its text, the first ``SHOWN``, and how many there are in all. Names that
    are not written, and what was put aside, are not among them."""

    volume: Volume
    key: str
    rows: tuple[ToMend, ...]
    number: int


def to_mend(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, origins: Sequence[str]
) -> PageToMend:
    """What a page says badly or wrongly; only who may write may ask for it. ``origins`` is how addresses of this wiki
    begin."""
    seen, found = findings.of_page(app, actor, volume_key, page_key, origins)
    page, volume, lines = seen.ready.page, seen.volume, Lines(seen.ready.page.text)
    with reading(app.engine) as connection:
        scene = scene_of(ReadContext(connection, actor), volume, tuple(origins))
        listed = {
            report.name: [
                finding for finding in report.on_pages(scene, [page]) if report.what(finding) in aside
            ]
            for report in REPORTS.values()
            if report.on_pages is not None and (aside := scene.aside(report.name))
        }

    def is_aside(each: PageFinding) -> bool:
        report = REPORTS[_REPORT[each.kind]]
        flaw = Flaw(each.code, each.message, each.span)
        if report.what(finding_of_flaw(page, lines, flaw)) in scene.aside(report.name):
            return True
        where = _LISTED.get(each.code, "insert-faults")
        return any(
            spot.span.covers(each.span) and (each.code in _LISTED or each.message in finding.reason)
            for finding in listed.get(where, ())
            for spot in finding.spots
        )

    kept = [each for each in found if each.kind != "unwritten" and not is_aside(each)]
    rows = tuple(
        ToMend(
            each,
            lines.position(each.span.start).line,
            tuple(offer_of(volume.key, page.head, mend) for mend in each.mends),
        )
        for each in kept[:SHOWN]
    )
    return PageToMend(volume, page.head.key, rows, len(kept))
