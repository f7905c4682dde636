"""Out of reach. Readers do not come to these from the front page or the contents, however they go."""

from __future__ import annotations

from mokuji.acts.requests import Place as PlaceAct
from mokuji.store import pages
from mokuji.store.index import to_mend
from mokuji.upkeep.reports.mending import lead_to_it_or_delete
from mokuji.upkeep.reports.report import Finding, Group, Listing, Offer, Place, Report, ReportContext, page_id


def _out_of_reach(scene: ReportContext, after: str, most: int) -> Listing:
    heads = to_mend.out_of_reach(scene.connection, scene.volume.id, after=after, most=most)
    summaries = pages.summaries(scene.connection, [head.id for head in heads])
    return [Finding(h.key, h.title, h, reason=summaries.get(h.id, "")) for h in heads], {}


def _mends(place: Place, finding: Finding) -> list[Offer]:
    assert finding.page is not None
    put = PlaceAct(place.volume.key, finding.page.key)
    return [
        Offer("Put it in the contents", put, many="Put them in the contents", asks=("under", "below")),
        *lead_to_it_or_delete(place, finding),
    ]


REPORT = Report(
    "out-of-reach",
    Group.REACH,
    "Out of reach",
    "Readers do not come to them from the front page or the contents.",
    "Readers do not come to these from the front page or the contents, however they go.",
    _out_of_reach,
    mends=_mends,
    what=page_id,
    to_mend=True,
    number=lambda _, counts: counts.out_of_reach,
    in_step=True,
)
