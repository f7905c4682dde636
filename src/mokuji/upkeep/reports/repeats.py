"""Repeated text."""

from __future__ import annotations

from mokuji.acts.requests import Extract
from mokuji.core.base.spans import Lines
from mokuji.core.language.excerpt import Excerpt
from mokuji.core.reports.repeats import Repeat, repeats
from mokuji.upkeep.reports.reading import REPEAT_SPOTS, first_words, texts_of
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Part,
    Place,
    Report,
    ReportContext,
    Spot,
)


def _repeats(scene: ReportContext, after: str, most: int) -> Listing:
    """Passages that stand in several places of the volume and its libraries; at least once in the volume itself."""
    areas = [scene.volume.id, *(id_ for id_ in scene.volume.libraries if id_ in scene.visible)]
    texts = (page for area in areas for batch in texts_of(scene, area) for page in batch)
    start = int(after) if after.isdecimal() and len(after) < 10 else 0
    found = [
        repeat for repeat in repeats(texts) if any(p.volume == scene.volume.id for p, _ in repeat.places)
    ]
    return [_repeat(scene, str(start + n), each) for n, each in enumerate(found[start : start + most], 1)], {}


def _repeat(scene: ReportContext, key: str, each: Repeat) -> Finding:
    places = sorted(each.places, key=lambda place: (place[0].volume != scene.volume.id, place[0].key))
    shown = scene.wiki.pages({page.id for page, _ in places[:REPEAT_SPOTS]})
    spots = tuple(
        Spot(
            page,
            Lines(shown[page.id].text).position(span.start).line,
            span,
            Excerpt("", first_words(each.words), ""),
        )
        for page, span in places[:REPEAT_SPOTS]
    )
    lines = "a line" if each.lines == 1 else f"{each.lines} lines"
    reason = f"{lines} in {len(places)} places: {each.saved} fewer if said once"
    return Finding(key, first_words(each.words), places[0][0], number=len(places), reason=reason, spots=spots)


def _mends(place: Place, finding: Finding) -> list[Offer]:
    assert finding.page is not None
    span, page = finding.spots[0].span, finding.page
    extract = Extract(place.key(page), page.key, span.start, span.end, "", revision=page.revision)
    return [Offer("Extract…", extract, open=True)]


REPORT = Report(
    "repeats",
    Group.MATERIALS,
    "Repeated text",
    "The same words in several places.",
    "The same words in several places, by the lines that saying them once would save. Extract makes "
    "a template or page of them.",
    _repeats,
    mends=_mends,
    parts=lambda finding: (Part(finding.title),),
    what=lambda finding: finding.title,
)
