"""Files in use. The files that pages of this volume point at, by links and pictures, each with its places."""

from __future__ import annotations

from mokuji.core.reports.files import files_used
from mokuji.store.index.volume_pages import Holding
from mokuji.upkeep.reports.lost import FILE_SPOTS
from mokuji.upkeep.reports.reading import spot_of, text_batches
from mokuji.upkeep.reports.report import Finding, Group, Listing, Report, ReportContext, by_key, by_name


def _files(scene: ReportContext, after: str, most: int) -> Listing:
    batches = text_batches(scene, "", Holding.FILES)
    used = files_used(page for batch in batches for page in batch)
    names_ = [name for name in used if (name.casefold(), name) > (after.casefold(), after)][:most]
    shown = scene.wiki.pages({use.page.id for name in names_ for use in used[name][:FILE_SPOTS]})
    return [
        Finding(
            name,
            name,
            number=len({use.page.id for use in used[name]}),
            spots=tuple(spot_of(shown[use.page.id], use.span, words=name) for use in used[name][:FILE_SPOTS]),
        )
        for name in names_
    ], {}


REPORT = Report(
    "files",
    Group.MATERIALS,
    "Files in use",
    "Files that pages point at, and where.",
    "The files that pages of this volume point at, by links and pictures, each with its places.",
    _files,
    parts=by_name(""),
    what=by_key,
)
