"""The audit trail: who did what with people, rights and keys."""

from __future__ import annotations

from fastapi.responses import Response

from mokuji import routing
from mokuji.services import audit
from mokuji.services.audit import Wanted
from mokuji.web.pages import Visitor, Who
from mokuji.web.show import day_typed
from mokuji.web.tables import as_csv

router = routing.router()
HEAD = ("at", "what", "by", "about", "volume", "change", "address", "details")
_FIELDS = ("kind", "person", "volume", "since", "until")


def _wanted(who: Visitor) -> Wanted:
    given = who.request.query_params
    return Wanted(
        given.get("kind", "") if given.get("kind", "") in audit.KINDS else "",
        given.get("person", ""),
        given.get("volume", ""),
        day_typed(given.get("since", "")),
        day_typed(given.get("until", "")),
    )


@router.get("/-/audit")
def show(who: Who, before: int | None = None) -> Response:
    """The newest entries, those that are asked for."""
    view = audit.trail(who.app, who.actor, _wanted(who), before)
    kept = {name: value for name in _FIELDS if (value := who.request.query_params.get(name, ""))}
    return who.page("audit.html", view=view, kinds=audit.KINDS, kept=kept, lit="")


@router.get("/-/audit.csv")
def take_away(who: Who) -> Response:
    """All that is asked for, as CSV."""
    rows = (
        {
            "at": each.at.isoformat(),
            "what": audit.KINDS.get(each.kind, each.kind),
            "by": each.by or "",
            "about": each.about or "",
            "volume": each.volume_title or "",
            "change": each.change_set or "",
            "address": each.address,
            "details": each.said,
        }
        for each in audit.taken_away(who.app, who.actor, _wanted(who))
    )
    response = as_csv(HEAD, rows)
    response.headers["Content-Disposition"] = 'attachment; filename="audit.csv"'
    return response
