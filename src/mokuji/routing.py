"""Routes of pages and JSON: found by how their addresses begin; what collided with another transaction in the database
is tried again.

A deadlock is nobody's fault and leaves nothing behind, so whoever asked need not hear of it (PostgreSQL 17, 13.5: the
whole transaction is to be retried). Uploads are not tried again: their file was read.
"""

from __future__ import annotations

import asyncio
import random
from collections.abc import Callable, Coroutine
from functools import cached_property
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.routing import APIRoute
from starlette.routing import Match
from starlette.types import Scope

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


class Room(APIRouter):
    """A router that looks at its routes only for addresses that begin as one of them does: each page of the wiki is
    asked of all others first, since its own routes take every address."""

    @cached_property
    def _begin(self) -> frozenset[str]:
        """The first segments of all routes; one that is a parameter stands as it is written."""
        return frozenset(str(getattr(route, "path", "")).split("/", 2)[1] for route in self.routes)

    @cached_property
    def _takes_all(self) -> bool:
        return any("{" in segment for segment in self._begin)

    def matches(self, scope: Scope) -> tuple[Match, Scope]:
        """Whether a route is meant (as Starlette's routes say it)."""
        first = scope["path"].removeprefix(scope.get("root_path", "")).split("/", 2)[1:2]
        if not self._takes_all and (not first or first[0] not in self._begin):
            return Match.NONE, {}
        return super().matches(scope)


def router(**settings: Any) -> APIRouter:
    """A router whose routes are tried again."""
    return Room(route_class=TryingAgain, **settings)
