"""Upkeep: what there is to mend in a volume or in all, and where each thing is mended."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from fastapi.responses import Response

from mokuji import routing
from mokuji.core.base.errors import BadFields
from mokuji.core.base.spans import Span
from mokuji.services.reading import passages
from mokuji.upkeep import asides, one_page, upkeep
from mokuji.upkeep.listed import Listed, mark_of
from mokuji.upkeep.reports.report import Group
from mokuji.web import addresses
from mokuji.web.mends import address_of
from mokuji.web.pages import Form, Visitor, Who, own_origins, see
from mokuji.web.plan_addresses import plan_of
from mokuji.web.tables import as_csv, as_json

router = routing.router()


def _origins(who: Visitor) -> tuple[str, ...]:
    """This site as its own pages' addresses begin."""
    return own_origins(who.request)


@router.get("/-/upkeep")
def everywhere(who: Who) -> Response:
    """All reports over all volumes that the visitor may read."""
    return overview(who, upkeep.ALL)


@router.get("/-/upkeep/{volume}")
def overview(who: Who, volume: str) -> Response:
    """All reports of a volume with their numbers."""
    view = upkeep.overview(who.app, who.actor, volume, _origins(who))
    return who.page(
        "upkeep.html",
        view=view,
        place=view.place,
        at=view.place.volume.key if view.place is not None else upkeep.ALL,
        reports=upkeep.REPORTS,
        groups=list(Group),
        lit="upkeep",
    )


@router.get("/-/to-mend/{volume}/{page:path}")
def of_page(who: Who, volume: str, page: str) -> Response:
    """What is to mend on one page, as a part of it."""
    view = one_page.to_mend(who.app, who.actor, volume, page, _origins(who))
    return who.page("to_mend.html", view=view, address_of=lambda offer: address_of(offer, {}))


@router.get("/-/upkeep/{volume}/{name}")
def report(who: Who, volume: str, name: str, after: str = "") -> Response:
    """One report; as CSV or JSON when its name ends so."""
    for ending, write in _WRITERS.items():
        if name.endswith(ending):
            return write(upkeep.every(who.app, who.actor, volume, name.removesuffix(ending), _origins(who)))
    view = upkeep.report(who.app, who.actor, volume, name, after=after, origins=_origins(who))
    return who.page(
        "report.html",
        view=view,
        place=view.place,
        at=view.place.volume.key if view.place is not None else upkeep.ALL,
        address_of=address_of,
        mark_of=mark_of,
        report=upkeep.REPORTS[name],
        may_write=any(row.may_write for row in view.rows),
        lit="upkeep",
    )


@router.post("/-/upkeep/{volume}/{name}/marked")
def marked(who: Who, form: Form, volume: str, name: str) -> Response:
    """Goes to the plan that mends the marked findings in one way (``how``), or puts them aside (``aside``)."""
    marks = form.get("mark", "").splitlines()
    rows = upkeep.marked(who.app, who.actor, volume, name, marks, _origins(who))
    # Who presses Enter in a field means what that field is for.
    given = {
        field.removeprefix("given "): value.strip() for field, value in form.items() if field[:6] == "given "
    }
    how = form.get("how", "") or next((way for way, value in given.items() if value), "")
    if "aside" in form or not how:
        asides.put(who.app, who.actor, name, rows, form.get("reason", ""))
        return see(addresses.upkeep(volume, name))
    return see(plan_of(upkeep.mend_together(rows, how, given.get(how, ""))))


@router.post("/-/upkeep/{volume}/{name}/back")
def take_back(who: Who, form: Form, volume: str, name: str) -> Response:
    """Lists findings again that were put aside."""
    if not asides.take_back(who.app, who.actor, name, form.get("mark", "").splitlines()):
        raise BadFields({"mark": "That is not put aside any more."})
    return see(addresses.upkeep(volume, name))


@router.get("/-/passage/{volume}/{page:path}")
def passage(who: Who, volume: str, page: str, start: int = -1, end: int = -1) -> Response:
    """Some lines of a page as part of another: those around a range, or its first ones."""
    marked = Span(start, end) if start >= 0 else None
    return who.page("passage.html", found=passages.passage(who.app, who.actor, volume, page, marked))


# ---- in other forms ---------------------------------------------------------------


def _rows(found: Iterable[Listed]) -> Iterable[dict[str, Any]]:
    """A finding as plain values: the same in CSV and in JSON."""
    for row in found:
        finding = row.finding
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
            "volume": row.volume.title,
        }


_HEAD = ["name", "page", "line", "sentence", "other", "reason", "pages", "volume"]
_WRITERS: dict[str, Callable[[Iterable[Listed]], Response]] = {
    ".csv": lambda found: as_csv(_HEAD, _rows(found)),
    ".json": lambda found: as_json(_rows(found)),
}
