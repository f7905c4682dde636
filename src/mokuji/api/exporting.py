"""Volumes and pages taken away as files of several forms, JSON's neighbours."""

from __future__ import annotations

from typing import Any

from fastapi.responses import StreamingResponse
from pydantic import BaseModel

from mokuji import routing
from mokuji.api.asking import FAULTS, Changer, TheApp
from mokuji.core.base.errors import Refused
from mokuji.services.folders import exporting
from mokuji.services.folders.whole import zipped_whole
from mokuji.services.publishing import taking_away
from mokuji.services.publishing.chapters import Reach
from mokuji.services.publishing.forms import TYPES, Form
from mokuji.services.spool import Outgoing

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])


A_ZIP: dict[int | str, dict[str, Any]] = {
    200: {
        "description": "A zip",
        "content": {exporting.ZIP: {"schema": {"type": "string", "format": "binary"}}},
    }
}


A_FILE: dict[int | str, dict[str, Any]] = {
    200: {
        "description": "A file",
        "content": {
            type_.partition(";")[0]: {"schema": {"type": "string", "format": "binary"}}
            for _, type_ in TYPES.values()
        },
    }
}


class LeftBehindSchema(BaseModel):
    """What stays behind: titles of pages that are led to and names without a page, with how often; files that the form
    cannot hold; what could not be shown as it is meant."""

    pages: dict[str, int]
    unwritten: dict[str, int]
    files: dict[str, int]
    problems: list[str]


@router.get("/export", response_class=StreamingResponse, responses=A_ZIP)
def export_all(app: TheApp, actor: Changer, whole: bool = False) -> StreamingResponse:
    """All volumes as files, for owners of the wiki; with ``whole`` also history, people, rights, trash and drafts."""
    return _sent((zipped_whole if whole else exporting.zipped_wiki)(app, actor))


@router.get("/volumes/{volume}/export", response_class=StreamingResponse, responses=A_ZIP)
def export(app: TheApp, actor: Changer, volume: str) -> StreamingResponse:
    """All of a volume as files, which can be imported again."""
    return _sent(exporting.zipped(app, actor, volume))


@router.get("/volumes/{volume}/taken-away", response_class=StreamingResponse, responses=A_FILE)
def taken_away(
    app: TheApp, actor: Changer, volume: str, form: Form, page: str = "", reach: Reach | None = None
) -> StreamingResponse:
    """A volume, or a page of it alone or with all that stands below it, as CommonMark with plain files (a zip), as one
    HTML file, or as a document of a word processor."""
    what, as_form = taking_away.asked(volume, page, reach or "", form)
    return _sent(taking_away.sent(app, actor, what, as_form))


@router.get("/volumes/{volume}/left-behind")
def left_behind(
    app: TheApp, actor: Changer, volume: str, form: Form, page: str = "", reach: Reach | None = None
) -> LeftBehindSchema:
    """What would stay behind of what is led to or named there, of what may be read."""
    what, as_form = taking_away.asked(volume, page, reach or "", form)
    left = taking_away.left_behind(app, actor, what, as_form)
    if left is None:
        raise Refused(
            f"These are more than {taking_away.MOST_LOOKED_AT} pages. What stays behind stands in the zip of "
            "CommonMark.",
            code="too_many_pages",
        )
    return LeftBehindSchema(
        pages=dict(left.pages), unwritten=dict(left.unwritten), files=dict(left.files), problems=left.faults
    )


def _sent(sent: Outgoing) -> StreamingResponse:
    return StreamingResponse(sent.parts(), media_type=sent.type, headers=sent.headers)
