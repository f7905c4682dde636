"""Missing sources. These are neither footnotes of the pages that cite them nor in the list of sources."""

from __future__ import annotations

from collections import Counter
from functools import partial

from mokuji.store import sources
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


def _lost_sources(scene: ReportContext, after: str, most: int) -> Listing:
    """What pages cite that is neither a footnote of theirs nor a source of the wiki, with its first places."""
    counts: Counter[str] = Counter()
    for key, _ in sources.missing(scene.connection, [scene.volume.id], MOST_LOST):
        counts[key] += 1
    return lost(scene, "source", [(key, counts[key]) for key in sorted(counts) if key > after][:most])


def _number(scene: ReportContext, _: Counts) -> int:
    missing = {key for key, _ in sources.missing(scene.connection, [scene.volume.id], MOST_LOST)}
    return len(missing - scene.aside("no-source"))


def _mends(_: Place, finding: Finding) -> list[Offer]:
    into_list = Offer("Put it into the list", way=Way("new source", key=finding.title))
    return [into_list, *edit_there(finding)] if finding.spots else []


REPORT = Report(
    "no-source",
    Group.NAMES,
    "Missing sources",
    "Pages cite them, and they are not in the list.",
    "These are neither footnotes of the pages that cite them nor in the list of sources.",
    _lost_sources,
    mends=_mends,
    parts=by_name("no-source"),
    what=by_key,
    on_pages=partial(named_on, "source"),
    number=_number,
    in_step=True,
)
