"""The application for tests. Building its routes takes half a second, so a process of tests does that once."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache

from fastapi import FastAPI

from mokuji.server import create_app
from mokuji.services.desk import Desk


def application(desk: Desk) -> FastAPI:
    """The one application, at this desk from now on; its name is ``mokuji.test``."""
    app = _made()
    app.state.desk = desk
    return app


@cache
def _made() -> FastAPI:
    # The first desk is a placeholder: every test brings its own.
    return create_app(None, ["mokuji.test"])  # type: ignore[arg-type]


def routes_of(app: FastAPI) -> Iterator[tuple[str, str]]:
    """Method and path of every route, of routers within routers too."""
    waiting = list(app.routes)
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
