"""Finding pages, and the go box."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import JSONResponse, Response

from mokuji.core import names
from mokuji.services import finding
from mokuji.web import addresses
from mokuji.web.pages import Who

router = APIRouter()


@router.get("/-/find")
def find(who: Who, words: str = "", volume: str = "", page: int = 0) -> Response:
    """Pages by name and by words."""
    found = finding.find(who.desk, who.actor, words, volume, max(0, min(page, 50)))
    return who.page("find.html", found=found, page=page, lit="find")


@router.get("/-/go")
def go_box(who: Who, typed: str = "", volume: str = "") -> Response:
    """The rows of the go box, as JSON."""
    found = finding.go_box(who.desk, who.actor, typed, volume)
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
    return JSONResponse({"rows": rows, "scope": found.scope.title if found.scope else ""})
