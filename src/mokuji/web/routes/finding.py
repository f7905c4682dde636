"""Finding pages, and the go box."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.core.base import names
from mokuji.core.model.wiki import Volume
from mokuji.services.reading import questions, searching
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.web import addresses, filters
from mokuji.web.pages import Form, Who, see

router = routing.router()


ROOMS = {
    "Trash": "/-/trash",
    "Changes": "/-/changes",
    "Tasks": "/-/tasks",
    "Inbox": "/-/inbox",
    "What you are told of": "/-/told-of",
    "Find": "/-/find",
    "All volumes": "/",
}
"""Rooms of the whole wiki, with their paths."""


def _places(typed: str, volume: Volume | None) -> Iterator[dict[str, object]]:
    """Rooms of the wiki, and reports of the volume in hand, whose names have what is typed in them."""
    places = [(title, "", addresses.at(path)) for title, path in ROOMS.items()]
    if volume is not None:
        places.append(("Upkeep", volume.title, addresses.upkeep(volume.key)))
        places += [
            (f"Upkeep: {report.heading}", volume.title, addresses.upkeep(volume.key, name))
            for name, report in REPORTS.items()
        ]
    for title, place, address in places:
        if len(typed) > 1 and typed.lower() in title.lower():
            yield {"title": title, "place": place, "hint": "", "href": address, "kind": "act"}


@router.get("/-/find")
def find(who: Who, words: str = "", volume: str = "", page: int = 0) -> Response:
    """Pages by name and by words."""
    page = max(0, min(page, 50))
    answer = searching.find(who.app, who.actor, words, volume, page)
    kept = questions.kept(who.app, who.actor)
    return who.page("find.html", answer=answer, page=page, lit="find", filters=filters, kept=kept)


@router.post("/-/questions")
def keep(who: Who, form: Form) -> Response:
    """Keeps a question by a name."""
    line, volume = form.get("line", ""), form.get("volume", "")
    questions.keep(who.app, who.actor, form.get("name", ""), line, volume, shared="shared" in form)
    return see(addresses.find(line, volume))


@router.post("/-/questions/{number:int}/forget")
def forget(who: Who, number: int, form: Form) -> Response:
    """Keeps a question no more."""
    questions.forget(who.app, who.actor, number)
    return see(addresses.find())


@router.get("/-/go")
def go_box(who: Who, typed: str = "", volume: str = "") -> Response:
    """The rows of the go box, as JSON."""
    result = searching.go_box(who.app, who.actor, typed, volume)
    rows = [
        {
            "title": named_page.title,
            "place": result.volumes[named_page.volume].title,
            "hint": f"also “{named_page.alias}”"
            if named_page.alias
            else ("near spelling" if named_page.near else named_page.summary),
            "href": addresses.page(result.volumes[named_page.volume].key, named_page.key),
            "kind": "page",
            "near": named_page.near,
        }
        for named_page in result.named
    ]
    rows += [
        {
            "title": each.hit.head.title,
            "place": each.volume.title,
            "hint": " ".join(piece.words for quoted in each.quoted for piece in quoted.pieces),
            "href": addresses.page(each.volume.key, each.hit.head.key),
            "kind": "text",
        }
        for each in result.found
    ]
    if result.writable is not None:
        rows.append(
            {
                "title": f"Write a new page “{result.words}”",
                "place": result.writable.title,
                "hint": "",
                "href": addresses.act(
                    "edit", result.writable.key, names.key(result.words), title=result.words
                ),
                "kind": "write",
            }
        )
    rows += _places(result.words, result.scope)
    return JSONResponse({"rows": rows, "scope": result.scope.title if result.scope else ""})
