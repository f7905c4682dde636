"""Signing in and out, the first start, and one's own page."""

from __future__ import annotations

from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.acts import registry
from mokuji.core.base.errors import BadName, BadText, Forbidden, Refused
from mokuji.services import first_owner, own_page, people, people_of_volumes, program_keys
from mokuji.services.looking_back import history
from mokuji.services.reading import reading
from mokuji.web import addresses
from mokuji.web.pages import SESSION, Form, Visitor, Who, begin_session, drop_cookie, see

router = routing.router()
FIRST_START = "/-/first-start"
WROTE = 8
"""Number of changes of one's own that are shown at once."""


def _page(who: Visitor, back: str, wrong: bool = False) -> Response:
    volumes = reading.volume_rows(who.app, who.actor)
    shown = people.demo_people(who.app)
    status = 422 if wrong else 200
    return who.page("sign_in.html", status, volumes=volumes, people=shown, back=back, wrong=wrong, lit="")


@router.get("/-/sign-in")
def show_sign_in(who: Who, back: str = "/") -> Response:
    """The sign-in page; the first start while nobody is there."""
    return see(addresses.at(FIRST_START)) if first_owner.wanted(who.app) else _page(who, back)


@router.post("/-/sign-in")
def sign_in(who: Who, form: Form) -> Response:
    """Signs in and goes on to where the person wanted to be."""
    # Who signs in again leaves the session that they had.
    token = people.sign_in(
        who.app, form.get("handle", ""), form.get("password", ""), who.address, who.session, who.agent
    )
    back = form.get("back") or addresses.at("/")
    if token is None:
        return _page(who, back, wrong=True)
    return begin_session(who, token, back if addresses.is_local(back) else "")


@router.get(FIRST_START)
def ask_first_owner(who: Who) -> Response:
    """Who is to own this wiki? Asked while nobody is there."""
    if not first_owner.wanted(who.app):
        return see(addresses.at("/-/sign-in"))
    return who.page("first_start.html", typed={}, wrong="", lit="")


@router.post(FIRST_START)
def begin(who: Who, form: Form) -> Response:
    """Makes the first owner, and signs them in."""
    key, handle, name, password = (form.get(field, "") for field in ("key", "handle", "name", "password"))
    try:
        token = first_owner.begin(who.app, key, handle, name, password, who.address, who.agent)
    except Refused as fault:
        if fault.code == "begun":
            return see(addresses.at("/-/sign-in"))
        return who.page("first_start.html", 409, typed=form, wrong=fault.message, lit="")
    except Forbidden as fault:
        return who.page("first_start.html", 403, typed=form, wrong=fault.message, lit="")
    except (BadName, BadText) as fault:
        return who.page("first_start.html", 422, typed=form, wrong=fault.message, lit="")
    return begin_session(who, token)


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


# ---- one's own page ----------------------------------------------------------------


def _own(
    who: Visitor,
    status: int = 200,
    *,
    wrong: str = "",
    of: str = "",
    done: str = "",
    key: str = "",
    typed: dict[str, str] | None = None,
    before: int | None = None,
) -> Response:
    view = own_page.own_page(who.app, who.actor, who.session)
    wrote, wrote_in, more = history.own_acts(who.app, who.actor, before, WROTE)
    return who.page(
        "own.html",
        status,
        view=view,
        wrong=wrong,
        of=of,
        done=done,
        key=key,
        typed=typed or {},
        volumes=people.volumes_of(who.app, who.actor),
        keys=program_keys.keys(who.app, who.actor),
        key_volumes=program_keys.own_volumes(who.app, who.actor),
        days=program_keys.DAYS,
        offers=people_of_volumes.offered(who.app, who.actor),
        wrote=wrote,
        wrote_in=wrote_in,
        more=more,
        called=registry.done,
        lit="you",
    )


@router.get("/-/you")
def show_own(who: Who, done: str = "", before: int | None = None) -> Response:
    """Who asks, as they see themselves."""
    return _own(who, done=done if done in DONE else "", before=before)


DONE = frozenset({"name", "password", "session", "others", "key-ended", "declined", "not-taken"})
"""What can have been done on it a moment ago."""


@router.post("/-/you/name")
def set_own_name(who: Who, form: Form) -> Response:
    """Another name."""
    try:
        own_page.set_name(who.app, who.actor, form.get("name", ""))
    except (BadName, BadText) as fault:
        return _own(who, 422, wrong=fault.message, of="name")
    return see(addresses.at("/-/you") + "?done=name")


@router.post("/-/you/password")
def change_own_password(who: Who, form: Form) -> Response:
    """Another password; other sessions end."""
    try:
        own_page.change_password(
            who.app, who.actor, who.session, form.get("present", ""), form.get("password", "")
        )
    except Forbidden as fault:
        if fault.code != "wrong_password":
            raise
        return _own(who, 403, wrong=fault.message, of="password")
    except (BadName, BadText) as fault:
        return _own(who, 422, wrong=fault.message, of="password")
    return see(addresses.at("/-/you") + "?done=password")


@router.post("/-/you/sessions")
def end_own_sessions(who: Who, form: Form) -> Response:
    """Ends one session, or all others."""
    session = form.get("session", "")
    if not session:
        own_page.end_others(who.app, who.actor, who.session)
        return see(addresses.at("/-/you") + "?done=others")
    number = int(session) if session.isdecimal() and len(session) < 19 else 0
    own_page.end_session(who.app, who.actor, number)
    return see(addresses.at("/-/you") + "?done=session")


@router.post("/-/you/keys")
def make_key(who: Who, form: Form) -> Response:
    """Makes a key for programs, and shows it: this once."""
    typed = form.get("days", "")
    try:
        made = program_keys.make(
            who.app,
            who.actor,
            form.get("name", ""),
            form.get("volumes", "").splitlines(),
            writes=form.get("may") == "write",
            days=int(typed) if typed.isdecimal() and len(typed) < 5 else 0,
        )
    except (BadName, BadText, Refused) as fault:
        return _own(who, 422, wrong=fault.message, of="keys", typed=form)
    return _own(who, key=made.token)


@router.post("/-/you/keys/{number}")
def end_key(who: Who, form: Form, number: int) -> Response:
    """Ends a key."""
    program_keys.end(who.app, who.actor, number)
    return see(addresses.at("/-/you") + "?done=key-ended#keys")
