"""Volumes and pages taken away as files of several forms; folders and zips that are brought to a volume, and what is
chosen of them. Taking one in is an act."""

from __future__ import annotations

import json
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass
from typing import IO, Annotated

from fastapi import Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import JSONResponse, Response, StreamingResponse
from starlette.datastructures import UploadFile

from mokuji import routing
from mokuji.core.base.errors import BadFile, BadRequest, MokujiError
from mokuji.formats.zip_in import MOST_FILES
from mokuji.services.folders import brought, exporting
from mokuji.services.folders.whole import zipped_whole
from mokuji.services.publishing import taking_away
from mokuji.services.spool import Outgoing
from mokuji.web import addresses
from mokuji.web.pages import Form, Who, check_token, refusal, see

router = routing.router()

FOLDER = "folder"
"""The form of a volume that can be brought back."""
MOST_BYTES = 100_000_000
"""Maximum number of bytes that are brought at once."""


@dataclass(frozen=True, slots=True)
class Sent:
    """What came along with a form: its fields, and files by the names that the browser gave them."""

    fields: dict[str, str]
    files: Sequence[tuple[str, IO[bytes]]]


async def sent_files(request: Request, who: Who, volume: str) -> AsyncIterator[Sent]:
    """A form with files, which are kept beside the memory until it is done with. Who may not bring anything is told so
    before the files are read."""
    await run_in_threadpool(brought.check_may_bring, who.app, who.actor, volume)
    async with request.form(max_part_size=1_000_000, max_files=MOST_FILES, max_fields=100) as form:
        fields = {name: value for name, value in form.multi_items() if isinstance(value, str)}
        files = [
            (value.filename or "", value.file)
            for _, value in form.multi_items()
            if isinstance(value, UploadFile)
        ]
        check_token(request, who, fields.get("token", ""))
        yield Sent(fields, files)


@router.get("/-/export")
def export_all(who: Who, whole: str = "") -> Response:
    """All volumes as files, for owners of the wiki; with ``whole`` also history, people and rights."""
    made = zipped_whole if whole else exporting.zipped_wiki
    return _sent_off(made(who.app, who.actor))


@router.get("/-/take-away/{volume}")
@router.get("/-/take-away/{volume}/{page}")
def take_away(
    who: Who, volume: str, page: str = "", reach: str = "", form: str = "", stays: str = ""
) -> Response:
    """Where it is chosen what is taken away, and as what; with ``stays`` also what would stay behind."""
    view = taking_away.choice(who.app, who.actor, volume, page)
    reach = reach or ("page" if page else "volume")
    left, told = None, False
    if stays and form == FOLDER:
        left, told = taking_away.left_of_folder(who.app, who.actor, volume), True
    elif stays:
        what, as_form = taking_away.asked(volume, page, reach, form)
        left, told = taking_away.left_behind(who.app, who.actor, what, as_form), True
    return who.page(
        "take_away.html",
        place=view.place,
        view=view,
        reach=reach,
        form=form or ("html" if page else FOLDER),
        left=left,
        told=told,
        most_looked_at=taking_away.MOST_LOOKED_AT,
    )


@router.get("/-/taken-away/{volume}")
@router.get("/-/taken-away/{volume}/{page}")
def taken_away(who: Who, volume: str, page: str = "", reach: str = "", form: str = "") -> Response:
    """Pages as what other programs read, or a volume as a folder that comes back."""
    if form == FOLDER:
        return _sent_off(exporting.zipped(who.app, who.actor, volume))
    what, as_form = taking_away.asked(volume, page, reach, form)
    return _sent_off(taking_away.sent(who.app, who.actor, what, as_form))


def _sent_off(sent: Outgoing) -> Response:
    return StreamingResponse(sent.parts(), media_type=sent.type, headers=sent.headers)


@router.get("/-/bring/{volume}")
def waiting(who: Who, volume: str) -> Response:
    """Where a folder or a zip is brought to a volume, and those that wait there."""
    view = brought.listed(who.app, who.actor, volume)
    return who.page("bring.html", place=view.place, view=view, kept_days=brought.KEPT_DAYS, most=MOST_BYTES)


@router.post("/-/bring/{volume}")
def bring(who: Who, sent: Annotated[Sent, Depends(sent_files)], volume: str) -> Response:
    """Keeps what was brought, and goes on to its plan; a script is told the address."""
    script = "script" in sent.fields
    try:
        number = _received(who, volume, sent)
    except MokujiError as fault:
        if script:
            return refusal(fault)
        raise
    address = addresses.volume("bring-back", volume, folder=number)
    return JSONResponse({"address": address}) if script else see(address)


def _received(who: Who, volume: str, sent: Sent) -> int:
    files = [(name, file) for name, file in sent.files if name]
    if not files:
        raise BadFile("Nothing came along. Choose a zip or a folder.", code="no_file")
    if len(files) == 1 and files[0][0].lower().endswith(".zip"):
        return brought.receive_zip(who.app, who.actor, volume, *files[0])
    try:
        paths = json.loads(sent.fields["paths"]) if "paths" in sent.fields else [name for name, _ in files]
    except ValueError:
        paths = None
    if not isinstance(paths, list) or len(paths) != len(files) or not all(isinstance(p, str) for p in paths):
        raise BadRequest(
            "The names of the files did not come along. Load the page again, and bring them once more."
        )
    opened = [(path, file) for path, (_, file) in zip(paths, files, strict=True)]
    return brought.receive_files(who.app, who.actor, volume, opened)


@router.post("/-/brought/{volume}/{folder}")
def choose(who: Who, form: Form, volume: str, folder: int) -> Response:
    """Lets one side count for one thing, or for all that is open; or discards the folder."""
    if "discard" in form:
        brought.discard(who.app, who.actor, volume, folder)
        return see(addresses.act("bring", volume))
    side = form.get("side", "")
    if "all" in form:
        brought.choose_all(who.app, who.actor, volume, folder, side)
    else:
        brought.choose(who.app, who.actor, volume, folder, {form.get("item", ""): side})
    return see(addresses.volume("bring-back", volume, folder=folder))
