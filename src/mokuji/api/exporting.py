"""Volumes taken away, as JSON's neighbours: zips of plain files."""

from __future__ import annotations

from typing import Any

from fastapi.responses import StreamingResponse

from mokuji import routing
from mokuji.api.asking import FAULTS, Changer, TheApp
from mokuji.services.folders import exporting

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


A_ZIP: dict[int | str, dict[str, Any]] = {
    200: {
        "description": "A zip",
        "content": {exporting.ZIP: {"schema": {"type": "string", "format": "binary"}}},
    }
}


@router.get("/export", response_class=StreamingResponse, responses=A_ZIP)
def export_all(app: TheApp, actor: Changer) -> StreamingResponse:
    """All volumes as files, for owners of the wiki."""
    zipped = exporting.zipped_wiki(app, actor)
    return StreamingResponse(zipped.parts(), media_type=exporting.ZIP, headers=zipped.headers)


@router.get("/volumes/{volume}/export", response_class=StreamingResponse, responses=A_ZIP)
def export(app: TheApp, actor: Changer, volume: str) -> StreamingResponse:
    """All of a volume as files, which can be imported again."""
    zipped = exporting.zipped(app, actor, volume)
    return StreamingResponse(zipped.parts(), media_type=exporting.ZIP, headers=zipped.headers)
