"""A volume taken away as a zip of plain files."""

from __future__ import annotations

from fastapi.responses import StreamingResponse

from mokuji import routing
from mokuji.services.folders import exporting
from mokuji.web.pages import Who

router = routing.router()


@router.get("/-/export")
def export_all(who: Who) -> StreamingResponse:
    """All volumes as files, for owners of the wiki."""
    zipped = exporting.zipped_wiki(who.app, who.actor)
    return StreamingResponse(zipped.parts(), media_type=exporting.ZIP, headers=zipped.headers)


@router.get("/-/export/{volume}")
def export(who: Who, volume: str) -> StreamingResponse:
    """All of a volume as files."""
    zipped = exporting.zipped(who.app, who.actor, volume)
    return StreamingResponse(zipped.parts(), media_type=exporting.ZIP, headers=zipped.headers)
