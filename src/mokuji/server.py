"""Puts the web pages and the JSON interface together into one application, and serves it."""

from __future__ import annotations

import sys
from collections.abc import Collection

import structlog
import uvicorn
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from mokuji import __version__
from mokuji.api import every as api
from mokuji.api import faults as api_faults
from mokuji.connections import IDLE, MOST, TimedProtocol
from mokuji.core.base.errors import MokujiError, TooMany
from mokuji.core.html.code import colour_by
from mokuji.formats import apart
from mokuji.guard import Guard
from mokuji.services.app_context import AppContext
from mokuji.services.hosting import healthy
from mokuji.services.site import Site
from mokuji.statuses import status_of
from mokuji.web import errors as web_errors
from mokuji.web.pages import LARGEST_BODY, STATIC, STATIC_VERSION
from mokuji.web.routes import (
    acts,
    audit,
    categories,
    choosing,
    documentation,
    editing,
    fields,
    files,
    finding,
    house_styles,
    letting_in,
    out_and_back,
    people,
    reading_pages,
    secrets,
    sources,
    tasks,
    telling,
    templates,
    upkeep,
    volume_people,
)
from mokuji.web.routes.looking_back import changes, revisions, trash, volume_then

PAGES = (
    documentation,
    people,
    letting_in,
    finding,
    editing,
    out_and_back,
    acts,
    upkeep,
    templates,
    categories,
    changes,
    choosing,
    house_styles,
    files,
    secrets,
    sources,
    tasks,
    telling,
    trash,
    revisions,
    fields,
    volume_people,
    volume_then,
    audit,
)
"""The modules of routes of pages, but for those that take every address that is left."""
log = structlog.get_logger("mokuji")


def fault_response(request: Request, status: int, message: str, code: str) -> Response:
    """A fault as a page, or as problem+json where the API was asked."""
    # What was typed may stand in it, and not all of that can be sent.
    message = message.encode("utf-8", "backslashreplace").decode()
    if request.url.path.startswith("/api/") and request.url.path != "/api/v1/docs":
        return api_faults.problem(status, message, code)
    return web_errors.page(request, status, message, code)


def create_app(app: AppContext, hosts: Collection[str] = (), site: Site | None = None) -> FastAPI:
    """The application that works on this; ``hosts`` are the names by which it may be asked, beside its addresses
    in numbers, ``site`` says where readers find it."""
    site = site or Site.at(f"http://{next(iter(hosts), 'localhost')}")
    web_app = FastAPI(
        title="Mokuji",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/v1/openapi.json",
        servers=[{"url": site.path}] if site.path else None,
        description="The JSON interface of Mokuji: the same use cases as in the browser.",
    )
    web_app.state.app = app
    colour_by(apart.colour)
    web_app.add_middleware(
        Guard,
        fault=fault_response,
        hosts=hosts,
        version=STATIC_VERSION,
        largest=LARGEST_BODY,
        largest_brought=out_and_back.MOST_BYTES,
        site=site,
    )
    _install_faults(web_app)
    web_app.mount("/-/static", StaticFiles(directory=STATIC), name="static")

    @web_app.get("/healthz", include_in_schema=False)
    def healthz() -> Response:
        return JSONResponse(
            {"status": "ok" if healthy(web_app.state.app) else "down", "version": __version__}
        )

    @web_app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> Response:
        return Response((STATIC / "mark.svg").read_bytes(), media_type="image/svg+xml")

    for pages in PAGES:
        web_app.include_router(pages.router, include_in_schema=False)
    for part in api.PARTS:
        web_app.include_router(part.router)
    web_app.include_router(api.router)
    # The last one, since it takes every address that is left.
    web_app.include_router(reading_pages.router, include_in_schema=False)
    return web_app


def _install_faults(web_app: FastAPI) -> None:
    @web_app.exception_handler(MokujiError)
    def ours(request: Request, fault: MokujiError) -> Response:
        status = status_of(fault)
        if status >= 500:
            # The person is told what to do; who runs the server, why.
            log.error("not_answered", code=fault.code, reason=str(fault.__cause__ or fault).strip())
        programs = request.url.path.startswith("/api/")
        if programs and fault.code == "sign_in":
            # A browser is shown where to sign in; a program is told how (RFC 9110, 15.5.2; RFC 6750, 3).
            status = 401
        response = fault_response(request, status, fault.message, fault.code)
        if status == 401:
            response.headers["WWW-Authenticate"] = 'Bearer realm="Mokuji"'
        if isinstance(fault, TooMany):
            response.headers["Retry-After"] = str(fault.wait)
        return response

    @web_app.exception_handler(HTTPException)
    def http(request: Request, fault: HTTPException) -> Response:
        message = "Look in the list of volumes, or search for it."
        if fault.status_code != 404:
            message = str(fault.detail)
        response = fault_response(request, fault.status_code, message, f"http_{fault.status_code}")
        if fault.headers and "Allow" in fault.headers:
            response.headers["Allow"] = fault.headers["Allow"]
        return response

    @web_app.exception_handler(ClientDisconnect)
    def cut_off(request: Request, _: ClientDisconnect) -> Response:
        # Nobody hears it any more; it is no fault of the server.
        return fault_response(request, 400, "The request broke off before it was whole.", "cut_off")

    @web_app.exception_handler(RequestValidationError)
    def not_understood(request: Request, fault: RequestValidationError) -> Response:
        said = "; ".join(
            f"{'.'.join(str(part) for part in error['loc'][1:]) or 'body'}: {error['msg']}"
            for error in fault.errors()
        )
        return fault_response(request, 422, f"{said}.", "request")


def run(web_app: FastAPI, host: str, port: int, proxies: str = "") -> None:
    """Serves until it is told to stop; logs go to standard error as JSON lines. ``proxies`` are the addresses whose
    word is taken for where a request came from."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )
    uvicorn.Server(configured(web_app, host=host, port=port, proxies=proxies)).run()


def configured(web_app: FastAPI, *, host: str, port: int, proxies: str = "") -> uvicorn.Config:
    """How the application is served: with time limits, and nobody trusted who is not named."""
    return uvicorn.Config(
        web_app,
        host=host,
        port=port,
        http=TimedProtocol,
        ws="none",
        log_level="warning",
        access_log=False,
        server_header=False,
        proxy_headers=bool(proxies),
        forwarded_allow_ips=proxies or None,
        timeout_keep_alive=IDLE,
        timeout_graceful_shutdown=3,
        limit_concurrency=MOST + 64,
    )
