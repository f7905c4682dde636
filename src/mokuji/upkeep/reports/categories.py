"""Categories to bring together."""

from __future__ import annotations

from mokuji.core.model.categories import tree
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
from mokuji.services.reading.categories import VolumeCategories
from mokuji.store.index import upkeep
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext


def _categories(scene: ReportContext, after: str, most: int) -> Listing:
    """Categories that look alike, and cycles of broader ones."""
    scene_of = VolumeCategories(scene.context, scene.volume)
    known = scene_of.categories()
    named = [Named(key, each.name, 0, Sort.UNWRITTEN) for key, each in known.items()]
    told = upkeep.differing(scene.connection, scene.volume.id)
    _, cycles = tree(known, scene_of.broader)
    findings = [
        Finding(
            f"{n:06}",
            " → ".join(known[key].name if key in known else key for key in cycle),
            reason="cycle",
            turn=tuple((key, known[key].name if key in known else key) for key in cycle),
        )
        for n, cycle in enumerate(cycles, 1)
    ]
    findings += [
        Finding(f"{n:06}", pair.one.title, reason=pair.reason, pair=pair)
        for n, pair in enumerate(look_alikes(named, told), len(findings) + 1)
    ]
    return [finding for finding in findings if finding.key > after][:most], {}


REPORT = Report(
    "categories",
    Group.MATERIALS,
    "Categories to bring together",
    "They look alike, or are broader than each other.",
    "Categories that probably mean the same thing, and such as are broader than each other.",
    _categories,
)
