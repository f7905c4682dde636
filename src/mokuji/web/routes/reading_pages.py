"""Reading: the start, a volume, a page, its backlinks. The last routes, since they take every address."""

from __future__ import annotations

from functools import partial
from typing import Annotated

from fastapi import Query
from fastapi.responses import JSONResponse, RedirectResponse, Response

from mokuji import routing
from mokuji.core.base.errors import Missing
from mokuji.core.base.names import key
from mokuji.services import first_owner
from mokuji.services.reading import levels, reading, templates
from mokuji.services.writing import drafts
from mokuji.services.writing.fields import of_page
from mokuji.upkeep import one_page
from mokuji.web import addresses
from mokuji.web.pages import Visitor, Who, see
from mokuji.web.show import heading_lines, places, safe

router = routing.router()
MOST_BEHIND = 10_000_000
"""Maximum ordinal in a level of the contents that is looked for."""
CONTINUED = 5
"""Maximum number of drafts that are offered on the start page."""


@router.get("/")
def start(who: Who) -> Response:
    """The list of volumes; the first start while nobody is there."""
    if not who.actor.signed_in and first_owner.wanted(who.app):
        return see(addresses.at("/-/first-start"))
    begun, by_id = drafts.mine(who.app, who.actor)
    return who.page(
        "wiki.html",
        volumes=reading.start(who.app, who.actor),
        begun=begun[:CONTINUED],
        more=len(begun),
        by_id=by_id,
    )


@router.get("/-/backlinks/{volume}/{page:path}")
def backlinks(who: Who, volume: str, page: str, after: str = "") -> Response:
    """All pages that lead to one, each with its sentences."""
    place, head, found, volumes = reading.all_backlinks(who.app, who.actor, volume, page, after)
    return who.page("backlinks.html", place=place, head=head, found=found, volumes=volumes)


@router.get("/-/levels/{volume}")
def contents_levels(
    who: Who,
    volume: str,
    under: Annotated[list[str] | None, Query()] = None,
    behind: int = 0,
    to: str = "",
    named: str = "",
) -> Response:
    """Levels of the contents of a volume, as JSON: those that lead ``to`` a name, those with what is ``named`` so, or
    those ``under`` names, each behind its first entries."""
    if to:
        found = levels.around(who.app, who.actor, volume, to)
    elif named:
        found = levels.named(who.app, who.actor, volume, named)
    else:
        found = levels.below(who.app, who.actor, volume, under or [""], max(0, min(behind, MOST_BEHIND)))
    shown = [
        {
            "under": level.under,
            "total": level.total,
            "rows": [
                {
                    "nth": entry.nth,
                    "key": entry.key,
                    "title": entry.title,
                    "href": addresses.page(key(volume), entry.key),
                    "written": entry.page is not None,
                    "led": entry.led_to_by,
                    "branch": entry.branch,
                }
                for entry in level.entries
            ],
        }
        for level in found.levels
    ]
    return JSONResponse({"more": found.more, "levels": shown})


@router.get("/{volume}")
def open_volume(who: Who, volume: str, look: str = "") -> Response:
    """A volume's start."""
    if volume != volume_segment(volume):
        return RedirectResponse(addresses.page(key(volume)), 308)
    return who.once(partial(_open_volume, who, volume, look))


def _open_volume(who: Visitor, volume: str, look: str) -> Response:
    try:
        view = reading.open_volume(who.app, who.actor, volume, look)
    except Missing:
        moved = _moved(who, volume, "")
        if moved is None:
            raise
        return moved
    if isinstance(view, reading.PageView):
        return _page(who, view, start=True)
    return who.page("volume.html", place=view)


def volume_segment(volume: str) -> str:
    """The one way to write a volume in an address."""
    return key(volume).replace(" ", "-")


@router.get("/{volume}/{page:path}")
def open_page(who: Who, volume: str, page: str, look: str = "") -> Response:
    """A page, or what is known of a name without one."""
    return who.once(partial(_open_page, who, volume, page, look))


def _open_page(who: Visitor, volume: str, page: str, look: str) -> Response:
    try:
        view = reading.open_page(who.app, who.actor, volume, page, look)
    except Missing:
        moved = _moved(who, volume, page)
        if moved is None:
            raise
        return moved
    if isinstance(view, reading.UnwrittenView):
        moved = _moved(who, volume, page)
        if moved is not None:
            return moved
        return who.page("unwritten.html", 404, place=view.place, view=view)
    if page != view.head.key.replace(" ", "-"):
        return RedirectResponse(addresses.page(view.place.volume.key, view.head.key), 308)
    return _page(who, view, start=False)


def _moved(who: Visitor, volume: str, page: str) -> Response | None:
    """Where a former address leads now. Not for good: the name may be used again."""
    now = reading.formerly(who.app, who.actor, volume, page)
    return RedirectResponse(addresses.page(*now), 307) if now else None


def _page(who: Visitor, view: reading.PageView, *, start: bool) -> Response:
    shown = view.rendered(
        who.app,
        places(
            who.app,
            who.actor,
            may_write=view.place.may_write,
            under=view.head.key,
            volume=view.place.volume.key,
            revision=view.head.revision,
        ),
    )
    content = view.ready.page.content
    template = None
    if content.declared.template:
        to = places(who.app, who.actor, may_write=view.place.may_write, under=view.head.key)
        template = templates.about(who.app, who.actor, view.head, to)
    return who.page(
        "page.html",
        keep=shown.lasting,
        place=view.place,
        view=view,
        html=safe(shown),
        shown=shown,
        listed=content.front_matter.words("contents").lower(),
        looked_at=view.place.may_write and len(view.ready.page.text) <= one_page.LONGEST,
        summary=content.front_matter.words("summary"),
        aliases=content.front_matter.names("aliases"),
        start=start,
        fields=of_page(view.ready.page),
        as_template=template,
        heading_lines=heading_lines(view.ready.page),
        volumes={volume.id: volume for volume in view.place.others},
    )
