"""Lone categories. One page only is filed under each of these."""

from __future__ import annotations

from mokuji.services.reading.categories import VolumeCategories
from mokuji.store.index import memberships
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext


def _lone(scene: ReportContext, after: str, most: int) -> Listing:
    """Categories with one page."""
    scene_of = VolumeCategories(scene.context, scene.volume)
    known = scene_of.categories()
    lone = [key for key, each in sorted(known.items()) if each.pages == 1 and key > after][:most]
    heads = {
        head.id: head
        for head, _ in memberships.heads_after(
            scene.connection, [page for key in lone for page in scene_of.ids(key)], "", 10**6
        )
    }
    return [
        Finding(key, known[key].name, next((heads[p] for p in scene_of.ids(key) if p in heads), None))
        for key in lone
    ], {}


REPORT = Report(
    "lone",
    Group.MATERIALS,
    "Lone categories",
    "One page only is filed under each.",
    "One page only is filed under each of these.",
    _lone,
    in_step=True,
)
