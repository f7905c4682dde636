"""Who asks the JSON interface, and what its answers share."""

from __future__ import annotations

import base64
import hashlib
import json
from typing import Annotated, Any

from fastapi import Depends, Request

from mokuji.api import schemas
from mokuji.core.base.errors import BadRequest, Conflict, Forbidden
from mokuji.core.model.policy import Actor
from mokuji.services import people
from mokuji.services.app_context import AppContext

FAULTS: dict[int | str, dict[str, Any]] = {
    status: {"model": schemas.Problem, "description": said, "content": {"application/problem+json": {}}}
    for status, said in (
        (400, "No request that can be read"),
        (401, "Not signed in"),
        (403, "Not allowed"),
        (404, "Not there, or not to be known of"),
        (405, "No such request to this address; Allow says which"),
        (409, "Refused, or changed meanwhile; nothing was done"),
        (412, "The page is in another revision than If-Match says; nothing was done"),
        (413, "Too large"),
        (422, "Cannot be understood or kept"),
        (428, "A save that does not say which revision it began with"),
        (429, "Too many tries; Retry-After says when to try again"),
        (503, "Not just now; nothing was done"),
    )
}
"""What any request can be answered with when it fails."""


def get_app(request: Request) -> AppContext:
    """What the application was made to work with."""
    app: AppContext = request.app.state.app
    return app


def bearer(request: Request) -> str:
    """The token of a request; empty without one."""
    scheme, _, token = request.headers.get("authorization", "").partition(" ")
    return token.strip() if scheme.lower() == "bearer" else ""


def agent(request: Request) -> str:
    """What the program that asks says of itself."""
    return request.headers.get("user-agent", "")


def address(request: Request) -> str:
    """The address that it asks from; empty if that is not known."""
    return request.client.host if request.client else ""


def reader(request: Request) -> Actor:
    """Who reads; nobody without a token."""
    return people.actor_of(get_app(request), bearer(request))


def changer(request: Request) -> Actor:
    """Who changes something; Forbidden without a token."""
    actor = reader(request)
    if not actor.signed_in:
        raise Forbidden(
            "Send “Authorization: Bearer …” with the token of a session (POST /api/v1/session).",
            code="sign_in",
        )
    return actor


def cursor(kind: str, after: str | None) -> str | None:
    """What a list hands out to be asked on with; ``kind`` says of which list. None at its end."""
    if after is None:
        return None
    packed = json.dumps([kind, after], separators=(",", ":")).encode()
    return base64.urlsafe_b64encode(hashlib.blake2b(packed, digest_size=4).digest() + packed).decode()


def behind(kind: str, given: str) -> str:
    """Where a list goes on, of what was handed out; BadRequest if that was something else."""
    if not given:
        return ""
    try:
        raw = base64.b64decode(given, altchars=b"-_", validate=True)
        told, after = json.loads(raw[4:])
        fits = raw[:4] == hashlib.blake2b(raw[4:], digest_size=4).digest() and told == kind
    except (ValueError, TypeError):
        fits, after = False, ""
    if not fits:
        raise BadRequest(
            "“after” takes the “more_after” of the answer before, of the same list.", code="bad_after"
        )
    return str(after)


def etag(page: int, revision: int) -> str:
    """The entity tag of a page in a revision (RFC 9110, 8.8.3)."""
    return f'"{page}-{revision}"'


def revision_of(request: Request, page: int, now: int, said: int | None) -> int:
    """The revision that a save says it began with: in If-Match, in If-None-Match ``*`` for a new page, or in the body.
    ``page`` and ``now`` are the page's id and its revision, 0 without one."""
    match, none_match = (request.headers.get(name, "").strip() for name in ("if-match", "if-none-match"))
    if match:
        tags = {each.strip() for each in match.split(",")}
        if not now or not (tags & {"*", etag(page, now)}):
            raise Conflict(
                f"The page is in revision {now} by now. Read it again, bring the two together, and save on top of that."
                if now
                else "There is no page of this name to save on top of.",
                code="revision_stale",
            )
        return now
    if none_match == "*":
        if now:
            raise Conflict("There is a page of this name already.", code="revision_stale")
        return 0
    if said is None:
        raise BadRequest(
            "Say which revision you began with: as “revision” (0 for a new page), or with If-Match and the ETag of the "
            "page.",
            code="revision_required",
        )
    return said


Reader = Annotated[Actor, Depends(reader)]
Changer = Annotated[Actor, Depends(changer)]
TheApp = Annotated[AppContext, Depends(get_app)]
