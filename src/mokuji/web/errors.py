"""Faults as people and programs see them: pages in plain words, problem+json (RFC 9457) in the API."""

from __future__ import annotations

from http import HTTPStatus

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from starlette.exceptions import HTTPException

from mokuji.core.errors import MokujiError
from mokuji.web.pages import get_visitor

log = structlog.get_logger("mokuji")

_STATUS = {
    "missing": 404,
    "volume_missing": 404,
    "page_missing": 404,
    "act_missing": 404,
    "forbidden": 403,
    "sign_in": 403,
    "form_token": 403,
    "conflict": 409,
    "edited_meanwhile": 409,
    "gone_meanwhile": 409,
    "plan_stale": 409,
    "collision": 409,
    "refused": 409,
    "text_large": 413,
    "large": 413,
    "database_down": 503,
}
_HEADINGS = {
    400: "That could not be understood",
    403: "This is not yours to change",
    404: "There is nothing here",
    405: "This address takes no such request",
    409: "Nothing was changed",
    413: "That is too large",
    422: "Something is missing or wrong",
    500: "Mokuji made a mistake",
    503: "The database does not answer",
}


def status_of(fault: MokujiError) -> int:
    """The HTTP status of a fault; 422 for words or texts that cannot be kept."""
    return _STATUS.get(fault.code, 422 if fault.code.startswith("bad_") else 409)


def problem(request: Request, status: int, message: str, code: str) -> Response:
    """A fault as a page, or as problem+json where the API was asked."""
    if request.url.path.startswith("/api/"):
        body = {
            "type": f"urn:mokuji:{code}",
            "title": _HEADINGS.get(status, HTTPStatus(status).phrase),
            "status": status,
            "detail": message,
            "code": code,
        }
        return JSONResponse(body, status, media_type="application/problem+json")
    if not hasattr(request.state, "nonce"):
        request.state.nonce = ""
    visitor = get_visitor(request) if status != 503 else None
    heading = "Sign in first" if code == "sign_in" else _HEADINGS.get(status, "That did not work")
    if visitor is None:
        from mokuji.web.pages import environment

        bare = environment.get_template("bare_error.html")
        return Response(bare.render(heading=heading, message=message), status, media_type="text/html")
    return visitor.page("error.html", status, heading=heading, message=message, code=code, lit="")


def install(app: FastAPI) -> None:
    """Makes the application answer faults this way."""

    @app.exception_handler(MokujiError)
    def ours(request: Request, fault: MokujiError) -> Response:
        return problem(request, status_of(fault), fault.message, fault.code)

    @app.exception_handler(HTTPException)
    def http(request: Request, fault: HTTPException) -> Response:
        message = "Look in the list of volumes, or search for it."
        if fault.status_code != 404:
            message = str(fault.detail)
        return problem(request, fault.status_code, message, f"http_{fault.status_code}")

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, fault: RequestValidationError) -> Response:
        said = "; ".join(f"{'.'.join(str(p) for p in e['loc'][1:]) or 'body'}: {e['msg']}" for e in fault.errors())
        return problem(request, 422, f"{said}.", "request")

    @app.exception_handler(Exception)
    def fault(request: Request, fault: Exception) -> Response:
        log.exception("server_fault", path=request.url.path, exc_info=fault)
        return problem(
            request,
            500,
            "It is written down in the server's log, and nothing was changed. Go back and try again; "
            "your text is still in the page you came from.",
            "server_fault",
        )
