"""The revisions of a page and what differs between them, on one screen."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import RedirectResponse, Response

from mokuji import routing
from mokuji.acts import registry
from mokuji.services.looking_back import line_origins
from mokuji.services.looking_back import revisions as rules
from mokuji.services.looking_back.two_pages import compare_pages
from mokuji.web import addresses
from mokuji.web.pages import Who
from mokuji.web.show import places, safe

router = routing.router()
Number = Annotated[int | None, Query(ge=1, le=2**31 - 1)]


@router.get("/-/revisions/{volume}/{page:path}")
def revisions(
    who: Who,
    volume: str,
    page: str,
    one: Annotated[int | None, Query(alias="from", ge=1, le=2**31 - 1)] = None,
    other: Annotated[int | None, Query(alias="to", ge=1, le=2**31 - 1)] = None,
    month: str = "",
    typed: bool = False,
    part: bool = False,
) -> Response:
    """The rule of revisions with what differs beside it; a single one as it is read, or as it was ``typed``. ``part``
    asks for what differs alone."""
    view = rules.rule(who.app, who.actor, volume, page, one, other, month)
    html = None
    if view.as_read is not None and not typed:
        html = safe(view.as_read.rendered(who.app, places(who.app, who.actor, may_write=False, under=page)))
    return who.page("revisions_part.html" if part else "revisions.html", view=view, html=html)


@router.get("/-/lines/{volume}/{page:path}")
def lines(who: Who, volume: str, page: str, at: Number = None) -> Response:
    """Who wrote each line of a page, or of an earlier revision of it."""
    view = line_origins.line_origins(who.app, who.actor, volume, page, at)
    return who.page("lines.html", view=view, called=registry.done)


@router.get("/-/beside/{volume}/{page:path}")
def beside(
    who: Who,
    volume: str,
    page: str,
    other: str,
    one: Annotated[int | None, Query(alias="from", ge=1, le=2**31 - 1)] = None,
    number: Annotated[int | None, Query(alias="to", ge=1, le=2**31 - 1)] = None,
) -> Response:
    """A page compared with another one."""
    view = compare_pages(who.app, who.actor, volume, page, other, one, number)
    return who.page("beside.html", view=view, asked=other)


# Addresses of former screens, which stand in notes and letters.


@router.get("/-/history/{volume}/{page:path}")
def history(volume: str, page: str) -> Response:
    """All revisions of a page."""
    return RedirectResponse(addresses.revisions(volume, page), 308)


@router.get("/-/compare/{volume}/{page:path}")
def compare(volume: str, page: str, older: Number = None, newer: Number = None) -> Response:
    """Two revisions."""
    return RedirectResponse(addresses.revisions(volume, page, older, newer), 308)


@router.get("/-/revision/{volume}/{page:path}")
def revision(volume: str, page: str, number: Number = None) -> Response:
    """One revision."""
    return RedirectResponse(addresses.revisions(volume, page, number, number), 308)
