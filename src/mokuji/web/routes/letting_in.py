"""Letting people in: invitations, all people for owners of the wiki, and links to a new password."""

from __future__ import annotations

from fastapi.responses import Response

from mokuji import routing
from mokuji.acts import joining, leaving
from mokuji.core.base.errors import BadName, BadText, Missing, Refused
from mokuji.services import invitations, people, site
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, begin_session, see

router = routing.router()
INVITATIONS, INVITED, EVERYBODY, NEW_PASSWORD = (
    "/-/invitations",
    "/-/invited",
    "/-/everybody",
    "/-/new-password",
)


# ---- invitations -------------------------------------------------------------------


def _invitations(
    who: Visitor, status: int = 200, *, wrong: str = "", link: str = "", made: object = None
) -> Response:
    return who.page(
        "invitations.html",
        status,
        volumes=invitations.owned_volumes(who.app, who.actor),
        pending=invitations.pending(who.app, who.actor),
        roles=list(invitations.GIVEN),
        wrong=wrong,
        link=link,
        made=made,
        lit="",
    )


@router.get(INVITATIONS)
def show_invitations(who: Who) -> Response:
    """The invitations that wait, and a new one."""
    return _invitations(who)


@router.post(INVITATIONS)
def invite(who: Who, form: Form) -> Response:
    """Makes an invitation, and shows its link: this once."""
    roles = {
        field.removeprefix("role-"): role
        for field, role in form.items()
        if field.startswith("role-") and role
    }
    try:
        made = invitations.invite(who.app, who.actor, roles, form.get("note", ""))
    except (BadText, Refused) as fault:
        return _invitations(who, 422, wrong=fault.message)
    return _invitations(who, link=site.absolute(site.link(f"{INVITED}/{made.token}")), made=made)


@router.post(INVITATIONS + "/{number}/withdraw")
def withdraw(who: Who, form: Form, number: int) -> Response:
    """Lets an invitation hold no longer."""
    invitations.withdraw(who.app, who.actor, number)
    return see(addresses.at(INVITATIONS))


def _invited(
    who: Visitor, token: str, status: int = 200, *, wrong: str = "", typed: dict[str, str]
) -> Response:
    try:
        view = invitations.invited(who.app, token)
    except Missing as fault:
        return who.page("link_spent.html", 404, said=fault.message, lit="")
    return who.page("invited.html", status, view=view, link=token, wrong=wrong, typed=typed, lit="")


@router.get(INVITED + "/{token}")
def show_invited(who: Who, token: str) -> Response:
    """What an invitation gives, and who somebody wants to be here."""
    return _invited(who, token, typed={})


@router.post(INVITED + "/{token}")
def come_in(who: Who, form: Form, token: str) -> Response:
    """Makes a person of whoever was invited, and signs them in."""
    handle, name, password = (form.get(field, "") for field in ("handle", "name", "password"))
    try:
        session = joining.come_in(who.app, token, handle, name, password, who.agent)
    except (BadName, BadText, Refused) as fault:
        return _invited(who, token, 422, wrong=fault.message, typed=form)
    except Missing as fault:
        return who.page("link_spent.html", 404, said=fault.message, lit="")
    return begin_session(who, session)


# ---- the people of the wiki ----------------------------------------------------------


def _people(
    who: Visitor, status: int = 200, *, after: str = "", wrong: str = "", link: str = "", of: str = ""
) -> Response:
    found, more = people.everybody(who.app, who.actor, after)
    return who.page("everybody.html", status, people=found, more=more, lit="", wrong=wrong, link=link, of=of)


@router.get(EVERYBODY)
def show_people(who: Who, after: str = "") -> Response:
    """All people, for owners of the wiki."""
    return _people(who, after=after)


@router.post(EVERYBODY + "/{handle}")
def change_person(who: Who, form: Form, handle: str) -> Response:
    """Lets a person in again, gives or takes the wiki, makes a link to a new password."""
    wish, actor = form.get("wish", ""), who.actor
    try:
        if wish == "open":
            people.let_in_again(who.app, handle, actor=actor)
        elif wish in {"own", "disown"}:
            people.give_wiki(who.app, handle, owns=wish == "own", actor=actor)
        elif wish == "password":
            made = invitations.link_password(who.app, actor, handle)
            return _people(who, link=site.absolute(site.link(f"{NEW_PASSWORD}/{made.token}")), of=handle)
        else:
            raise Refused("Choose what is to be done.", code="bad_wish")
    except Refused as fault:
        return _people(who, 409, wrong=fault.message)
    return see(addresses.at(EVERYBODY))


# ---- leaving -------------------------------------------------------------------------


def _leaving(who: Visitor, handle: str, status: int = 200, *, wrong: str = "", heir: str = "") -> Response:
    view = leaving.planned(who.app, who.actor, handle)
    return who.page("leaving.html", status, view=view, wrong=wrong, heir=heir, lit="")


@router.get("/-/leaving/{handle}")
def plan_leaving(who: Who, handle: str) -> Response:
    """What becomes of a person's things once they leave: for themselves, and for owners of the wiki."""
    return _leaving(who, handle)


@router.post("/-/leaving/{handle}")
def leave(who: Who, form: Form, handle: str) -> Response:
    """Closes a person."""
    heir = form.get("heir", "")
    try:
        leaving.close(who.app, handle, actor=who.actor, heir=heir)
    except Refused as fault:
        return _leaving(who, handle, 409, wrong=fault.message, heir=heir)
    if handle.casefold() == who.actor.handle:
        return see(addresses.sign_in())
    return see(addresses.at(EVERYBODY))


def _new_password(who: Visitor, token: str, status: int = 200, *, wrong: str = "") -> Response:
    try:
        handle = invitations.password_of(who.app, token)
    except Missing as fault:
        return who.page("link_spent.html", 404, said=fault.message, lit="")
    return who.page("new_password.html", status, handle=handle, link=token, wrong=wrong, lit="")


@router.get(NEW_PASSWORD + "/{token}")
def ask_new_password(who: Who, token: str) -> Response:
    """A new password, by a link that an owner of the wiki has sent."""
    return _new_password(who, token)


@router.post(NEW_PASSWORD + "/{token}")
def renew_password(who: Who, form: Form, token: str) -> Response:
    """Takes it, and signs in."""
    try:
        session = invitations.renew_password(who.app, token, form.get("password", ""), who.agent)
    except (BadName, BadText) as fault:
        return _new_password(who, token, 422, wrong=fault.message)
    except Missing as fault:
        return who.page("link_spent.html", 404, said=fault.message, lit="")
    return begin_session(who, session)
