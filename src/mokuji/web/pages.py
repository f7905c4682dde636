"""What every route of the web pages shares: the visitor, rendering, forms and their tokens."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import urlsplit

from fastapi import Depends, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from jinja2 import Environment, PackageLoader, StrictUndefined, select_autoescape

from mokuji.acts import registry
from mokuji.core.base.errors import BadText, Forbidden, MokujiError
from mokuji.core.base.phrases import counted
from mokuji.core.diff.diff import near
from mokuji.core.model.policy import Actor
from mokuji.services import people, shown_pages, site
from mokuji.services.app_context import AppContext
from mokuji.services.reading.reading import VolumeView, volume_in_hand
from mokuji.services.telling import inbox
from mokuji.statuses import status_of
from mokuji.web import addresses, show
from mokuji.web.contents_rows import contents_rows

STATIC = Path(__file__).parent / "static"
LARGEST_BODY = 16_000_000
"""Maximum number of bytes of a request: a page of the largest size, encoded by a form."""
TEXTS = frozenset({"text", "edited", "base"})
"""Fields that hold a text: of these the place is told, too."""
SESSION = "mokuji_session"
VISIT = "mokuji_visit"
# What is new in each answer, left open where a page is kept: nobody can write what stands for it.
_NONCE, _TOKEN = f"nonce-{secrets.token_hex(16)}", f"token-{secrets.token_hex(16)}"


def _static_version() -> str:
    """What stands behind ``?v=`` of static files: another one whenever any of them changes."""
    hasher = hashlib.blake2b(digest_size=6)
    for path in sorted(STATIC.iterdir()):
        hasher.update(path.read_bytes())
    return hasher.hexdigest()


environment = Environment(
    loader=PackageLoader("mokuji.web", "templates"),
    autoescape=select_autoescape(["html"]),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)


def bodies(schema: dict[str, Any]) -> list[str]:
    """The names of what a request may hold: one, or one of several; none where it is no JSON."""
    return [each["$ref"].rpartition("/")[2] for each in schema.get("oneOf", [schema]) if "$ref" in each]


environment.filters.update(
    beside=show.beside,
    bodies=bodies,
    pair=lambda name: (name, name),
    near=near,
    few=show.few,
    sides=lambda row: show.sides(row.before, row.after),
    day=show.day,
    month=show.month,
    time=show.time,
    plural=counted,
    initials=show.initials,
)
STATIC_VERSION = _static_version()
environment.globals.update(
    contents_rows=partial(contents_rows, environment),
    to=addresses,
    version=STATIC_VERSION,
    page_menu=registry.PAGE_MENU,
    volume_menu=registry.VOLUME_MENU,
)


@dataclass(frozen=True)
class Visitor:
    """Who asks, with what a page and its forms need."""

    app: AppContext
    actor: Actor
    request: Request
    session: str
    visit: str
    new_visit: bool
    moment: str = ""
    """That which the database shows (``store.moments``); empty if it is not known."""
    arrived_with: int | None = None
    """How much they were told and did not read, if that was asked already."""

    @property
    def unread(self) -> int:
        """How much they were told and did not read."""
        if self.arrived_with is not None or not self.actor.signed_in:
            return self.arrived_with or 0
        return inbox.unread(self.app, self.actor)

    @property
    def token(self) -> str:
        """What forms of this visitor bring back."""
        return people.form_token(self.app, self.session or self.visit)

    @property
    def agent(self) -> str:
        """What the program that asks says of itself."""
        return self.request.headers.get("user-agent", "")

    @property
    def address(self) -> str:
        """The address that it asks from; empty if that is not known."""
        return self.request.client.host if self.request.client else ""

    @property
    def _kept_by(self) -> Hashable:
        """What an answer depends on, beside what the database says to whoever makes it: who asks with which rights, for
        what, and where."""
        actor, url = self.actor, self.request.url
        rights = frozenset(actor.roles.items()), actor.owns_wiki
        who = actor.person, actor.handle, actor.name, rights, self.unread
        return *who, site.here(), url.path, url.query

    def once(self, make: Callable[[], Response]) -> Response:
        """The answer that the same person got to the same question, if it would be made the same again; else it is
        made, and kept if it says so (``page``)."""
        kept = shown_pages.find(self.app, self._kept_by, self.moment)
        if kept is not None:
            return self._answer(kept)
        with shown_pages.noting() as self.request.state.notes:
            return make()

    def page(self, template: str, status: int = 200, *, keep: bool = False, **values: Any) -> HTMLResponse:
        """A rendered page; to be kept (``once``) if all it shows comes from the database."""
        values.setdefault("lit", "read")
        # The volume in hand, if there is one: what is to mend in it stands in the spine.
        place = values.get("place") or getattr(values.get("view"), "place", None)
        came_from = self.request.query_params.get("from", "")
        if not isinstance(place, VolumeView):
            # Rooms of the whole wiki keep the volume that one came from.
            place = volume_in_hand(self.app, self.actor, came_from) if came_from else None
        values["in_hand"] = place
        rendered = (
            environment.get_template(template)
            .render(
                actor=self.actor,
                token=_TOKEN,
                here=site.link(self.request.url.path),
                nonce=_NONCE,
                demo=self.app.demo,
                unread=self.unread,
                **values,
            )
            .encode()
        )
        if keep:
            shown_pages.keep(self.app, self._kept_by, rendered, self.request.state.notes)
        return self._answer(rendered, status)

    def _answer(self, rendered: bytes, status: int = 200) -> HTMLResponse:
        whole = rendered.replace(_NONCE.encode(), self.request.state.nonce.encode())
        response = HTMLResponse(whole.replace(_TOKEN.encode(), self.token.encode()), status)
        if self.new_visit:
            set_cookie(self.request, response, VISIT, self.visit)
        return response


def cookie_name(request: Request, name: str) -> str:
    """What a cookie is called. Behind HTTPS no other host can set one of this name (``__Host-``, RFC 6265bis 4.1.3),
    or, for a wiki under a path, no page without HTTPS (``__Secure-``); there the name says which path it is of."""
    path = site.here().path
    if path:
        name += "_" + hashlib.blake2b(path.encode(), digest_size=4).hexdigest()
    if not is_secure(request):
        return name
    return f"__Secure-{name}" if path else f"__Host-{name}"


def is_secure(request: Request) -> bool:
    """Whether the wiki is reached by HTTPS, perhaps by a proxy that speaks for it."""
    return site.here().secure or request.url.scheme == "https"


def own_origins(request: Request) -> tuple[str, ...]:
    """How addresses of this wiki begin: as it is known, and as it was asked for."""
    here, url = site.here(), request.url
    return tuple(dict.fromkeys((here.origin + here.path, f"{url.scheme}://{url.netloc}{here.path}")))


def cookie(request: Request, name: str) -> str:
    """The value of a cookie of ours; empty without one."""
    return request.cookies.get(cookie_name(request, name), "")


def set_cookie(request: Request, response: Any, name: str, value: str, max_age: int | None = None) -> None:
    """A cookie that scripts cannot read and other sites cannot send along with a form."""
    response.set_cookie(
        cookie_name(request, name),
        value,
        max_age=max_age,
        httponly=True,
        samesite="lax",
        secure=is_secure(request),
        path=site.here().path or "/",
    )


def begin_session(who: Visitor, token: str, to: str = "") -> Response:
    """Goes on with a new session, to an address of the wiki: its start, if none is given."""
    response = see(to or addresses.at("/"))
    set_cookie(who.request, response, SESSION, token, int(people.LONGEST_SESSION.total_seconds()))
    return response


def drop_cookie(request: Request, response: Any, name: str) -> None:
    """Lets a cookie go."""
    path = site.here().path or "/"
    secure = is_secure(request)
    response.delete_cookie(
        cookie_name(request, name), path=path, secure=secure, httponly=True, samesite="lax"
    )


def get_app(request: Request) -> AppContext:
    """What the application was made to work with."""
    app: AppContext = request.app.state.app
    return app


def get_visitor(request: Request) -> Visitor:
    """The visitor of a request. An unknown or expired session is nobody's."""
    app = get_app(request)
    session = cookie(request, SESSION)
    moment, unread = "", None
    if request.method == "GET":
        actor, moment, unread = people.arrive(app, session)
    else:
        actor = people.actor_of(app, session)
    visit = cookie(request, VISIT)
    fresh = visit or secrets.token_urlsafe(24)
    kept = session if actor.signed_in else ""
    return Visitor(app, actor, request, kept, fresh, not visit, moment, unread)


Who = Annotated[Visitor, Depends(get_visitor)]


def from_here(request: Request) -> bool:
    """Whether a browser says that a request comes from a page of this very site: not from a sibling host, nor from
    another port of this one. What is no browser says nothing, and brings no cookie along unasked."""
    fetched = request.headers.get("sec-fetch-site")
    if fetched is not None:
        return fetched in {"same-origin", "none"}
    origin = request.headers.get("origin")
    if origin is None:
        return True
    if origin == site.here().origin:
        return True
    try:
        told = urlsplit(origin)
        port = told.port
    except ValueError:
        return False
    default = {"http": 80, "https": 443}.get(told.scheme)
    here = urlsplit(f"//{request.headers.get('host', '')}")
    return told.hostname == here.hostname and (port or default) == (here.port or default)


async def checked_form(request: Request, who: Who) -> dict[str, str]:
    """The fields of a form, once its token is found to fit; Forbidden otherwise (the browser keeps what was typed)."""
    fields, _ = await checked_upload(request, who)
    return fields


async def checked_upload(request: Request, who: Who) -> tuple[dict[str, str], tuple[str, bytes] | None]:
    """The fields of a form as ``checked_form`` gives them, and the file that came along: its name and its bytes."""
    # What is too large for a page is said by the page that it came from.
    fields: dict[str, str] = {}
    file: tuple[str, bytes] | None = None
    async with request.form(max_part_size=LARGEST_BODY, max_files=1) as form:
        for name, value in form.multi_items():
            if isinstance(value, str):  # of a field that comes several times all, one a line
                fields[name] = f"{fields[name]}\n{value}" if name in fields else value
            elif file is None and value.filename:
                file = (value.filename, await value.read())
    for name, value in fields.items():
        if "\x00" in value and name not in TEXTS:
            raise BadText(f"The field “{name}” holds a NUL character, which none can. Take it out.")
    check_token(request, who, fields.get("token", ""))
    return fields, file


def check_token(request: Request, who: Visitor, token: str) -> None:
    """Forbidden unless a form was made here, for this very visitor."""
    if not from_here(request):
        raise Forbidden("This form was sent by another site, so nothing was done.", code="form_token")
    # Who is signed in has one token, bound to the session. Who is not has nothing to lose by a form; one that was made
    # in a session that has ended since is told so by what it asks for.
    held = (
        (who.session,) if who.session else (cookie(request, SESSION), who.visit if not who.new_visit else "")
    )
    if not any(value and people.form_token_fits(who.app, value, token) for value in held):
        raise Forbidden(
            "This form was made before you signed in or out, or on another site, so nothing was done. "
            "Go back, load the page again, and send it once more.",
            code="form_token",
        )


Form = Annotated[dict[str, str], Depends(checked_form)]
Upload = Annotated[tuple[dict[str, str], tuple[str, bytes] | None], Depends(checked_upload)]


def refusal(fault: MokujiError) -> JSONResponse:
    """A fault for the scripts of a page: its sentence and its code."""
    return JSONResponse({"message": fault.message, "code": fault.code}, status_of(fault))


def see(address: str) -> RedirectResponse:
    """Go on to another page after a form was taken."""
    return RedirectResponse(address, 303)
