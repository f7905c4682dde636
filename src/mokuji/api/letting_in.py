"""Letting people in as JSON: invitations, the people of the wiki, links to a new password."""

from __future__ import annotations

from fastapi import Request
from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import joining
from mokuji.api import people_schemas
from mokuji.api.asking import FAULTS, Changer, TheApp, agent, behind, cursor
from mokuji.services import invitations, people, site

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


@router.get("/invitations")
def pending(app: TheApp, actor: Changer) -> list[people_schemas.Invitation]:
    """The invitations that wait for somebody, to volumes that one owns."""
    return [
        people_schemas.Invitation(
            id=each.id,
            by=each.by,
            note=each.note,
            expires=each.expires,
            roles=[people_schemas.RoleGiven(volume=one.volume.key, role=one.called) for one in each.given],
            elsewhere=each.hidden,
        )
        for each in invitations.pending(app, actor)
    ]


@router.post("/invitations", status_code=201)
def invite(app: TheApp, actor: Changer, body: people_schemas.NewInvitation) -> people_schemas.Link:
    """Invite somebody to volumes that one owns: a link that works once and for a week."""
    made = invitations.invite(app, actor, body.roles, body.note)
    address = site.absolute(site.link(f"/-/invited/{made.token}"))
    return people_schemas.Link(token=made.token, address=address, expires=made.expires)


@router.delete("/invitations/{number}", status_code=204)
def withdraw(app: TheApp, actor: Changer, number: int) -> Response:
    """Let an invitation hold no longer."""
    invitations.withdraw(app, actor, number)
    return Response(status_code=204)


@router.post("/invited", status_code=201)
def come_in(app: TheApp, request: Request, body: people_schemas.ComeIn) -> people_schemas.Session:
    """Come in by an invitation, with a handle and a password of one's own; signs in."""
    token = joining.come_in(app, body.token, body.handle, body.name, body.password, agent(request))
    return people_schemas.Session(token=token)


@router.get("/people")
def everybody(app: TheApp, actor: Changer, after: str = "") -> people_schemas.PeopleOfWiki:
    """The people of the wiki (owners of the wiki only)."""
    found, more = people.everybody(app, actor, behind("people", after))
    return people_schemas.PeopleOfWiki(
        people=[
            people_schemas.PersonOfWiki(
                handle=each.handle,
                name=each.name,
                owns_wiki=each.owns_wiki,
                closed=each.closed,
                volumes=each.volumes,
                seen=each.seen,
            )
            for each in found
        ],
        more_after=cursor("people", more or None),
    )


@router.post("/people/{handle}/password-link", status_code=201)
def link_password(app: TheApp, actor: Changer, handle: str) -> people_schemas.Link:
    """Make a link to a new password for somebody, good for once and a day (owners of the wiki only)."""
    made = invitations.link_password(app, actor, handle)
    address = site.absolute(site.link(f"/-/new-password/{made.token}"))
    return people_schemas.Link(token=made.token, address=address, expires=made.expires)


@router.post("/new-password", status_code=201)
def renew_password(
    app: TheApp, request: Request, body: people_schemas.RenewedPassword
) -> people_schemas.Session:
    """Take a new password by a link; all sessions end, and one begins."""
    token = invitations.renew_password(app, body.token, body.password, agent(request))
    return people_schemas.Session(token=token)
