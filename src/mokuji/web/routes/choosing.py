"""Several pages chosen for one act."""

from __future__ import annotations

from typing import Annotated

from fastapi import Query
from fastapi.responses import Response

from mokuji import routing
from mokuji.acts.pages.several import MOST
from mokuji.core.base.errors import BadRequest
from mokuji.services.reading.choosing import to_choose
from mokuji.web import addresses
from mokuji.web.pages import Who, see

router = routing.router()
_ACTS = ("delete", "move")


@router.get("/-/several/{volume}")
def several(who: Who, volume: str, named: str = "", after: str = "") -> Response:
    """The pages of a volume, to mark some of them."""
    view = to_choose(who.app, who.actor, volume, named, after)
    return who.page("choose.html", view=view, named=named, lit="read")


@router.get("/-/chosen/{volume}")
def chosen(volume: str, act: str = "delete", page: Annotated[list[str] | None, Query()] = None) -> Response:
    """Leads to the plan of an act on the pages that were marked."""
    if not page:
        raise BadRequest("No page is marked. Mark those that are meant, then plan what becomes of them.")
    if len(page) > MOST:
        raise BadRequest(f"{len(page)} pages are marked; {MOST} go into one plan.")
    name = act if act in _ACTS else _ACTS[0]
    return see(addresses.plan(name, volume, page[0], also="\n".join(page[1:])))
