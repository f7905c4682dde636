"""What pages name and nobody has: files of the volume, sources of the wiki, each with its first places."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from mokuji.core.language.page import Page
from mokuji.core.model.assets import Asset
from mokuji.core.model.assets import Sort as AssetSort
from mokuji.core.syntax.destinations import Destination
from mokuji.core.syntax.pointers import Cite
from mokuji.store.index import assets
from mokuji.upkeep.reports.reading import spot_of
from mokuji.upkeep.reports.report import Finding, Listing, ReportContext, Spot

MOST_LOST = 1_000
"""Maximum number of missing files, and pages that cite missing sources, that are looked at."""
FILE_SPOTS = 8
"""Number of places of a file that are shown."""


def lost(scene: ReportContext, sort: AssetSort, keys: Sequence[tuple[str, int]]) -> Listing:
    findings: list[Finding] = []
    for key, number in keys:
        ids = assets.naming(scene.connection, Asset(sort, 0, scene.volume.id, key))
        named = scene.wiki.pages(sorted(ids)[:FILE_SPOTS]).values()
        spots: list[Spot] = []
        title = key
        for page in sorted((p for p in named if p.head.volume == scene.volume.id), key=lambda p: p.head.key):
            for place in _named_on(page, sort):
                if place.key == key:
                    title = place.name
                    spots.append(spot_of(page, place.span, words=place.name))
        findings.append(Finding(key, title, number=number, spots=tuple(spots[:FILE_SPOTS])))
    return findings, {}


def _named_on(page: Page, sort: AssetSort) -> Sequence[Destination | Cite]:
    return page.content.destinations if sort == "file" else page.content.cites


def named_on(sort: AssetSort, _: ReportContext, pages: list[Page]) -> Iterator[Finding]:
    """All that pages name, whether it is there or not."""
    for page in pages:
        for place in _named_on(page, sort):
            spot = spot_of(page, place.span, words=place.name)
            yield Finding(place.key, place.name, page.head, spots=(spot,))
