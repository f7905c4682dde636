"""Who asks the JSON interface, and what its answers share."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request

from mokuji.api import schemas
from mokuji.core.errors import Forbidden
from mokuji.core.policy import Actor
from mokuji.services import people
from mokuji.services.desk import Desk

FAULTS: dict[int | str, dict[str, Any]] = {
    status: {"model": schemas.Problem, "description": said, "content": {"application/problem+json": {}}}
    for status, said in (
        (400, "No request that can be read"),
        (403, "Not signed in, or not allowed"),
        (404, "Not there, or not to be known of"),
        (409, "Refused, or changed meanwhile; nothing was done"),
        (413, "Too large"),
        (422, "Cannot be understood or kept"),
        (429, "Too many tries; Retry-After says when to try again"),
        (503, "Not just now; nothing was done"),
    )
}
"""What any request can be answered with when it fails."""


def get_desk(request: Request) -> Desk:
    """The desk that the application was made with."""
    desk: Desk = request.app.state.desk
    return desk


def bearer(request: Request) -> str:
    """The token of a request; empty without one."""
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    return token.strip() if scheme.lower() == "bearer" else ""


def reader(request: Request) -> Actor:
    """Who reads; nobody without a token."""
    return people.actor_of(get_desk(request), bearer(request))


def changer(request: Request) -> Actor:
    """Who changes something; Forbidden without a token."""
    actor = reader(request)
    if not actor.signed_in:
        raise Forbidden(
            "Send “Authorization: Bearer …” with the token of a session (POST /api/v1/session).",
            code="sign_in",
        )
    return actor


Reader = Annotated[Actor, Depends(reader)]
Changer = Annotated[Actor, Depends(changer)]
TheDesk = Annotated[Desk, Depends(get_desk)]
