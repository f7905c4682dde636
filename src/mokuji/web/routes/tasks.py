"""Tasks of all pages: gathered, ticked, told to other programs."""

from __future__ import annotations

from datetime import date
from typing import Literal

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.core.base.errors import MokujiError
from mokuji.formats.tasks import calendar, todo_txt
from mokuji.services import site
from mokuji.services.writing import tasks
from mokuji.services.writing.tasks import By
from mokuji.web import addresses
from mokuji.web.pages import Form, Who, get_app, refusal, see

router = routing.router()
BYS: dict[By, str] = {
    "date": "Day",
    "priority": "Priority",
    "person": "Person",
    "page": "Page",
    "category": "Category",
}
"""By what tasks are grouped, in words."""


def _day(typed: str) -> date | None:
    try:
        return date.fromisoformat(typed)
    except ValueError:
        return None


@router.get("/-/tasks")
def listing(
    who: Who,
    by: By = "date",
    person: str = "",
    volume: str = "",
    page: str = "",
    category: str = "",
    day: str = "",
    done: bool = False,
    screen: int = 0,
) -> Response:
    """The tasks of all pages that one may read."""
    view = tasks.listing(
        who.app,
        who.actor,
        by=by,
        person=person,
        volume_key=volume,
        page_key=page,
        category=category,
        day=_day(day),
        done=done,
        screen=screen,
    )
    kept = {"by": by if by != "date" else "", "person": person, "volume": volume, "page": page}
    kept |= {"category": category, "day": day, "done": "1" if done else ""}
    kept["from"] = who.request.query_params.get("from", "")
    return who.page(
        "tasks.html",
        view=view,
        kept=kept,
        bys=BYS,
        screen=screen,
        category=category,
        calendars=site.absolute(addresses.at("/-/calendar")),
        lit="tasks",
    )


@router.get("/-/tasks.txt")
def as_text(who: Who, person: str = "") -> Response:
    """Open tasks as todo.txt."""
    lines = tasks.lines(who.app, who.actor, addresses.page, person=person)
    headers = {"Content-Disposition": 'attachment; filename="todo.txt"'}
    return Response(todo_txt(lines), 200, headers, "text/plain; charset=utf-8")


@router.get("/-/calendar/{token}.ics")
def feed(request: Request, token: str) -> Response:
    """Somebody's tasks as a calendar that programs look at by themselves: who knows the address may read it."""
    app = get_app(request)
    actor, person = tasks.feed(app, token)
    lines = tasks.lines(
        app, actor, lambda volume, page: site.absolute(addresses.page(volume, page)), person=person
    )
    title = f"Tasks of @{person}" if person else "Tasks"
    headers = {"Cache-Control": "private, no-cache", "Referrer-Policy": "no-referrer"}
    return Response(calendar(lines, title), 200, headers, "text/calendar; charset=utf-8")


@router.post("/-/calendar-address")
def renew(who: Who, form: Form) -> Response:
    """New addresses for one's calendars."""
    tasks.renew_feeds(who.app, who.actor)
    return see(addresses.tasks() + "#calendar")


@router.post("/-/tick/{volume}/{page:path}")
def tick(who: Who, form: Form, volume: str, page: str) -> Response:
    """Ticks a task of a page, or opens it again."""
    number, revision = form.get("number", ""), form.get("revision", "")
    done: Literal[True, False] = form.get("done", "") == "1"
    fit = all(each.isdecimal() and len(each) < 9 for each in (number, revision))
    try:
        head = tasks.tick(
            who.app,
            who.actor,
            volume,
            page,
            int(number) if fit else -1,
            int(revision) if fit else 0,
            done=done,
        )
    except MokujiError as fault:
        if "back" in form:
            raise
        return refusal(fault)
    if "back" in form:
        back = form["back"]
        return see(back if addresses.is_local(back) else addresses.tasks())
    return JSONResponse({"page": head.title})
