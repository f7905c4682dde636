"""The trash, and what lies in it."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import Response

from mokuji import routing
from mokuji.services.looking_back import trash as service
from mokuji.web.pages import Who
from mokuji.web.show import places, safe

router = routing.router()


@router.get("/-/trash")
def trash(who: Who, before: int | None = None) -> Response:
    """What lies in the trash, by act."""
    return who.page("trash.html", view=service.trash_view(who.app, who.actor, before), lit="changes")


@router.get("/-/trash/page/{number}")
def page(
    who: Who, number: int, at: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None, typed: bool = False
) -> Response:
    """A page that lies there, as it is read or as it was ``typed``."""
    view = service.page_in_trash(who.app, who.actor, number, at)
    to = places(who.app, who.actor, may_write=False, under=view.row.key)
    html = None if typed else safe(view.as_read.rendered(who.app, to))
    return who.page("trash_page.html", view=view, html=html, lit="changes")


@router.get("/-/trash/volume/{number}")
def volume(who: Who, number: int) -> Response:
    """A volume that was deleted by a change set."""
    return who.page(
        "trash_volume.html", view=service.volume_in_trash(who.app, who.actor, number), lit="changes"
    )
