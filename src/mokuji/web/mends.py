"""The addresses of what mends a finding."""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlencode

from mokuji.core.model.wiki import Volume
from mokuji.upkeep.reports.report import Offer, Way
from mokuji.web import addresses
from mokuji.web.plan_addresses import plan_of


def address_of(offer: Offer, volumes: Mapping[int, Volume]) -> str:
    """Where what is offered is planned, or done by hand; empty for what a form does."""
    if offer.act is not None:
        return plan_of(offer.act, question=offer.open)
    return _by_hand(offer.way, volumes) if offer.way is not None else ""


def _by_hand(way: Way, volumes: Mapping[int, Volume]) -> str:
    volume = volumes[way.volume].key if way.volume else ""
    match way.to:
        case "edit":
            return addresses.act("edit", volume, way.key) + f"#line-{way.line}"
        case "write":
            return addresses.act("edit", volume, way.key)
        case "read":
            return addresses.page(volume, way.key)
        case "new volume":
            return addresses.at(f"/-/new-volume?{urlencode({'title': way.key})}")
        case "new source":
            return addresses.new_source(way.key)
        case "files":
            return addresses.files(volume)
        case "categories":
            return addresses.categories(volume)
