"""Categories to bring together."""

from __future__ import annotations

from mokuji.acts.requests import MoveCategory, RenameCategory
from mokuji.core.model.categories import tree
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
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
    by_words,
)


def _categories(scene: ReportContext, after: str, most: int) -> Listing:
    """Categories that look alike, and cycles of broader ones."""
    filed = scene.filed
    known = filed.categories()
    named = [Named(key, each.name, 0, Sort.UNWRITTEN) for key, each in known.items()]
    _, cycles = tree(known, filed.broader)
    findings = [
        Finding(
            f"{n:06}",
            " → ".join(known[key].name if key in known else key for key in cycle),
            reason="broader than each other",
            turn=tuple((key, known[key].name if key in known else key) for key in cycle),
        )
        for n, cycle in enumerate(cycles, 1)
    ]
    findings += [
        Finding(f"{n:06}", pair.one.title, reason=pair.reason, pair=pair)
        for n, pair in enumerate(look_alikes(named), len(findings) + 1)
    ]
    return [finding for finding in findings if finding.key > after][:most], {}


def _what(finding: Finding) -> str:
    return (
        by_words(finding) if finding.pair is not None else "\t".join(sorted(key for key, _ in finding.turn))
    )


def _parts(finding: Finding) -> tuple[Part, ...]:
    if finding.pair is None:
        return (Part(finding.title),)
    one, other = finding.pair.one, finding.pair.other
    return (
        Part(one.title, category=one.key),
        Part("and", quiet=True),
        Part(other.title, category=other.key),
    )


def _mends(place: Place, finding: Finding) -> list[Offer]:
    volume = place.volume.key
    if finding.pair is None:
        moves = [
            Offer(f"Move “{name}”…", MoveCategory(volume, key), open=True) for key, name in finding.turn[:4]
        ]
        return [*moves, Offer("All categories", way=Way("categories", place.volume.id))]
    one, other = finding.pair.one, finding.pair.other
    return [
        Offer(f"All under “{into.title}”", RenameCategory(volume, rest.key, into.title), many=many)
        for into, rest, many in ((other, one, "All under the second"), (one, other, "All under the first"))
    ]


REPORT = Report(
    "categories",
    Group.MATERIALS,
    "Categories to bring together",
    "They look alike, or are broader than each other.",
    "Categories that probably mean the same thing, and such as are broader than each other.",
    _categories,
    mends=_mends,
    parts=_parts,
    what=_what,
)
