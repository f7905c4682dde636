"""The documentation page of the JSON interface, made from the same description as programs get."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from mokuji import routing
from mokuji.web.pages import Who

router = routing.router()


@router.get("/api/v1/docs")
def documentation(who: Who, request: Request) -> Response:
    """The JSON interface, described for people."""
    return who.page("api.html", described=request.app.openapi(), lit="")
