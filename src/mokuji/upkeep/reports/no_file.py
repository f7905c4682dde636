"""Missing files. Pages name these files, and the volume does not have them."""

from __future__ import annotations

from functools import partial

from mokuji.store import files
from mokuji.store.index.to_mend import Counts
from mokuji.upkeep.reports.lost import MOST_LOST, lost, named_on
from mokuji.upkeep.reports.mending import edit_there
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Place,
    Report,
    ReportContext,
    Way,
    by_key,
    by_name,
)


def _lost_files(scene: ReportContext, after: str, most: int) -> Listing:
    """Files that pages name and the volume does not have, each with its first places."""
    found = files.missing(scene.connection, scene.volume.id, MOST_LOST)
    return lost(scene, "file", [(key, number) for key, number in found if key > after][:most])


def _number(scene: ReportContext, _: Counts) -> int:
    missing = {key for key, _ in files.missing(scene.connection, scene.volume.id, MOST_LOST)}
    return len(missing - scene.aside("no-file"))


def _mends(place: Place, finding: Finding) -> list[Offer]:
    bring = Offer("Bring a file", way=Way("files", place.volume.id))
    return [*edit_there(finding), bring] if finding.spots else []


REPORT = Report(
    "no-file",
    Group.NAMES,
    "Missing files",
    "Pages name them, and the volume does not have them.",
    "Pages name these files, and the volume does not have them.",
    _lost_files,
    mends=_mends,
    parts=by_name("no-file"),
    what=by_key,
    on_pages=partial(named_on, "file"),
    number=_number,
    in_step=True,
)
