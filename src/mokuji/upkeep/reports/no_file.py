"""Missing files. Pages name these files, and the volume does not have them."""

from __future__ import annotations

from mokuji.store import files
from mokuji.upkeep.reports.lost import MOST_LOST, lost
from mokuji.upkeep.reports.report import Group, Listing, Report, ReportContext


def _lost_files(scene: ReportContext, after: str, most: int) -> Listing:
    """Files that pages name and the volume does not have, each with its first places."""
    found = files.missing(scene.connection, scene.volume.id, MOST_LOST)
    return lost(scene, "file", [(key, number) for key, number in found if key > after][:most])


REPORT = Report(
    "no-file",
    Group.NAMES,
    "Missing files",
    "Pages name them, and the volume does not have them.",
    "Pages name these files, and the volume does not have them.",
    _lost_files,
    number=lambda scene, _: len(files.missing(scene.connection, scene.volume.id, MOST_LOST)),
    in_step=True,
)
