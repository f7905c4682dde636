"""The application for tests. Building its routes takes half a second, so a process of tests does that once."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

from fastapi import FastAPI

from mokuji.server import create_app
from mokuji.services.app_context import AppContext


def application(app: AppContext) -> FastAPI:
    """The one application, with this to work on from now on; its name is ``mokuji.test``."""
    web_app = _made()
    web_app.state.app = app
    return web_app


@cache
def _made() -> FastAPI:
    # What it works on first is a placeholder: every test brings its own.
    return create_app(None, ["mokuji.test"])  # type: ignore[arg-type]


def routes_of(web_app: FastAPI) -> Iterator[tuple[str, str]]:
    """Method and path of every route, of routers within routers too."""
    waiting = list(web_app.routes)
    while waiting:
        route = waiting.pop(0)
        inner = getattr(route, "routes", None) or getattr(
            getattr(route, "original_router", None), "routes", None
        )
        if inner:
            waiting += inner
        elif getattr(route, "methods", None):
            for method in sorted(route.methods - {"HEAD"}):  # type: ignore[attr-defined]
                yield method, str(route.path)  # type: ignore[attr-defined]
