"""Puts the web pages and the JSON interface together into one application, guards it, and serves it."""

from __future__ import annotations

import secrets
import sys
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

import structlog
import uvicorn
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException

from mokuji import __version__
from mokuji.api import faults as api_faults
from mokuji.api import routes as api
from mokuji.api import things as api_things
from mokuji.core.errors import MokujiError
from mokuji.services.desk import Desk
from mokuji.services.hosting import healthy
from mokuji.statuses import status_of
from mokuji.web import errors as web_errors
from mokuji.web.pages import LARGEST_BODY, STATIC
from mokuji.web.routes import (
    acts,
    categories,
    documentation,
    editing,
    fields,
    files,
    finding,
    house_styles,
    people,
    reading_pages,
    sources,
    tasks,
    templates,
    upkeep,
)

log = structlog.get_logger("mokuji")

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Message, Receive, Send], Awaitable[None]]


class TooLarge(Exception):
    """A request's body is larger than any page can be."""


class Guard:
    """Bounds the size of requests, sets the headers that keep pages safe, answers for faults of the program,
    and logs each request.

    Written against ASGI itself, so that a body without a length is bounded while it comes in.
    """

    def __init__(self, app: Application) -> None:
        self.app = app

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce
        started, status, size = time.perf_counter(), 0, 0

        async def bounded() -> Message:
            nonlocal size
            message = await receive()
            size += len(message.get("body", b""))
            if size > LARGEST_BODY:
                raise TooLarge
            return message

        async def guarded(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                # What a route says itself stands: files have a stricter policy of their own.
                said = list(message.get("headers", ()))
                own = {name for name, _ in said}
                message["headers"] = [*said, *(each for each in _headers(scope, nonce) if each[0] not in own)]
            await send(message)

        length = next((int(v) for k, v in scope["headers"] if k == b"content-length" and v.isdigit()), 0)
        try:
            if length > LARGEST_BODY:
                raise TooLarge
            if b"%00" in scope.get("raw_path", b"") or b"%00" in scope.get("query_string", b""):
                said = "This address holds a NUL character (%00), which no name can. Take it out."
                refused = fault_response(Request(scope), 400, said, "nul")
                await refused(scope, receive, guarded)
                return
            await self.app(scope, bounded, guarded)
        except TooLarge:
            said = "A request holds at most 16 MB. Divide the page into several."
            refused = fault_response(Request(scope), 413, said, "large")
            await refused(scope, receive, guarded)
        except Exception as fault:
            log.exception("server_fault", path=scope["path"], exc_info=fault)
            if status:
                raise  # half an answer is out: the connection has to break off
            said = (
                "It is written down in the server's log, and nothing was changed. Go back and try again; "
                "your text is still in the page you came from."
            )
            await fault_response(Request(scope), 500, said, "server_fault")(scope, receive, guarded)
        finally:
            took = round((time.perf_counter() - started) * 1000, 1)
            log.info("request", method=scope["method"], path=scope["path"], status=status, ms=took)


def _policy(nonce: str) -> str:
    return (
        "default-src 'none'; script-src 'self'; img-src 'self' data:; media-src 'self'; font-src 'self'; "
        "connect-src 'self'; "
        f"style-src 'self' 'nonce-{nonce}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; "
        "require-trusted-types-for 'script'; trusted-types mokuji"
    )


def _headers(scope: Message, nonce: str) -> list[tuple[bytes, bytes]]:
    headers = {
        "content-security-policy": _policy(nonce),
        "x-content-type-options": "nosniff",
        "referrer-policy": "same-origin",
        "cross-origin-opener-policy": "same-origin",
    }
    if scope["path"].startswith("/-/static/"):
        # With `?v=` the address changes when the file does.
        lasting = b"v=" in scope.get("query_string", b"")
        headers["cache-control"] = (
            "public, max-age=31536000, immutable" if lasting else "public, max-age=3600"
        )
    else:
        headers["cache-control"] = "no-store"
    return [(name.encode(), value.encode()) for name, value in headers.items()]


def fault_response(request: Request, status: int, message: str, code: str) -> Response:
    """A fault as a page, or as problem+json where the API was asked."""
    if request.url.path.startswith("/api/") and request.url.path != "/api/v1/docs":
        return api_faults.problem(status, message, code)
    return web_errors.page(request, status, message, code)


def create_app(desk: Desk) -> FastAPI:
    """The application that works at this desk."""
    app = FastAPI(
        title="Mokuji",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
        description="The JSON interface of Mokuji: the same use cases as in the browser.",
    )
    app.state.desk = desk
    app.add_middleware(Guard)
    _install_faults(app)
    app.mount("/-/static", StaticFiles(directory=STATIC), name="static")

    @app.get("/healthz", include_in_schema=False)
    def healthz() -> Response:
        return JSONResponse({"status": "ok" if healthy(desk) else "down", "version": __version__})

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> Response:
        return Response((STATIC / "mark.svg").read_bytes(), media_type="image/svg+xml")

    for pages in (
        documentation,
        people,
        finding,
        editing,
        acts,
        upkeep,
        templates,
        categories,
        house_styles,
        files,
        sources,
        tasks,
        fields,
    ):
        app.include_router(pages.router, include_in_schema=False)
    app.include_router(api_things.router)
    app.include_router(api.router)
    # The last one, since it takes every address that is left.
    app.include_router(reading_pages.router, include_in_schema=False)
    return app


def _install_faults(app: FastAPI) -> None:
    @app.exception_handler(MokujiError)
    def ours(request: Request, fault: MokujiError) -> Response:
        return fault_response(request, status_of(fault), fault.message, fault.code)

    @app.exception_handler(HTTPException)
    def http(request: Request, fault: HTTPException) -> Response:
        message = "Look in the list of volumes, or search for it."
        if fault.status_code != 404:
            message = str(fault.detail)
        return fault_response(request, fault.status_code, message, f"http_{fault.status_code}")

    @app.exception_handler(RequestValidationError)
    def not_understood(request: Request, fault: RequestValidationError) -> Response:
        said = "; ".join(
            f"{'.'.join(str(part) for part in error['loc'][1:]) or 'body'}: {error['msg']}"
            for error in fault.errors()
        )
        return fault_response(request, 422, f"{said}.", "request")


def run(app: FastAPI, host: str, port: int) -> None:
    """Serves until it is told to stop; logs go to standard error as JSON lines."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )
    uvicorn.run(app, host=host, port=port, log_level="warning", access_log=False, timeout_graceful_shutdown=3)
