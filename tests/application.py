"""The application for tests. Building its routes takes half a second, so a process of tests does that once."""

from __future__ import annotations

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
