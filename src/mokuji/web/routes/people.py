"""Signing in and out."""

from __future__ import annotations

from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.services import people
from mokuji.services.reading import reading
from mokuji.web import addresses
from mokuji.web.pages import SESSION, Form, Visitor, Who, drop_cookie, see, set_cookie

router = routing.router()


def _page(who: Visitor, back: str, wrong: bool = False) -> Response:
    volumes = reading.volume_rows(who.app, who.actor)
    shown = people.demo_people(who.app)
    status = 422 if wrong else 200
    return who.page("sign_in.html", status, volumes=volumes, people=shown, back=back, wrong=wrong, lit="")


@router.get("/-/sign-in")
def show_sign_in(who: Who, back: str = "/") -> Response:
    """The sign-in page."""
    return _page(who, back)


@router.post("/-/sign-in")
def sign_in(who: Who, form: Form) -> Response:
    """Signs in and goes on to where the person wanted to be."""
    address = who.request.client.host if who.request.client else ""
    # Who signs in again leaves the session that they had.
    token = people.sign_in(
        who.app, form.get("handle", ""), form.get("password", ""), address, former=who.session
    )
    back = form.get("back") or addresses.at("/")
    if token is None:
        return _page(who, back, wrong=True)
    response = see(back if addresses.is_local(back) else addresses.at("/"))
    set_cookie(who.request, response, SESSION, token, int(people.LONGEST_SESSION.total_seconds()))
    return response


@router.get("/-/token")
def fresh_token(who: Who) -> Response:
    """The token for forms of a page that was open while its reader signed out and in again."""
    return JSONResponse({"token": who.token, "signed_in": who.actor.signed_in})


@router.post("/-/sign-out")
def sign_out(who: Who, form: Form) -> Response:
    """Signs out."""
    if who.session:
        people.sign_out(who.app, who.session)
    response = see(addresses.at("/"))
    drop_cookie(who.request, response, SESSION)
    return response
