"""Who may do what as JSON: the people of a volume, offers, keys for programs, leaving, the audit trail. Roles and
access themselves change by plans, as all acts do."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import Query
from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import joining, leaving
from mokuji.api import rights_schemas as schemas
from mokuji.api.asking import FAULTS, Changer, TheApp, behind, cursor
from mokuji.core.base.errors import BadRequest
from mokuji.services import audit, people_of_volumes, program_keys
from mokuji.services.people_of_volumes import CALLED
from mokuji.services.reading import reading

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


# ---- a volume ---------------------------------------------------------------------------


def _member(each: people_of_volumes.Member) -> schemas.Member:
    return schemas.Member(
        handle=each.handle, name=each.name, role=CALLED[each.role], owns_wiki=each.owns_wiki
    )


@router.get("/volumes/{volume}/people")
def people_of(app: TheApp, actor: Changer, volume: str) -> schemas.PeopleOfVolume:
    """The people of a volume, for these; what waits for an answer, and what was left behind, for its owners."""
    view = people_of_volumes.people_of(app, actor, volume)
    return schemas.PeopleOfVolume(
        people=[_member(each) for each in view.members],
        owners_of_wiki=[_member(each) for each in view.owners_of_wiki],
        own=CALLED[view.own],
        offers=[
            schemas.Offer(
                id=each.id, handle=each.handle, role=CALLED[each.role], by=each.by, expires=each.expires
            )
            for each in view.offers
        ],
        left_tasks=[schemas.LeftTasks(handle=each.handle, number=each.number) for each in view.left_tasks],
        left_drafts=[
            schemas.LeftDraft(
                id=each.id, handle=each.handle, key=each.key, title=each.title, changed=each.changed
            )
            for each in view.left_drafts
        ],
    )


@router.post("/volumes/{volume}/offers", status_code=201)
def offer(app: TheApp, actor: Changer, volume: str, body: schemas.NewOffer) -> schemas.OfferMade:
    """Offer a role to whoever has a handle; the answer is the same if nobody has."""
    return schemas.OfferMade(expires=people_of_volumes.offer(app, actor, volume, body.handle, body.role))


@router.delete("/volumes/{volume}/offers/{number}", status_code=204)
def withdraw_offer(app: TheApp, actor: Changer, volume: str, number: int) -> Response:
    """Let an offer hold no longer."""
    people_of_volumes.withdraw(app, actor, volume, number)
    return Response(status_code=204)


@router.post("/volumes/{volume}/left-drafts/{number}")
def take_over(app: TheApp, actor: Changer, volume: str, number: int) -> schemas.TakenOver:
    """Make a draft your own that somebody left behind who may write there no more (owners of the volume only)."""
    return schemas.TakenOver(key=people_of_volumes.take_over(app, actor, volume, number))


@router.put("/volumes/{volume}/front-page", status_code=204)
def set_front_page(app: TheApp, actor: Changer, volume: str, body: schemas.FrontPage) -> Response:
    """Let a volume open on one of its pages (owners of the volume only)."""
    reading.choose_front(app, actor, volume, body.page)
    return Response(status_code=204)


# ---- oneself ----------------------------------------------------------------------------


@router.get("/own/offers")
def offered(app: TheApp, actor: Changer) -> list[schemas.OwnOffer]:
    """The roles that are offered to you."""
    return [
        schemas.OwnOffer(
            id=each.id,
            volume=each.volume.key,
            title=each.volume.title,
            role=each.called,
            by=each.by,
            expires=each.expires,
        )
        for each in people_of_volumes.offered(app, actor)
    ]


@router.post("/own/offers/{number}")
def accept(app: TheApp, actor: Changer, number: int) -> schemas.Accepted:
    """Take a role that is offered to you."""
    return schemas.Accepted(volume=joining.accept(app, actor, number))


@router.delete("/own/offers/{number}", status_code=204)
def decline(app: TheApp, actor: Changer, number: int) -> Response:
    """Decline a role that is offered to you."""
    people_of_volumes.decline(app, actor, number)
    return Response(status_code=204)


@router.get("/own/keys")
def keys(app: TheApp, actor: Changer) -> list[schemas.OwnKey]:
    """Your keys for programs."""
    return [
        schemas.OwnKey(
            id=each.id,
            name=each.name,
            may="write" if each.writes else "read",
            volumes=[volume.key for volume in each.volumes],
            made=each.made,
            expires=each.expires,
            used=each.used,
        )
        for each in program_keys.keys(app, actor)
    ]


@router.post("/own/keys", status_code=201)
def make_key(app: TheApp, actor: Changer, body: schemas.NewKey) -> schemas.KeyMade:
    """Make a key for a program, which it sends as ``Authorization: Bearer``; it is told this once."""
    made = program_keys.make(app, actor, body.name, body.volumes, writes=body.may == "write", days=body.days)
    return schemas.KeyMade(id=made.id, key=made.token, expires=made.expires)


@router.delete("/own/keys/{number}", status_code=204)
def end_key(app: TheApp, actor: Changer, number: int) -> Response:
    """End one of your keys."""
    program_keys.end(app, actor, number)
    return Response(status_code=204)


# ---- leaving ------------------------------------------------------------------------------


@router.get("/people/{handle}/leaving")
def plan_leaving(app: TheApp, actor: Changer, handle: str) -> schemas.Leaving:
    """What becomes of your things once you leave, or of anybody's, for owners of the wiki."""
    view = leaving.planned(app, actor, handle)
    return schemas.Leaving(
        handle=view.handle,
        alone=[volume.key for volume in view.alone],
        tasks=view.tasks,
        drafts=view.drafts,
        sessions=view.sessions,
        keys=view.keys,
        last_of_wiki=view.last_of_wiki,
    )


@router.put("/people/{handle}/closed", status_code=204)
def close_person(app: TheApp, actor: Changer, handle: str, heir: str = "") -> Response:
    """Leave the wiki, or let somebody sign in no more (owners of the wiki only); what was written stays. ``heir`` is
    the handle of who owns the volumes then that nobody else owns."""
    leaving.close(app, handle, actor=actor, heir=heir)
    return Response(status_code=204)


# ---- the audit trail ------------------------------------------------------------------------


@router.get("/audit")
def trail(
    app: TheApp,
    actor: Changer,
    kind: str = "",
    person: str = "",
    volume: str = "",
    since: Annotated[date | None, Query(description="First day, in UTC")] = None,
    until: Annotated[date | None, Query(description="Last day, in UTC")] = None,
    after: str = "",
) -> schemas.Trail:
    """Who did what with people, rights and keys: of all for owners of the wiki, of their volumes for owners of
    volumes."""
    given = behind("audit", after)
    if given and not given.isdecimal():
        raise BadRequest("“after” takes the “more_after” of the answer before.", code="bad_after")
    wanted = audit.Wanted(kind, person, volume, since, until)
    view = audit.trail(app, actor, wanted, int(given) if given else None)
    return schemas.Trail(
        entries=[
            schemas.AuditEntry(
                at=each.at,
                kind=each.kind,
                by=each.by,
                about=each.about,
                volume=each.volume_key,
                change=each.change_set,
                address=each.address,
                details=each.said,
            )
            for each in view.entries
        ],
        more_after=cursor("audit", str(view.more_before) if view.more_before is not None else None),
    )
