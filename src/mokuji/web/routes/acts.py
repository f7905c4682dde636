"""Acts: what is asked for, the plan, the doing; contents as text; the log.

All acts go one way: an address with the request in its query shows the plan, and
a form with the digest of that plan does it. Which acts there are, and what each asks for, says the registry.
"""

from __future__ import annotations

from typing import Any
from urllib.parse import parse_qsl, urlencode

from fastapi import Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mokuji import routing
from mokuji.acts import doing, log, registry, words
from mokuji.acts.act import About, Act
from mokuji.acts.request import Fields, from_fields, number
from mokuji.acts.requests import CreateVolume, Place, Restore, Undo
from mokuji.acts.requests import Request as Asked
from mokuji.acts.view import Applied, PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, MokujiError
from mokuji.core.diff.diff import changed_lines
from mokuji.services.reading import reading
from mokuji.web import addresses
from mokuji.web.pages import Form, Visitor, Who, refusal, see
from mokuji.web.plan_addresses import plan_of

router = routing.router()

SHOWN_PAGES = 25
SHOWN_LINES = 6
SEVERAL = ("rows", "page", "keep", "libraries", "only", "do", "change")
"""Fields that can be there several times."""
ON_PAGES = {act.address: act for act in registry.on_pages()}
ON_VOLUMES = {act.address: act for act in registry.on_volumes()}
OF_SETTINGS = frozenset({"access", "language", "libraries", "rename volume"})
"""Acts that one comes to from the settings of a volume."""
_LIT = {About.CHANGE: "changes", About.TRASH: "changes", About.FILE: "materials", About.SOURCE: "materials"}


def _query(request: Request) -> dict[str, str]:
    """The fields of an address; of a field that comes several times all, one a line."""
    found: dict[str, str] = {}
    for name, value in parse_qsl(request.url.query, keep_blank_values=True):
        found[name] = f"{found[name]}\n{value}" if name in found else value
    return found


def _plan_page(who: Visitor, view: PlanView, query: Fields, *, asked: bool, stale: bool = False) -> Response:
    most = SHOWN_PAGES * (min(number(query, "more"), 400) + 1)
    shown = view.changes[:most]
    refused = asked and view.refusal is not None
    kept = {key: value for key, value in query.items() if key not in {"more", "token", "digest", "note"}}
    return who.page(
        "plan.html",
        409 if refused or stale else 200,
        view=view,
        asked=asked,
        stale=stale,
        query=kept,
        several=SEVERAL,
        more_at="?" + urlencode({**kept, "more": str(number(query, "more") + 1)}),
        back=_back(view),
        done=registry.done,
        instead=_instead(view),
        sentence=words.sentence(view) if asked else "",
        button=words.button(view),
        placings=words.placings(view),
        shown=shown,
        lines={
            change.head.id: changed_lines(change.before, change.edits, SHOWN_LINES + 1) for change in shown
        },
        most_lines=SHOWN_LINES,
        lit=_LIT.get(view.act.about, "read"),
    )


def _back(view: PlanView) -> str:
    """Where one comes from who plans an act."""
    about, asked, place = view.act.about, view.request, view.place
    if about is About.CHANGE and view.taken_back is not None:
        return addresses.change(view.taken_back.id)
    if about is About.TRASH:
        return addresses.trash()
    if place is None:
        return addresses.changes()
    if view.act.name == "role":
        return addresses.volume_people(place.volume.key)
    if view.act.name == "bring back":
        return addresses.act("bring", place.volume.key)
    if view.act.name in OF_SETTINGS and place.may_manage:
        return addresses.settings(place.volume.key)
    of: dict[About, Any] = {
        About.FILE: lambda: addresses.about_file(place.volume.key, getattr(asked, "file", "")),
        About.SOURCE: lambda: addresses.source(getattr(asked, "source", "")),
        About.CATEGORY: lambda: addresses.category(place.volume.key, getattr(asked, "page", "")),
    }
    if about in of:
        return str(of[about]())
    return addresses.page(place.volume.key, view.head.key if view.head else "")


def _instead(view: PlanView) -> dict[str, str] | None:
    """What can be asked for instead of what was refused."""
    offered = view.act.instead(view, view.request)
    if offered is None:
        return None
    said, asked = offered
    return {"words": said, "address": plan_of(asked)}


def _act(known: dict[str, Act[Any, Any]], name: str, about: str) -> Act[Any, Any]:
    if name not in known:
        raise Missing(f"There is no such act on a {about}.")
    return known[name]


def _is_asked(act: Act[Any, Any], asked: Asked, query: Fields) -> bool:
    """Whether its question was answered."""
    return not act.asks(asked) or act.asked in query


@router.get("/-/plan/{name}/{volume}/{page:path}")
def plan(who: Who, request: Request, name: str, volume: str, page: str) -> Response:
    """The plan of an act on a page; before its question is answered, the question."""
    query = _query(request)
    act = _act(ON_PAGES, name, "page")
    asked = from_fields(act.request, query, volume, page)
    answered = _is_asked(act, asked, query)
    if query.get("texts") == "edited" and "edited" not in query:
        answered = False  # the text of both is shown first, to be brought together
    try:
        view = doing.plan(who.app, who.actor, asked)
    except Missing as missing:
        return _at_its_new_address(who, missing, name, volume, page, query)
    return _plan_page(who, view, query, asked=answered)


def _at_its_new_address(
    who: Visitor, missing: Missing, name: str, volume: str, page: str, query: Fields
) -> Response:
    """The plan of a page that was renamed or moved while somebody thought about it, at its address of now; Missing for
    one that is not there at all."""
    there = reading.formerly(who.app, who.actor, volume, page) if missing.code == "page_missing" else None
    if there is None or there[1] is None:
        raise missing
    kept = {key: value for key, value in query.items() if key not in {"token", "digest", "note"}}
    return see(addresses.plan(name, there[0], there[1], **kept))


@router.post("/-/plan/{name}/{volume}/{page:path}")
def do(who: Who, form: Form, name: str, volume: str, page: str) -> Response:
    """Does the act that was seen; shows the fresh plan if it is another one by now."""
    act = _act(ON_PAGES, name, "page")
    try:
        return _do(who, from_fields(act.request, form, volume, page), form)
    except Missing as missing:
        return _at_its_new_address(who, missing, name, volume, page, form)


def _do(who: Visitor, asked: Asked, form: Fields) -> Response:
    done = doing.apply(who.app, who.actor, asked, form.get("digest", ""), note=form.get("note", ""))
    if isinstance(done, Applied):
        return see(addresses.change(done.change_set) + "?done=1")
    return _plan_page(who, done, form, asked=True, stale=bool(form.get("digest")))


def _at_once(who: Visitor, asked: Asked) -> Response:
    """Does an act if it changes nothing but the contents; otherwise its plan is to be looked at first."""
    view = doing.plan(who.app, who.actor, asked)
    made = view.plan
    if made is None or not view.can_be_done or not made.only_places:
        return JSONResponse({"change": None})
    done = doing.apply(who.app, who.actor, asked, view.digest)
    return JSONResponse({"change": done.change_set if isinstance(done, Applied) else None})


@router.post("/-/place-now/{volume}/{page:path}")
def place_now(who: Who, form: Form, volume: str, page: str) -> Response:
    """Another place for a page, at once where no text changes by it; for the script of the contents."""
    try:
        return _at_once(who, from_fields(Place, form, volume, page))
    except MokujiError as fault:
        return refusal(fault)


@router.post("/-/undo-now/{number}")
def undo_now(who: Who, form: Form, number: int) -> Response:
    """Takes such an act back."""
    try:
        return _at_once(who, from_fields(Undo, {}, str(number)))
    except MokujiError as fault:
        return refusal(fault)


@router.get("/-/rename/{volume}/{page:path}")
def rename(volume: str, page: str) -> Response:
    """The address that renaming had."""
    return RedirectResponse(addresses.plan("rename", volume, page), 308)


@router.get("/-/volume/{name}/{volume}")
def plan_volume(who: Who, request: Request, name: str, volume: str) -> Response:
    """The plan of an act on a volume."""
    query = _query(request)
    act = _act(ON_VOLUMES, name, "volume")
    asked = _of_volume(act, query, volume)
    return _plan_page(who, doing.plan(who.app, who.actor, asked), query, asked=_is_asked(act, asked, query))


@router.post("/-/volume/{name}/{volume}")
def do_volume(who: Who, form: Form, name: str, volume: str) -> Response:
    """Does an act on a volume that was seen. Contents are sent as a form first, since they can be long."""
    act = _act(ON_VOLUMES, name, "volume")
    asked = _of_volume(act, form, volume)
    if not _is_asked(act, asked, form):
        return see(addresses.volume(name, volume))  # without its answer, the question
    return _do(who, asked, form)


def _of_volume(act: Act[Any, Any], given: Fields, volume: str) -> Asked:
    # Of an act that is for pages, too, no page is in hand.
    subject = (volume, "") if act.for_volumes else (volume,)
    asked: Asked = from_fields(act.request, given, *subject)
    return asked


@router.get("/-/new-volume")
def plan_new_volume(who: Who, request: Request) -> Response:
    """The plan to make a volume."""
    query = _query(request)
    view = doing.plan(who.app, who.actor, from_fields(CreateVolume, query))
    return _plan_page(who, view, query, asked="title" in query)


@router.post("/-/new-volume")
def new_volume(who: Who, form: Form) -> Response:
    """Makes a volume."""
    asked = from_fields(CreateVolume, form)
    done = doing.apply(who.app, who.actor, asked, form.get("digest", ""), note=form.get("note", ""))
    if isinstance(done, Applied):
        return see(addresses.page(names.key(asked.title)))
    return _plan_page(who, done, form, asked=True, stale=bool(form.get("digest")))


@router.post("/-/front/{volume}")
def front(who: Who, form: Form, volume: str) -> Response:
    """Lets a volume open on another page."""
    key = reading.choose_front(who.app, who.actor, volume, form.get("page", "")).key
    return see(addresses.settings(key, done="front") if "settings" in form else addresses.page(key))


@router.get("/-/restore")
def plan_restore(who: Who, request: Request) -> Response:
    """The plan to restore pages."""
    query = _query(request)
    return _plan_page(who, doing.plan(who.app, who.actor, from_fields(Restore, query)), query, asked=True)


@router.post("/-/restore")
def restore(who: Who, form: Form) -> Response:
    """Restores pages."""
    return _do(who, from_fields(Restore, form), form)


@router.get("/-/changes/{number}")
def change(who: Who, number: int, done: bool = False) -> Response:
    """One act with the pages it changed."""
    view = log.one_act(who.app, who.actor, number)
    return who.page("change.html", view=view.act, headline=view.headline, done=done, lit="changes")


@router.get("/-/changes/{number}/undo")
def plan_undo(who: Who, request: Request, number: int) -> Response:
    """What undoing would do."""
    query = _query(request)
    view = doing.plan(who.app, who.actor, from_fields(Undo, query, str(number)))
    return _plan_page(who, view, query, asked=True)


@router.post("/-/changes/{number}/undo")
def undo(who: Who, form: Form, number: int) -> Response:
    """Undoes the act whose undoing was seen."""
    return _do(who, from_fields(Undo, form, str(number)), form)
