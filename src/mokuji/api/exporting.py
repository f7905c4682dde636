"""Volumes taken away, as JSON's neighbours: zips of plain files."""

from __future__ import annotations

from fastapi.responses import StreamingResponse

from mokuji import routing
from mokuji.api.asking import FAULTS, Changer, TheApp
from mokuji.services.folders import exporting

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


@router.get(
    "/volumes/{volume}/export",
    response_class=StreamingResponse,
    responses={
        200: {
            "description": "A zip",
            "content": {exporting.ZIP: {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
def export(app: TheApp, actor: Changer, volume: str) -> StreamingResponse:
    """All of a volume as files, which can be imported again."""
    zipped = exporting.zipped(app, actor, volume)
    return StreamingResponse(zipped.parts(), media_type=exporting.ZIP, headers=zipped.headers)
