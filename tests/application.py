"""The application for tests. Building its routes takes half a second, so a process of tests does that once; and a
client that asks it in one loop of its own, where the usual one begins a loop for each request."""

from __future__ import annotations

import atexit
from collections.abc import Iterator, MutableMapping
from functools import cache
from typing import Any
from urllib.parse import unquote

import anyio
import httpx2
from anyio.from_thread import BlockingPortal, start_blocking_portal
from fastapi import FastAPI
from fastapi import testclient as usual

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


@cache
def _loop() -> BlockingPortal:
    """A loop in a thread, for all requests of this process of tests."""
    running = start_blocking_portal()
    portal = running.__enter__()
    atexit.register(running.__exit__, None, None, None)
    return portal


class TestClient(usual.TestClient):
    """As the usual one; an answer comes as a whole."""

    __test__ = False

    def __init__(self, app: Any, *, raise_server_exceptions: bool = True, **more: Any) -> None:
        super().__init__(app, raise_server_exceptions=raise_server_exceptions, **more)
        self._transport = _AtOnce(self, raise_server_exceptions)


class _AtOnce(httpx2.BaseTransport):
    """Hands a request to the application (ASGI 3.0) and waits for all of its answer."""

    def __init__(self, client: TestClient, raises: bool) -> None:
        self._client, self._raises = client, raises

    def handle_request(self, request: httpx2.Request) -> httpx2.Response:
        url = request.url
        scope = {
            "type": "http",
            "http_version": "1.1",
            "method": request.method,
            "path": unquote(url.path),
            "raw_path": url.raw_path.split(b"?", 1)[0],
            "root_path": "",
            "scheme": url.scheme,
            "query_string": url.query,
            "headers": [(key.lower().encode(), each.encode()) for key, each in request.headers.multi_items()],
            "client": ("testclient", 50000),
            "server": (url.host, url.port or {"http": 80, "https": 443}[url.scheme]),
            "state": dict(self._client.app_state),
        }
        sent: list[MutableMapping[str, Any]] = []
        body = request.read()
        # What was begun with the client has a loop of its own.
        portal = self._client.portal or _loop()
        fault = portal.call(self._asked, scope, body, sent)
        if fault is not None and (self._raises or not sent):
            if self._raises:
                raise fault
            return httpx2.Response(500, request=request)
        status = next(each for each in sent if each["type"] == "http.response.start")
        data = b"".join(each.get("body", b"") for each in sent if each["type"] == "http.response.body")
        headers = [(key.decode(), each.decode()) for key, each in status.get("headers", [])]
        shown = b"" if request.method == "HEAD" else data
        return httpx2.Response(
            status["status"], headers=headers, stream=httpx2.ByteStream(shown), request=request
        )

    async def _asked(
        self, scope: Any, body: bytes, sent: list[MutableMapping[str, Any]]
    ) -> BaseException | None:
        answered = anyio.Event()
        waiting = [{"type": "http.request", "body": body, "more_body": False}]

        async def receive() -> dict[str, Any]:
            if waiting:
                return waiting.pop()
            await answered.wait()
            return {"type": "http.disconnect"}

        async def send(message: MutableMapping[str, Any]) -> None:
            sent.append(message)
            if message["type"] == "http.response.body" and not message.get("more_body", False):
                answered.set()

        try:
            await self._client.app(scope, receive, send)
        except Exception as fault:
            return fault
        return None


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
