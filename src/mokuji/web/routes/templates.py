"""Where a page is put in: the places of use, with the values given there; as a page, as CSV and as JSON."""

from __future__ import annotations

from typing import Any

from fastapi.responses import Response

from mokuji import routing
from mokuji.services.reading import templates
from mokuji.web.pages import Form, Who
from mokuji.web.show import places
from mokuji.web.tables import as_csv, as_json

router = routing.router()


@router.get("/-/uses/{volume}/{page:path}")
def uses(who: Who, volume: str, page: str, sort: str = "", skip: int = 0, form: str = "") -> Response:
    """The places that use a page, faults first; ``form`` csv or json gives all of them as a file."""
    skip = max(0, min(skip, 10**9))
    if form in {"csv", "json"}:
        view = templates.all_uses(who.app, who.actor, volume, page, sort, 0, 10**9)
        rows = [_row(view, use) for use in view.uses]
        head = ["volume", "page", "section", *(slot.name for slot in view.slots), "faults"]
        return as_csv(head, rows) if form == "csv" else as_json(rows)
    view = templates.all_uses(who.app, who.actor, volume, page, sort, skip)
    return who.page("uses.html", place=view.place, view=view, lit="materials")


@router.post("/-/effect/{volume}/{page:path}")
def effect(who: Who, form: Form, volume: str, page: str) -> Response:
    """What saving a text would do to the places that put the page in."""
    to = places(who.app, who.actor, may_write=False, under="")
    text = form.get("text", "").replace("\r\n", "\n")
    typed = form.get("skip", "")
    skip = int(typed) if typed.isdecimal() and len(typed) < 6 else 0
    view = templates.effect(who.app, who.actor, volume, page, text, to, skip)
    return who.page("effect.html", place=view.place, view=view, text=text, lit="materials")


def _row(view: templates.UsesView, each: templates.PlaceOfUse) -> dict[str, Any]:
    values = dict(zip((slot.name for slot in view.slots), each.values, strict=True))
    told = {"volume": each.volume.title, "page": each.page.title, "section": each.section}
    return {**values, **told, "faults": " ".join(fault.message for fault in each.faults)}
