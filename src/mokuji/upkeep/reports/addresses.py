"""Own addresses. These outside links lead to pages of this wiki. As references they would follow a rename."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from mokuji.acts.requests import LinkAddresses
from mokuji.core.language.page import Page
from mokuji.core.reports import own_addresses as addresses
from mokuji.store.index.volume_pages import Holding
from mokuji.upkeep.reports.reading import collect, key_at, spot_of, text_batches
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Place,
    Report,
    ReportContext,
    by_target,
)


def _on_pages(scene: ReportContext, pages: list[Page]) -> Iterator[Finding]:
    wiki = scene.wiki
    found = [
        (page, address)
        for page in pages
        for address in addresses.own_addresses(page, scene.origins, wiki.volumes)
    ]
    known = wiki.titles({each.place for _, each in found})
    for page, each in found:
        target = known.get(each.place)
        if target is not None:
            spot = spot_of(page, each.span, words=each.words or each.span.of(page.text))
            yield Finding(key_at(page, each.span), target.title, page.head, target=target, spots=(spot,))


def _addresses(scene: ReportContext, after: str, most: int) -> Listing:
    batches = text_batches(scene, after, Holding.LINKS, origins=[f"%{origin}/%" for origin in scene.origins])
    return collect(batches, after, most, partial(_on_pages, scene)), {}


def _mends(place: Place, finding: Finding) -> list[Offer]:
    assert finding.page is not None
    link = LinkAddresses(place.key(finding.page), finding.page.key, place.origins)
    return [Offer("Make it a reference", link, many="Make them references")]


REPORT = Report(
    "addresses",
    Group.TEXT,
    "Own addresses",
    "Pages of this wiki linked by their address: such links break when a page moves.",
    "These outside links lead to pages of this wiki. As references they would follow a rename.",
    _addresses,
    mends=_mends,
    on_pages=_on_pages,
    parts=by_target("leads to"),
)
