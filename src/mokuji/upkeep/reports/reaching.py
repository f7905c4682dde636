"""What mends a page that readers do not come to."""

from __future__ import annotations

from mokuji.acts.requests import Delete, Link, LinkFrom
from mokuji.upkeep.reports.report import Finding, Offer, Place


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
