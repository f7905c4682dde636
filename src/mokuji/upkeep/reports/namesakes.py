"""Said in two volumes. Pages that say the same as a page of this name in another volume."""

from __future__ import annotations

from collections.abc import Iterator

from mokuji.acts.requests import Merge
from mokuji.core.language.page import Page
from mokuji.core.reports.namesakes import ALIKE, likeness
from mokuji.upkeep.reports.reading import collect, text_batches
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Place,
    Report,
    ReportContext,
    Way,
)


def _body(page: Page) -> str:
    return page.text[page.content.front_matter.span.end :]


def _namesakes(scene: ReportContext, after: str, most: int) -> Listing:
    others = sorted(id_ for id_ in scene.visible if id_ != scene.volume.id)

    def of(batch: list[Page]) -> Iterator[Finding]:
        places = [(volume, page.head.key) for page in batch for volume in others]
        heads = scene.wiki.titles(places)
        texts = scene.wiki.pages([head.id for head in heads.values()])
        for page in batch:
            for volume in others:
                head = heads.get((volume, page.head.key))
                other = texts.get(head.id) if head is not None else None
                alike = likeness(_body(page), _body(other)) if other is not None else 0.0
                if other is None or alike < ALIKE:
                    continue
                where = scene.visible[volume].title
                said = "the same" if alike == 1 else f"nearly the same ({alike:.0%} of the words in a row)"
                key = f"{page.head.key}\t{other.head.id}"
                yield Finding(
                    key, page.head.title, page.head, other=other.head, reason=f"“{where}” says {said}"
                )

    return collect(text_batches(scene, after), after, most, of), {}


def _what(finding: Finding) -> str:
    return f"{finding.page.id if finding.page else 0}\t{finding.other.id if finding.other else 0}"


def _mends(place: Place, finding: Finding) -> list[Offer]:
    page, other = finding.page, finding.other
    assert page is not None and other is not None
    into = f"{place.volumes[other.volume].title}/{other.title}"
    return [
        Offer("Merge into that one…", Merge(place.volume.key, page.key, into), many="Merge them into those"),
        Offer("Read that one", way=Way("read", other.volume, other.key)),
        Offer("Edit", way=Way("edit", page.volume, page.key, 1)),
    ]


REPORT = Report(
    "namesakes",
    Group.MATERIALS,
    "Said in two volumes",
    "Pages that say the same as one of this name in another volume.",
    "These pages say the same, or nearly, as a page of this name in another volume: one of the two could be put in or "
    "led to instead.",
    _namesakes,
    mends=_mends,
    what=_what,
)
