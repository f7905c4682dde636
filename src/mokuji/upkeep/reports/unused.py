"""Templates put in nowhere. No page that you may read puts these in, or only in notes for writers."""

from __future__ import annotations

from mokuji.acts.requests import Delete
from mokuji.core.assembly.inserts import select
from mokuji.core.language.page import PageHead
from mokuji.services.reading.templates import templates_of
from mokuji.store.index.uses import uses as stored_uses
from mokuji.upkeep.reports.report import Finding, Group, Listing, Offer, Place, Report, ReportContext, page_id

FEW_USERS = 5
"""Of a template with more users than that it is not asked whether these are notes only."""


def _unused(scene: ReportContext, after: str, most: int) -> Listing:
    """Templates that are put in nowhere, or only in notes of other templates, which no reader comes to."""
    findings: list[Finding] = []
    for template in templates_of(scene.context, scene.volume):
        if template.head.key <= after or template.pages > FEW_USERS or len(findings) >= most:
            continue
        notes = _only_in_notes(scene, template.head) if template.pages else []
        if not template.pages:
            findings.append(
                Finding(template.head.key, template.head.title, template.head, reason=template.summary)
            )
        elif notes:
            said = "put in only in notes for writers: " + ", ".join(f"“{page.title}”" for page in notes)
            findings.append(Finding(template.head.key, template.head.title, template.head, reason=said))
    return findings, {}


def _only_in_notes(scene: ReportContext, head: PageHead) -> list[PageHead]:
    """The pages that put a template in, if all of them are templates that do so outside of what they give."""
    uses = stored_uses(scene.context.wiki, head, scene.seen)
    users = scene.wiki.pages({use.page.id for use in uses})
    for use in uses:
        user = users.get(use.page.id)
        if user is None or not user.content.declared.template:
            return []
        given = select(user, None)
        if given is None or any(span.holds(use.start) for span in given):
            return []
    return [page.head for page in users.values()]


def _mends(place: Place, finding: Finding) -> list[Offer]:
    assert finding.page is not None
    return [Offer("Delete", Delete(place.volume.key, finding.page.key), open=True, many="Delete them")]


REPORT = Report(
    "unused",
    Group.MATERIALS,
    "Templates put in nowhere",
    "No page puts them in.",
    "No page that you may read puts these in, or only in notes for writers.",
    _unused,
    mends=_mends,
    what=page_id,
)
