"""The addresses that mail and feeds give out: whole, at the site that is asked."""

from __future__ import annotations

from mokuji.services import site
from mokuji.telling.places import Places
from mokuji.web import addresses

PLACES = Places(
    page=lambda volume, page: site.absolute(addresses.page(volume, page)),
    change=lambda number: site.absolute(addresses.change(number)),
    differs=lambda volume, page, one, other: site.absolute(addresses.revisions(volume, page, one, other)),
    inbox=lambda: site.absolute(addresses.inbox()),
    told_of=lambda: site.absolute(addresses.at("/-/told-of")),
    confirm=lambda word: site.absolute(addresses.at(f"/-/mail/confirm/{word}")),
    end=lambda word: site.absolute(addresses.at(f"/-/mail/end/{word}")),
)
