"""All parts of the JSON interface, and what it says of any other address."""

from __future__ import annotations

from fastapi import Request
from fastapi.routing import APIRoute
from starlette.exceptions import HTTPException
from starlette.routing import Match

from mokuji import routing
from mokuji.api import (
    assets,
    bringing,
    exporting,
    finding,
    history,
    letting_in,
    people,
    rights,
    routes,
    upkeep,
)
from mokuji.api.telling import routes as telling
from mokuji.core.base.errors import Missing

PARTS = (assets, people, letting_in, rights, finding, history, exporting, bringing, telling, upkeep, routes)
"""The modules of its routes, in the order in which they are looked through."""
router = routing.router(prefix="/api/v1", tags=["Mokuji"])


@router.api_route("/{rest:path}", methods=["GET", "POST", "PUT", "PATCH", "DELETE"], include_in_schema=False)
def nothing_here(rest: str, request: Request) -> None:
    """Any other address of the JSON interface, and any other request to one of its addresses."""
    every = [each for part in PARTS for each in part.router.routes if isinstance(each, APIRoute)]
    partly = [each for each in every if each.matches(request.scope)[0] is Match.PARTIAL]
    allowed = sorted({method for each in partly for method in each.methods or ()})
    if allowed:
        said = f"This address takes {' and '.join(allowed)}; /api/v1/docs says more."
        raise HTTPException(405, said, headers={"Allow": ", ".join(allowed)})
    raise Missing("The JSON interface has nothing at this address. Its addresses stand at /api/v1/docs.")
