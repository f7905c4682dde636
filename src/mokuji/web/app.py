"""The web application: middleware, static files, routes of pages and of the API."""

from __future__ import annotations

import secrets
import time
from collections.abc import Awaitable, Callable
from pathlib import Path

import structlog
import uvicorn
from fastapi import FastAPI, Request
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from sqlalchemy import text

from mokuji import __version__
from mokuji.api import routes as api
from mokuji.services.desk import Desk
from mokuji.store.database import reading
from mokuji.web import errors
from mokuji.web.routes import acts, editing, finding, people, reading_pages

STATIC = Path(__file__).parent / "static"
LARGEST_BODY = 16_000_000
"""Most bytes of a request: a page of the largest size, encoded by a form."""

log = structlog.get_logger("mokuji")


def _policy(nonce: str) -> str:
    return (
        "default-src 'none'; script-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "
        f"style-src 'self' 'nonce-{nonce}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; "
        "require-trusted-types-for 'script'; trusted-types mokuji"
    )


class Guard:
    """Bounds the size of requests, sets the headers that keep pages safe, and logs each request.

    Written against ASGI itself, so that a body without a length is bounded while it comes in.
    """

    def __init__(self, app: Callable[..., Awaitable[None]]) -> None:
        self.app = app

    async def __call__(self, scope, receive, send) -> None:  # type: ignore[no-untyped-def]
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce
        started, status, size = time.perf_counter(), 500, 0

        async def bounded():  # type: ignore[no-untyped-def]
            nonlocal size
            message = await receive()
            size += len(message.get("body", b""))
            if size > LARGEST_BODY:
                raise TooLarge
            return message

        async def guarded(message) -> None:  # type: ignore[no-untyped-def]
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message.get("headers", ()), *_headers(scope["path"], nonce)]
            await send(message)

        length = next((int(v) for k, v in scope["headers"] if k == b"content-length" and v.isdigit()), 0)
        try:
            if length > LARGEST_BODY:
                raise TooLarge
            await self.app(scope, bounded, guarded)
        except TooLarge:
            refused = errors.problem(
                Request(scope), 413, "A request holds at most 16 MB. Divide the page into several.", "large"
            )
            await refused(scope, receive, guarded)
        finally:
            took = round((time.perf_counter() - started) * 1000, 1)
            log.info("request", method=scope["method"], path=scope["path"], status=status, ms=took)


class TooLarge(Exception):
    """A request's body is larger than any page can be."""


def _headers(path: str, nonce: str) -> list[tuple[bytes, bytes]]:
    headers = {
        "content-security-policy": _policy(nonce),
        "x-content-type-options": "nosniff",
        "referrer-policy": "same-origin",
        "cross-origin-opener-policy": "same-origin",
    }
    if path.startswith("/-/static/"):
        headers["cache-control"] = "public, max-age=31536000, immutable" if "v=" in path else "public, max-age=3600"
    else:
        headers["cache-control"] = "no-store"
    return [(name.encode(), value.encode()) for name, value in headers.items()]


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
    errors.install(app)
    app.mount("/-/static", StaticFiles(directory=STATIC), name="static")

    @app.get("/healthz", include_in_schema=False)
    def healthz() -> Response:
        with reading(desk.engine) as connection:
            connection.execute(text("SELECT 1"))
        return JSONResponse({"status": "ok", "version": __version__})

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> Response:
        return Response((STATIC / "mark.svg").read_bytes(), media_type="image/svg+xml")

    app.include_router(api.router)
    for routes in (people, finding, editing, acts, reading_pages):
        app.include_router(routes.router, include_in_schema=False)
    return app


def run(app: FastAPI, host: str, port: int) -> None:
    """Serves until it is told to stop; logs go to standard error as JSON lines."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=__import__("sys").stderr),
    )
    uvicorn.run(app, host=host, port=port, log_level="warning", access_log=False, timeout_graceful_shutdown=3)
