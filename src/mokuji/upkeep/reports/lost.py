"""What pages name and nobody has: files of the volume, sources of the wiki, each with its first places."""

from __future__ import annotations

from collections.abc import Sequence

from mokuji.core.model.assets import Asset
from mokuji.core.model.assets import Sort as AssetSort
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
            places = (
                [
                    (destination.key, destination.name, destination.span)
                    for destination in page.content.destinations
                ]
                if sort == "file"
                else [(cite.key, cite.name, cite.span) for cite in page.content.cites]
            )
            for other, name, span in places:
                if other == key:
                    title = name
                    spots.append(spot_of(page, span, words=name))
        findings.append(Finding(key, title, number=number, spots=tuple(spots[:FILE_SPOTS])))
    return findings, {}
