"""Files of a volume: brought by the desk or from their list, and given to browsers so that nothing in them runs."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import JSONResponse, Response

from mokuji import routing
from mokuji.core.base.errors import BadFile, MokujiError
from mokuji.core.base.names import key
from mokuji.core.syntax import files as naming
from mokuji.services.writing import files
from mokuji.services.writing.files import Brought, Which
from mokuji.web import addresses
from mokuji.web.pages import Form, Upload, Who, refusal, see

router = routing.router()
_INLINE = ("image/", "video/", "audio/", "text/plain", "application/pdf")
# What is in a file cannot reach the wiki: no script, no form, no origin. Drawings have styles of their own.
_POLICY = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; media-src 'self'; sandbox"
# Browsers show a PDF with a part of their own, which a sandbox shuts out; it has no scripts of this site's origin.
_PDF_POLICY = "frame-ancestors 'none'"


@router.get("/-/file/{volume}/{name:path}")
def file(who: Who, request: Request, volume: str, name: str) -> Response:
    """A file, whole or in part."""
    number = request.query_params.get("version", "")
    if number.isdecimal() and len(number) < 9:
        found = files.version(who.app, who.actor, volume, name, int(number))
    else:
        found = files.fetch(who.app, who.actor, volume, name)
    asked = request.query_params.get("w", "")
    small = files.scaled(who.app, found, int(asked)) if asked.isdecimal() and len(asked) < 6 else None
    etag = f'"{found.hash[:16].hex()}{f"-{asked}" if small is not None else ""}"'
    how = "inline" if found.type.startswith(_INLINE) else "attachment"
    # With `?v=` the address is another one when the content is.
    lasting = request.query_params.get("v") == found.hash[:6].hex()
    headers = {
        "ETag": etag,
        "Cache-Control": "private, max-age=86400, immutable" if lasting else "private, no-cache",
        "X-Content-Type-Options": "nosniff",
        "Content-Security-Policy": _PDF_POLICY if found.type == "application/pdf" else _POLICY,
        "Content-Disposition": f"{how}; filename*=UTF-8''{naming.destination(found.name)}",
        "Accept-Ranges": "bytes",
    }
    if request.headers.get("if-none-match") == etag:
        return Response(status_code=304, headers=headers)
    if small is not None:
        return Response(small, 200, {**headers, "Accept-Ranges": "none"}, "image/webp")
    data = files.content(who.app, found)
    part = _range(request.headers.get("range", ""), len(data))
    if part is not None and request.headers.get("if-range", etag) == etag:
        start, end = part
        headers["Content-Range"] = f"bytes {start}-{end - 1}/{len(data)}"
        return Response(data[start:end], 206, headers, found.type)
    return Response(data, 200, headers, found.type)


def _range(asked: str, size: int) -> tuple[int, int] | None:
    """One range of bytes as it is asked for (RFC 9110, 14.2); None for none, several, or one that is not there."""
    unit, _, listed = asked.partition("=")
    first, dash, last = listed.strip().partition("-")
    if unit.strip() != "bytes" or not dash or "," in listed:
        return None
    if first.isdecimal() and len(first) < 16:
        start = int(first)
        end = min(int(last) + 1, size) if last.isdecimal() and len(last) < 16 else size
    elif not first and last.isdecimal() and len(last) < 16:
        start, end = max(0, size - int(last)), size
    else:
        return None
    return (start, end) if start < end else None


@router.post("/-/file/{volume}")
def bring(who: Who, sent: Upload, volume: str) -> Response:
    """Keeps a file that was pasted, dropped or chosen; answers with the text that shows it."""
    form, file_ = sent
    try:
        if file_ is None:
            raise BadFile("No file came along. Choose one.")
        name = form.get("name", "").strip() or file_[0]
        brought = files.bring(who.app, who.actor, volume, name, file_[1])
    except MokujiError as fault:
        if "back" in form:
            raise
        return refusal(fault)
    if "back" in form:
        return see(addresses.files(volume))
    return JSONResponse(_told(brought))


def _told(brought: Brought) -> dict[str, Any]:
    file_ = brought.file
    picture = file_.type.startswith(("image/", "video/", "audio/"))
    return {
        "name": file_.name,
        "destination": naming.destination(file_.name),
        "picture": picture,
        "known": brought.known,
    }


@router.post("/-/file-name/{volume}")
def call(who: Who, form: Form, volume: str) -> Response:
    """Another name for a file that was brought just now."""
    try:
        found = files.call(who.app, who.actor, volume, form.get("name", ""), form.get("new", ""))
    except MokujiError as fault:
        return refusal(fault)
    return JSONResponse({"name": found.name, "destination": naming.destination(found.name)})


@router.post("/-/file-stage/{volume}/{name:path}")
def stage(who: Who, sent: Upload, volume: str, name: str) -> Response:
    """Takes what is to be put in the place of a file, and shows the plan of it."""
    _, file_ = sent
    if file_ is None:
        raise BadFile("No file came along. Choose one.")
    content = files.stage(who.app, who.actor, volume, name, file_[1])
    return see(addresses.plan_file("file-replace", key(volume), name, content=content))


@router.get("/-/about-file/{volume}/{name:path}")
def about(who: Who, volume: str, name: str) -> Response:
    """A file: what it shows, where it is named, what it was."""
    view = files.about(who.app, who.actor, volume, name)
    return who.page("file.html", view=view, place=view.place, lit="materials")


@router.get("/-/files/{volume}")
def all_files(who: Who, volume: str, after: str = "", which: Which = "all") -> Response:
    """The files of a volume."""
    view = files.files_of(who.app, who.actor, volume, after, which)
    return who.page("files.html", view=view, place=view.place, lit="materials")


@router.get("/-/file-names/{volume}")
def names(who: Who, volume: str, typed: str = "") -> Response:
    """Files to choose from while a name is typed."""
    found = files.files_like(who.app, who.actor, volume, typed)
    return JSONResponse(
        [{"name": f.name, "destination": naming.destination(f.name), "type": f.type} for f in found]
    )
