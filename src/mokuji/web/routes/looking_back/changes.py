"""Changes: the log, looked through."""

from __future__ import annotations

from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import registry
from mokuji.core.base import names
from mokuji.services.looking_back import changes as log
from mokuji.services.looking_back.changes import Asked
from mokuji.web.pages import Visitor, Who
from mokuji.web.show import day_typed

router = routing.router()
_FIELDS = ("words", "volume", "kind", "by", "page", "below", "category", "since", "until")


def _asked(who: Visitor) -> Asked:
    given = {name: who.request.query_params.get(name, "")[: names.LONGEST] for name in _FIELDS}
    return Asked(
        volume=given["volume"],
        page=given["page"].strip(),
        below=bool(given["below"] and given["page"].strip()),
        category=given["category"].strip(),
        by=given["by"].strip(),
        kind=given["kind"] if given["kind"] in registry.KINDS else "",
        words=given["words"].strip(),
        since=day_typed(given["since"]),
        until=day_typed(given["until"]),
    )


@router.get("/-/changes")
def changes(who: Who, before: int | None = None) -> Response:
    """What was done lately in all volumes one may read, or what of it is asked for."""
    asked = _asked(who)
    view = log.changes(who.app, who.actor, asked, before)
    only = next((v for v in view.volumes.values() if asked.volume and v.key == names.key(asked.volume)), None)
    given = who.request.query_params
    kept = {name: value for name in (*_FIELDS, "from") if (value := given.get(name, ""))}
    return who.page(
        "changes.html",
        view=view,
        volumes=view.volumes,
        asked=asked,
        kinds=registry.KINDS,
        called=registry.done,
        only=only,
        kept=kept,
        came_from=kept.get("from", ""),
        narrowed=any(name in kept for name in _FIELDS if name != "volume"),
        lit="changes",
    )
