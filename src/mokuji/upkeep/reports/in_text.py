"""What mends a finding in a text: other words there, another section, another title, or an edit by hand."""

from __future__ import annotations

from mokuji.acts.requests import Amend, Amendment, LeadToSection, Rename
from mokuji.core.style.flaws import Mend
from mokuji.upkeep.reports.report import Finding, Offer, Place, Way

SHORT = 40
"""Number of code points of a mend's words for a button."""


def mends_in_text(place: Place, finding: Finding) -> list[Offer]:
    """All that mends it, the likeliest first."""
    page, spot = finding.page, finding.spots[0] if finding.spots else None
    assert page is not None
    volume = place.key(page)
    offers = [
        Offer(
            f"Lead to “{section}”",
            LeadToSection(volume, page.key, spot.index, section, page.revision),
            many="" if number else "Lead each to the section most like it",
        )
        for number, section in enumerate(finding.nearest)
        if spot is not None and spot.index is not None
    ]
    offers += [_offer(volume, finding, mend, number == 0) for number, mend in enumerate(finding.mends)]
    by_hand = Offer(
        "Edit there", way=Way("edit", page.volume, page.key, spot.line if spot is not None else 1)
    )
    return [*offers, by_hand]


def _offer(volume: str, finding: Finding, mend: Mend, first: bool) -> Offer:
    page = finding.page
    assert page is not None
    many = "Mend them" if first else ""
    if mend.title:
        return Offer(f"Rename to “{mend.title}”", Rename(volume, page.key, mend.title), many=many)
    if mend.learn is not None:
        return Offer(mend.words, learn=mend.learn)
    changes = tuple(
        Amendment(page.key, edit.span.start, edit.span.end, edit.words, page.revision, volume)
        for edit in mend.edits
    )
    return Offer(mend.words, Amend(volume, changes), many=many)
