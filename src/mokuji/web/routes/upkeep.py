"""Upkeep: what there is to mend in a volume, and where each thing is mended."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from fastapi.responses import Response

from mokuji import routing
from mokuji.core.base.spans import Span
from mokuji.services.reading import passages
from mokuji.upkeep import upkeep
from mokuji.upkeep.reports.report import Group
from mokuji.upkeep.upkeep import Finding
from mokuji.web import addresses
from mokuji.web.mends import mends
from mokuji.web.pages import Form, Visitor, Who, own_origins, see
from mokuji.web.tables import as_csv, as_json

router = routing.router()


def _origins(who: Visitor) -> tuple[str, ...]:
    """This site as its own pages' addresses begin."""
    return own_origins(who.request)


@router.get("/-/upkeep/{volume}")
def overview(who: Who, volume: str) -> Response:
    """All reports of a volume with their numbers."""
    view = upkeep.overview(who.app, who.actor, volume, _origins(who))
    return who.page(
        "upkeep.html", view=view, place=view.place, reports=upkeep.REPORTS, groups=list(Group), lit="upkeep"
    )


@router.get("/-/upkeep/{volume}/{name}")
def report(who: Who, volume: str, name: str, after: str = "") -> Response:
    """One report; as CSV or JSON when its name ends so."""
    for ending, write in _WRITERS.items():
        if name.endswith(ending):
            findings = upkeep.every(who.app, who.actor, volume, name.removesuffix(ending), _origins(who))
            return write(findings)
    view = upkeep.report(who.app, who.actor, volume, name, after=after, origins=_origins(who))
    planned = (
        {finding.key: mends(view, finding, _origins(who)) for finding in view.findings}
        if view.place.may_write
        else {}
    )
    return who.page(
        "report.html",
        view=view,
        place=view.place,
        mends=planned,
        apart=upkeep.said_to_differ(who.app, who.actor, volume) if view.name == "look-alikes" else (),
        report=upkeep.REPORTS[name],
        styled=view.styled,
        lit="upkeep",
    )


@router.get("/-/passage/{volume}/{page:path}")
def passage(who: Who, volume: str, page: str, start: int = -1, end: int = -1) -> Response:
    """Some lines of a page as part of another: those around a range, or its first ones."""
    marked = Span(start, end) if start >= 0 else None
    return who.page("passage.html", found=passages.passage(who.app, who.actor, volume, page, marked))


@router.post("/-/upkeep/{volume}/differ")
def differ(who: Who, form: Form, volume: str) -> Response:
    """Remembers that two names are two things, or forgets it (``back``)."""
    one, other = form.get("one", ""), form.get("other", "")
    found = upkeep.differ(who.app, who.actor, volume, one, other, back="back" in form)
    return see(addresses.upkeep(found.key, "look-alikes"))


# ---- in other forms ---------------------------------------------------------------


def _rows(found: Iterable[Finding]) -> Iterable[dict[str, Any]]:
    """A finding as plain values: the same in CSV and in JSON."""
    for finding in found:
        spot = finding.spots[0] if finding.spots else None
        page = finding.page or (spot.page if spot else None)
        yield {
            "name": finding.title,
            "page": page.title if page else "",
            "line": spot.line if spot else None,
            "sentence": (spot.sentence.before + spot.sentence.words + spot.sentence.after) if spot else "",
            "other": finding.pair.other.title
            if finding.pair
            else (finding.target.title if finding.target else ""),
            "reason": finding.reason,
            "pages": finding.number or None,
        }


_HEAD = ["name", "page", "line", "sentence", "other", "reason", "pages"]
_WRITERS: dict[str, Callable[[Iterable[Finding]], Response]] = {
    ".csv": lambda found: as_csv(_HEAD, _rows(found)),
    ".json": lambda found: as_json(_rows(found)),
}
