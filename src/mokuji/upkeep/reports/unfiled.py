"""Without category. These pages are filed nowhere: no category, no mark, no template that files them."""

from __future__ import annotations

from dataclasses import replace

from mokuji.acts.requests import File
from mokuji.store import pages
from mokuji.store.index import memberships
from mokuji.upkeep.reports.reading import AT_ONCE
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Place,
    Report,
    ReportContext,
    Way,
    page_id,
)


def _unfiled(scene: ReportContext, after: str, most: int) -> Listing:
    """Pages without any category, in a volume that has categories."""
    filed = scene.filed
    if not filed.categories():
        return [], {}
    given = {page for pages_ in filed.given.values() for page in pages_}
    findings: list[Finding] = []
    while len(findings) < most:
        heads = memberships.unfiled(scene.connection, scene.volume.id, after=after, most=AT_ONCE)
        findings += [Finding(head.key, head.title, head) for head in heads if head.id not in given]
        if len(heads) < AT_ONCE:
            break
        after = heads[-1].key
    summaries = pages.summaries(
        scene.connection, [finding.page.id for finding in findings[:most] if finding.page]
    )
    return [
        replace(finding, reason=summaries.get(finding.page.id, "")) if finding.page else finding
        for finding in findings[:most]
    ], {}


def _mends(place: Place, finding: Finding) -> list[Offer]:
    page = finding.page
    assert page is not None
    return [
        Offer(
            "File it…",
            File(place.volume.key, page.key),
            open=True,
            many="File them under",
            asks=("add", "Category, or several with commas between"),
        ),
        Offer("Edit", way=Way("edit", page.volume, page.key, 1)),
    ]


REPORT = Report(
    "unfiled",
    Group.MATERIALS,
    "Without category",
    "Pages that are filed nowhere.",
    "These pages are filed nowhere: no category, no mark, no template that files them.",
    _unfiled,
    mends=_mends,
    what=page_id,
    in_step=True,
)
