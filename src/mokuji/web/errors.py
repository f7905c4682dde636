"""Faults as people see them: a page in plain words."""

from __future__ import annotations

from contextlib import suppress

from fastapi import Request
from fastapi.responses import HTMLResponse

from mokuji.statuses import heading_of
from mokuji.web.pages import environment, get_visitor


def page(request: Request, status: int, message: str, code: str) -> HTMLResponse:
    """The page of a fault; a bare one when the database cannot even say who asks."""
    heading = heading_of(status, code)
    if status != 503:
        # Whatever is broken, a fault must not come out as another one.
        with suppress(Exception):
            visitor = get_visitor(request)
            return visitor.page("error.html", status, heading=heading, message=message, code=code, lit="")
    bare = environment.get_template("bare_error.html")
    return HTMLResponse(bare.render(heading=heading, message=message), status)
