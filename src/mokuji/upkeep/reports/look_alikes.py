"""Look-alikes. Names that probably mean the same thing, the surest first."""

from __future__ import annotations

from mokuji.acts.requests import AddAlias, Merge, Retarget
from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
from mokuji.store.index import to_mend, volume_pages
from mokuji.upkeep.reports.report import (
    Finding,
    Group,
    Listing,
    Offer,
    Part,
    Place,
    Report,
    ReportContext,
    Way,
)


def _look_alikes(scene: ReportContext, after: str, most: int) -> Listing:
    connection, volume = scene.connection, scene.volume.id
    heads = {head.id: head for head in volume_pages.heads(connection, volume)}
    known = [Named(head.key, head.title, head.id, Sort.PAGE) for head in heads.values()]
    known += [
        Named(key, name, page, Sort.ALIAS) for page, key, name in volume_pages.alias_names(connection, volume)
    ]
    known += [
        Named(key, names.as_title(key), 0, Sort.UNWRITTEN)
        for key, _ in to_mend.unwritten(connection, volume, scene.seen, most=10**9)
    ]
    pairs = look_alikes(known)
    start = int(after) if after.isdecimal() and len(after) < 10 else 0
    return [
        Finding(
            str(start + n),
            pair.one.title,
            heads.get(pair.one.page),
            heads.get(pair.other.page),
            reason=f"{pair.reason} · {_sure(pair.confidence)}",
            pair=pair,
        )
        for n, pair in enumerate(pairs[start : start + most], 1)
    ], {}


def _sure(confidence: float) -> str:
    return "very likely" if confidence >= 0.9 else "likely" if confidence >= 0.8 else "perhaps"


def _parts(finding: Finding) -> tuple[Part, ...]:
    assert finding.pair is not None
    one, other = finding.pair.one, finding.pair.other
    return (*_named(one, finding.page), Part("and", quiet=True), *_named(other, finding.other))


def _named(named: Named, page: PageHead | None) -> tuple[Part, ...]:
    if page is None:
        return (Part(named.title, name="unwritten"),)
    another = (Part("(another name)", quiet=True),) if named.sort is Sort.ALIAS else ()
    return (Part(named.title, page), *another)


def _mends(place: Place, finding: Finding) -> list[Offer]:
    assert finding.pair is not None
    volume, one, other = place.volume.key, finding.pair.one, finding.pair.other
    if one.page and other.page and finding.page is not None and finding.other is not None:
        pairs = ((finding.page, finding.other, "second"), (finding.other, finding.page, "first"))
        return [
            Offer(
                f"Merge into “{into.title}”",
                Merge(volume, goes.key, into.title),
                many=f"Merge into the {which}",
            )
            for goes, into, which in pairs
        ]
    if one.page or other.page:
        page, name = (finding.page, other) if one.page else (finding.other, one)
        title = page.title if page is not None else ""
        return [
            Offer(
                f"Lead to “{title}”",
                Retarget(volume, name.key, title),
                many="Lead what is unwritten to the page",
            ),
            Offer(
                f"Another name of “{title}”",
                AddAlias(volume, name.key, title),
                many="Other names of the pages",
            ),
        ]
    return [
        Offer(f"Write “{each.title}”", way=Way("write", place.volume.id, each.key)) for each in (one, other)
    ]


REPORT = Report(
    "look-alikes",
    Group.NAMES,
    "Look-alikes",
    "Names that probably mean the same thing.",
    "Names that probably mean the same thing, the surest first.",
    _look_alikes,
    mends=_mends,
    parts=_parts,
)
