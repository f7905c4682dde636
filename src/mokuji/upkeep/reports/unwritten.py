"""Unwritten names. Pages refer to these names, and they are not written yet. Those most asked for come first."""

from __future__ import annotations

from collections.abc import Sequence

from mokuji.acts.requests import AddAlias, Retarget
from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Place as NamePlace
from mokuji.core.syntax.reference import Reference
from mokuji.store.index import to_mend, unwritten
from mokuji.upkeep.reports.reading import spot_of
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
    Way,
    by_name,
)


def _unwritten(scene: ReportContext, after: str, most: int) -> Listing:
    number, _, key = after.partition(" ")
    start = (int(number), key) if number.isdecimal() and key else None
    rows = to_mend.unwritten(scene.connection, scene.volume.id, scene.seen, after=start, most=most)
    asking = _asking(scene, [key for key, _ in rows])
    findings = []
    for key, number_of in rows:
        spots, title, missing = asking[key]
        words = title or names.as_title(key)
        findings.append(Finding(f"{number_of} {key}", words, number=number_of, spots=spots, missing=missing))
    return findings, {}


Asking = tuple[tuple[Spot, ...], str, str]
"""Where pages ask for a name, how it is typed, and the name of its volume if that is not there."""


def _asking(scene: ReportContext, keys: Sequence[str]) -> dict[str, Asking]:
    """Who asks for each of some names, in as many questions as for one."""
    wiki, volume = scene.wiki, scene.volume.id
    # “/A/B” is asked for here, or B in a volume A that is not there.
    absent: dict[str, NamePlace] = {key: (0, key[1:]) for key in keys if key.startswith("/")}
    led_from = unwritten.led_from_each(wiki, [*((volume, key) for key in keys), *absent.values()])
    places: dict[str, tuple[NamePlace, list[PageHead]]] = {}
    for key in keys:
        place, heads = (volume, key), led_from[volume, key]
        if not heads and key in absent:
            place = absent[key]
            heads = [head for head in led_from[place] if head.volume == volume]
        places[key] = (place, heads[:3])
    pages = wiki.pages({head.id for _, heads in places.values() for head in heads})
    return {
        key: _asked_on(key, place, [pages[head.id] for head in heads if head.id in pages])
        for key, (place, heads) in places.items()
    }


def _asked_on(key: str, place: NamePlace, pages: Sequence[Page]) -> Asking:
    typed_key = key if place[0] else place[1].partition("/")[2]
    spots: list[Spot] = []
    title = missing = ""
    for page in pages:
        use = next((u for u in page.uses({typed_key}) if place[0] or _is_at(u.reference, place)), None)
        if use is None:
            continue
        reference = use.reference
        whole = reference.name is not None and reference.name.key == key
        if place[0]:
            typed = names.unescape((reference.name_span if whole else reference.title_span).of(page.text))
            title = title or names.as_title(typed.strip())
        elif not missing:
            missing = names.unescape(
                Span(reference.name_span.start, reference.title_span.start).of(page.text)
            ).strip(" /")
            title = f"{missing}/{names.unescape(reference.title_span.of(page.text)).strip()}"
        spots.append(spot_of(page, reference.span, use.index))
    return tuple(spots), title, missing


def _is_at(reference: Reference, place: NamePlace) -> bool:
    name = reference.name
    return name is not None and name.absolute and f"{name.volume}/{name.title}" == place[1]


def _what(finding: Finding) -> str:
    return finding.key.partition(" ")[2]


def _parts(finding: Finding) -> tuple[Part, ...]:
    missing = (Part(f"· there is no volume “{finding.missing}”", quiet=True),) if finding.missing else ()
    return (*by_name("unwritten")(finding), *missing)


def _mends(place: Place, finding: Finding) -> list[Offer]:
    volume = place.volume.key
    if finding.missing:
        there, key = finding.spots[0], finding.key.partition(" /")[2]
        return [
            Offer("Lead elsewhere…", Retarget(volume, key, "", absolute=True), open=True),
            Offer("Edit there", way=Way("edit", there.page.volume, there.page.key, there.line)),
            Offer(f"Make a volume “{finding.missing}”", way=Way("new volume", key=finding.missing)),
        ]
    key = _what(finding)
    return [
        Offer("Write", way=Way("write", place.volume.id, key)),
        Offer(
            "Lead elsewhere…", Retarget(volume, key, ""), open=True, many="Lead them to", asks=("to", "Page")
        ),
        Offer(
            "Another name of…",
            AddAlias(volume, key, ""),
            open=True,
            many="Other names of",
            asks=("of", "Page"),
        ),
    ]


REPORT = Report(
    "unwritten",
    Group.NAMES,
    "Unwritten names",
    "Pages refer to them, and they are not written yet.",
    "Pages refer to these names, and they are not written yet. Those most asked for come first.",
    _unwritten,
    mends=_mends,
    parts=_parts,
    what=_what,
    to_mend=True,
    number=lambda _, counts: counts.unwritten,
    in_step=True,
)
