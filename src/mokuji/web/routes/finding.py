"""Finding pages, and the go box."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from mokuji.core.base import names
from mokuji.core.model.wiki import Volume
from mokuji.services.reading import finding
from mokuji.web import addresses
from mokuji.web.pages import Who
from mokuji.web.report_words import WORDS

router = APIRouter()


ROOMS = {
    "Trash": "/-/trash",
    "Changes": "/-/changes",
    "Tasks": "/-/tasks",
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
            (f"Upkeep: {words.heading}", volume.title, addresses.upkeep(volume.key, name))
            for name, words in WORDS.items()
        ]
    for title, place, address in places:
        if len(typed) > 1 and typed.lower() in title.lower():
            yield {"title": title, "place": place, "hint": "", "href": address, "kind": "act"}


@router.get("/-/find")
def find(who: Who, words: str = "", volume: str = "", page: int = 0) -> Response:
    """Pages by name and by words."""
    found = finding.find(who.app, who.actor, words, volume, max(0, min(page, 50)))
    return who.page("find.html", found=found, page=page, lit="find")


@router.get("/-/go")
def go_box(who: Who, typed: str = "", volume: str = "") -> Response:
    """The rows of the go box, as JSON."""
    found = finding.go_box(who.app, who.actor, typed, volume)
    rows = [
        {
            "title": each.title,
            "place": found.volumes[each.volume].title,
            "hint": f"also “{each.alias}”"
            if each.alias
            else ("near spelling" if each.near else each.summary),
            "href": addresses.page(found.volumes[each.volume].key, each.key),
            "kind": "page",
            "near": each.near,
        }
        for each in found.named
    ]
    rows += [
        {
            "title": hit.title,
            "place": found.volumes[hit.volume].title,
            "hint": "".join(piece.words for piece in hit.pieces),
            "href": addresses.page(found.volumes[hit.volume].key, hit.key),
            "kind": "text",
        }
        for hit in found.hits
    ]
    if found.writable is not None:
        rows.append(
            {
                "title": f"Write a new page “{found.words}”",
                "place": found.writable.title,
                "hint": "",
                "href": addresses.act("edit", found.writable.key, names.key(found.words), title=found.words),
                "kind": "write",
            }
        )
    rows += _places(found.words, found.scope)
    return JSONResponse({"rows": rows, "scope": found.scope.title if found.scope else ""})
