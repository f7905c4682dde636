"""Folders that are brought to a volume as zips, what they would change, and what is chosen of them. To take one in is
the act “bring back”."""

from __future__ import annotations

import tempfile
from collections.abc import AsyncIterator
from typing import IO, Annotated

from fastapi import Depends, Query, Request
from fastapi.concurrency import run_in_threadpool

from mokuji import routing
from mokuji.api import bringing_schemas as schemas
from mokuji.api.asking import FAULTS, Changer, TheApp
from mokuji.services.folders import brought
from mokuji.services.folders.coming_back import Coming

router = routing.router(prefix="/api/v1", responses=FAULTS, tags=["Mokuji"])

IN_MEMORY = 4_000_000
"""Number of bytes of a zip from which on it lies on the disk while it is read."""


async def spooled(request: Request, app: TheApp, actor: Changer, volume: str) -> AsyncIterator[IO[bytes]]:
    """The body, kept beside the memory. Who may not bring anything is told so before it is read."""
    await run_in_threadpool(brought.check_may_bring, app, actor, volume)
    with tempfile.SpooledTemporaryFile(IN_MEMORY) as spool:
        async for part in request.stream():
            spool.write(part)
        spool.seek(0)
        yield spool


@router.post(
    "/volumes/{volume}/brought",
    status_code=201,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/zip": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
def bring(
    app: TheApp,
    actor: Changer,
    volume: str,
    zipped: Annotated[IO[bytes], Depends(spooled)],
    name: Annotated[str, Query(max_length=200)] = "",
) -> schemas.Brought:
    """Bring a folder, as a zip. It waits until it is taken in by the act “bring back”, or discarded."""
    number = brought.receive_zip(app, actor, volume, name or "zip", zipped)
    return next(each for each in waiting(app, actor, volume) if each.folder == number)


@router.get("/volumes/{volume}/brought")
def waiting(app: TheApp, actor: Changer, volume: str) -> list[schemas.Brought]:
    """The folders of one's own that wait at a volume, newest first."""
    found = brought.listed(app, actor, volume).folders
    return [schemas.Brought(folder=each.id, name=each.name, at=each.at, files=each.files) for each in found]


@router.get("/volumes/{volume}/brought/{folder}")
def coming(app: TheApp, actor: Changer, volume: str, folder: int) -> schemas.Coming:
    """What a folder that waits would change by now, and what is to be chosen."""
    return _coming(brought.compared(app, actor, volume, folder))


@router.patch("/volumes/{volume}/brought/{folder}")
def choose(app: TheApp, actor: Changer, volume: str, folder: int, body: schemas.Choices) -> schemas.Coming:
    """Say which side counts."""
    if body.items:
        brought.choose(app, actor, volume, folder, body.items)
    if body.all_open is not None:
        brought.choose_all(app, actor, volume, folder, body.all_open)
    return coming(app, actor, volume, folder)


@router.delete("/volumes/{volume}/brought/{folder}", status_code=204)
def discard(app: TheApp, actor: Changer, volume: str, folder: int) -> None:
    """Discard a folder that waits."""
    brought.discard(app, actor, volume, folder)


def _coming(found: Coming) -> schemas.Coming:
    return schemas.Coming(
        folder=found.folder.id,
        name=found.folder.name,
        based=found.based,
        pages=[
            schemas.ComingPage(
                item=item.id,
                kind=item.kind,
                title=item.title,
                page=item.page.key if item.page is not None else None,
                path=item.file.path if item.file is not None else None,
                clash=item.clash,
                chosen=item.chosen,
                taken=item.taken,
                passages=[
                    schemas.Clashing(base=each.base, here=each.here, folder=each.there)
                    for each in item.passages
                ],
            )
            for item in found.comparison.items
        ],
        files=[
            schemas.ComingFile(
                item=item.id,
                sort="source" if item.sort == "source" else "file",
                kind=item.what,
                name=item.name,
                here=item.here,
                clash=item.clash,
                chosen=item.chosen,
            )
            for item in found.assets
        ],
        order_clashes=found.order.clash,
        open=found.open,
        alike=found.comparison.alike,
        left_out=list(found.said),
    )
