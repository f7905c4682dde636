"""Routes of pages and JSON: what collided with another transaction in the database is tried again.

A deadlock is nobody's fault and leaves nothing behind, so whoever asked need not hear of it (PostgreSQL 17, 13.5: the
whole transaction is to be retried). Uploads are not tried again: their file was read.
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable, Coroutine
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute

from mokuji.core.base.errors import MokujiError

TRIES = 3
PAUSE = 0.05
"""Seconds before the second try, twice as long before the third; up to as long again by chance, so that two that
collided do not do so again."""


class TryingAgain(APIRoute):
    """A route that is tried ``TRIES`` times where a transaction collided."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        handle = super().get_route_handler()

        async def again(request: Request) -> Response:
            once = request.headers.get("content-type", "").startswith("multipart/")
            for n in range(TRIES):
                try:
                    return await handle(request)
                except MokujiError as fault:
                    if fault.code != "collided" or once or n == TRIES - 1:
                        raise
                await asyncio.sleep(PAUSE * 2**n * (1 + random.random()))  # noqa: S311
            raise AssertionError  # the last try returns or raises

        return again


def router(**settings: Any) -> APIRouter:
    """A router whose routes are tried again."""
    return APIRouter(route_class=TryingAgain, **settings)
