"""A finding where it is listed: with what mends it, and a name by which it is marked or put aside."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from mokuji.core.model.wiki import Volume
from mokuji.upkeep.reports.report import Finding, Offer


@dataclass(frozen=True)
class Listed:
    """A finding where it was found, and what mends it. ``what`` names it as long as it says the same."""

    volume: Volume
    finding: Finding
    offers: tuple[Offer, ...]
    what: str
    may_write: bool

    @property
    def mark(self) -> str:
        """A short name for it where it stands in its list, for forms and programs."""
        return mark_of(self.volume, f"{self.finding.key}\t{self.what}")

    @property
    def marked_for(self) -> list[Offer]:
        """What can be done with it and others at once."""
        return [offer for offer in self.offers if offer.many]


def mark_of(volume: Volume, what: str) -> str:
    """A short name for something of a volume."""
    return f"{volume.id}-{hashlib.sha256(what.encode()).hexdigest()[:16]}"
