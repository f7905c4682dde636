"""What mends the findings of several reports: pages that nobody comes to, places in a text."""

from __future__ import annotations

from mokuji.acts.requests import Amend, Amendment, Delete, LeadToSection, Link, LinkFrom, Rename
from mokuji.core.language.page import PageHead
from mokuji.core.style.flaws import Mend
from mokuji.upkeep.reports.report import Finding, Offer, Place, Way

SHORT = 40
"""Number of code points of a mend's words for a button."""


def mends_in_text(place: Place, finding: Finding) -> list[Offer]:
    """What mends a finding in a text: another section, other words, another title, or an edit by hand."""
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
    offers += [
        offer_of(volume, page, mend, many="" if number else "Mend them")
        for number, mend in enumerate(finding.mends)
    ]
    by_hand = Offer(
        "Edit there", way=Way("edit", page.volume, page.key, spot.line if spot is not None else 1)
    )
    return [*offers, by_hand]


def offer_of(volume: str, page: PageHead, mend: Mend, *, many: str = "") -> Offer:
    """What mends something in the text of a page of a volume (by key), as an act."""
    if mend.title:
        return Offer(f"Rename to “{mend.title}”", Rename(volume, page.key, mend.title), many=many)
    if mend.learn is not None:
        return Offer(mend.words, learn=mend.learn)
    changes = tuple(
        Amendment(page.key, edit.span.start, edit.span.end, edit.words, page.revision, volume)
        for edit in mend.edits
    )
    return Offer(mend.words, Amend(volume, changes), many=many)


def edit_there(finding: Finding) -> list[Offer]:
    """The first place of a finding, in the text."""
    return [
        Offer("Edit there", way=Way("edit", s.page.volume, s.page.key, s.line)) for s in finding.spots[:1]
    ]


def lead_to_it_or_delete(place: Place, finding: Finding) -> list[Offer]:
    """A page is referred to from another, where it is named, or goes."""
    assert finding.page is not None
    volume, key = place.volume.key, finding.page.key
    return [
        Offer(
            "Link it from…",
            LinkFrom(volume, key, ""),
            open=True,
            many="Link them from",
            asks=("source", "Page"),
        ),
        Offer("Link where it is named", Link(volume, key, first=True), many="Link them where they are named"),
        Offer("Delete", Delete(volume, key), open=True, many="Delete them"),
    ]
