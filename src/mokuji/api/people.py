"""People as JSON: sessions, passwords, who may come in, owners of the wiki."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from mokuji import routing
from mokuji.api import people_schemas
from mokuji.api.asking import FAULTS, Changer, TheApp, address, agent, bearer
from mokuji.core.base.errors import Forbidden
from mokuji.services import first_owner, own_page, people

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


@router.post("/session", status_code=201)
def open_session(app: TheApp, body: people_schemas.SignIn, request: Request) -> people_schemas.Session:
    """Sign in. Tries are counted by handle and by address (429)."""
    token = people.sign_in(app, body.handle, body.password, address(request), agent=agent(request))
    if token is None:
        raise Forbidden("Handle and password do not belong together.", code="sign_in")
    return people_schemas.Session(token=token)


@router.post("/first-owner", status_code=201)
def begin(app: TheApp, body: people_schemas.FirstOwner, request: Request) -> people_schemas.Session:
    """Own a wiki that nobody is in yet; signs in. Tries are counted by address (429)."""
    return people_schemas.Session(
        token=first_owner.begin(
            app,
            body.key,
            body.handle,
            body.name,
            body.password,
            address(request),
            agent(request),
        )
    )


@router.delete("/session", status_code=204)
def close_session(app: TheApp, request: Request, _: Changer) -> Response:
    """Sign out."""
    people.sign_out(app, bearer(request))
    return Response(status_code=204)


@router.get("/own")
def own(app: TheApp, request: Request, actor: Changer) -> people_schemas.Own:
    """Who asks, and where they are signed in."""
    view = own_page.own_page(app, actor, bearer(request))
    sessions = [
        people_schemas.OwnSession(
            id=each.id, device=each.device, begun=each.begun, seen=each.seen, here=each.here
        )
        for each in view.sessions
    ]
    return people_schemas.Own(handle=view.handle, name=view.name, owns_wiki=view.owns_wiki, sessions=sessions)


@router.put("/own/name", status_code=204)
def set_own_name(app: TheApp, actor: Changer, body: people_schemas.OwnName) -> Response:
    """Be called otherwise, as others see it."""
    own_page.set_name(app, actor, body.name)
    return Response(status_code=204)


@router.put("/own/password", status_code=204)
def change_own_password(
    app: TheApp, request: Request, actor: Changer, body: people_schemas.OwnPassword
) -> Response:
    """Another password; all other sessions end."""
    own_page.change_password(app, actor, bearer(request), body.present, body.password)
    return Response(status_code=204)


@router.delete("/own/sessions", status_code=204)
def end_other_sessions(app: TheApp, request: Request, actor: Changer) -> Response:
    """End all of one's own sessions but this one."""
    own_page.end_others(app, actor, bearer(request))
    return Response(status_code=204)


@router.delete("/own/sessions/{session}", status_code=204)
def end_own_session(app: TheApp, actor: Changer, session: int) -> Response:
    """End one of one's own sessions."""
    own_page.end_session(app, actor, session)
    return Response(status_code=204)


@router.put("/people/{handle}/password", status_code=204)
def reset_person(app: TheApp, actor: Changer, handle: str, body: people_schemas.Password) -> Response:
    """Give somebody another password; their sessions end (owners of the wiki only)."""
    people.reset(app, handle, body.password, actor=actor)
    return Response(status_code=204)


@router.delete("/people/{handle}/closed", status_code=204)
def let_person_in_again(app: TheApp, actor: Changer, handle: str) -> Response:
    """Let somebody who left sign in again (owners of the wiki only)."""
    people.let_in_again(app, handle, actor=actor)
    return Response(status_code=204)


@router.put("/people/{handle}/owner-of-wiki", status_code=204)
def give_wiki(app: TheApp, actor: Changer, handle: str) -> Response:
    """Make somebody an owner of the wiki (owners of the wiki only)."""
    people.give_wiki(app, handle, actor=actor)
    return Response(status_code=204)


@router.delete("/people/{handle}/owner-of-wiki", status_code=204)
def take_wiki(app: TheApp, actor: Changer, handle: str) -> Response:
    """Take the wiki from one of its owners; the last one stays (owners of the wiki only)."""
    people.give_wiki(app, handle, owns=False, actor=actor)
    return Response(status_code=204)
