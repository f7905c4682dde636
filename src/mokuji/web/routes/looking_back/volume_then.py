"""A volume as it stood, and what became of it between two moments."""

from __future__ import annotations

from fastapi.responses import Response

from mokuji import routing
from mokuji.services.looking_back import volume_then
from mokuji.web.pages import Who

router = routing.router()


@router.get("/-/became/{volume}")
def became(
    who: Who, volume: str, since: str = "", until: str = "", only: str = "", skip: int = 0
) -> Response:
    """What became of the pages and the contents of a volume."""
    only = only if only in volume_then.KINDS else ""
    view = volume_then.between(
        who.app, who.actor, volume, since, until, only=only, skip=max(0, min(skip, 10_000_000))
    )
    kept = {"since": since, "until": until, "only": only}
    return who.page("became.html", view=view, only=only, kept=kept, kinds=volume_then.KINDS, lit="changes")


@router.get("/-/stood/{volume}")
def stood(who: Who, volume: str, at: str = "") -> Response:
    """The contents and pages of a volume at the end of a day, or after a change."""
    view = volume_then.as_it_stood(who.app, who.actor, volume, at)
    return who.page("stood.html", view=view, at=at, lit="read")
