"""Stands before the application: bounds what comes in, in size and time, sets the headers that keep pages safe, answers
for faults of the program, and logs each request.

Written against ASGI itself, so that a body without a length is bounded while it
comes in. It knows no route; how a fault looks it is handed.
"""

from __future__ import annotations

import asyncio
import ipaddress
import re
import secrets
import time
from collections.abc import Awaitable, Callable, Collection, MutableMapping
from typing import Any

import structlog
from fastapi import Request
from fastapi.responses import Response

from mokuji.services.site import NOWHERE, Site, asked

log = structlog.get_logger("mokuji")

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[[Message, Receive, Send], Awaitable[None]]
FaultResponse = Callable[[Request, int, str, str], Response]

BODY, BROUGHT = 120.0, 900.0
"""Seconds in which the body of a request must have come, and in which what is brought must."""
TAKING = 60.0
"""Seconds in which a reader must take the next part of an answer."""
OWN_NAMES = frozenset({"localhost"})
"""Hosts by which a server is always known: besides its addresses in numbers, which no other site can have as a name."""
_BRINGS = re.compile(r"/-/bring/[^/]+|/api/v1/volumes/[^/]+/brought")
_PRIVATE = re.compile(r"(/-/(?:calendar|invited|new-password|feed-of|mail/confirm|mail/end)/)[^/]+")
"""Addresses that are as good as a password: what of them the log holds."""


class TooLarge(Exception):
    """A request's body is larger than any page can be."""


class TooSlow(Exception):
    """A request's body does not come to its end."""


def _bounded(receive: Receive, largest: int, seconds: float) -> Receive:
    """The coming of a body with a bound in size (TooLarge, in bytes) and in time (TooSlow)."""
    size, whole = 0, False
    until = asyncio.get_running_loop().time() + seconds

    async def coming() -> Message:
        nonlocal size, whole
        if whole:  # what comes now says only that the client is gone
            return await receive()
        try:
            async with asyncio.timeout_at(until):
                message = await receive()
        except TimeoutError as fault:
            raise TooSlow from fault
        whole = not message.get("more_body", False)
        size += len(message.get("body", b""))
        if size > largest:
            raise TooLarge
        return message

    return coming


class Guard:
    """Guards an application. ``hosts`` are the names by which it may be asked; ``version`` is that of its static files,
    ``largest`` the most bytes of a body, ``largest_brought`` of one that brings a folder."""

    def __init__(
        self,
        app: Application,
        *,
        fault: FaultResponse,
        hosts: Collection[str],
        version: str,
        largest: int,
        largest_brought: int,
        site: Site = NOWHERE,
    ) -> None:
        self.app = app
        self._fault = fault
        self._site = site
        self._hosts = OWN_NAMES | {site.host} | {host.strip().lower() for host in hosts}
        self._version = version.encode()
        self._bounds = {False: (largest, BODY), True: (largest_brought, BROUGHT)}

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        with asked(self._site):
            await self._answer(scope, receive, send)

    async def _answer(self, scope: Message, receive: Receive, send: Send) -> None:
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce
        started, status = time.perf_counter(), 0

        async def guarded(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                # What a route says itself stands: files have a stricter policy of their own.
                said = list(message.get("headers", ()))
                own = {name for name, _ in said}
                headers = self._headers(scope, nonce, status)
                message["headers"] = [*said, *(header for header in headers if header[0] not in own)]
            async with asyncio.timeout(TAKING):
                await send(message)

        async def refuse(status: int, said: str, code: str) -> None:
            await self._fault(Request(scope), status, said, code)(scope, receive, guarded)

        brings = self._brings(scope)
        try:
            refusal = self._refusal(scope, self._bounds[brings][0])
            if refusal is not None:
                await refuse(*refusal)
                return
            inside = self._site.inside(scope["path"])
            if inside is None and scope["path"] != "/healthz":
                home = self._site.path
                await refuse(404, f"Nothing is here: the wiki lies at {home}/.", "outside")
                return
            # All within goes by paths from the wiki's root.
            scope = {**scope, "path": inside or "/healthz"}
            # RFC 9110, 9.1: whoever answers GET answers HEAD; the server itself leaves the body out.
            asked = {**scope, "method": "GET"} if scope["method"] == "HEAD" else scope
            await self.app(asked, _bounded(receive, *self._bounds[brings]), guarded)
        except TooLarge:
            most = f"{self._bounds[brings][0] / 1e6:.0f} MB"
            said = f"A request holds at most {most}. Divide the page into several."
            if brings:
                said = f"At most {most} are brought at once. Bring it in parts."
            await refuse(413, said, "large")
        except TooSlow:
            said = "The request did not come to its end in time. Nothing was changed; send it again."
            await refuse(408, said, "slow")
        except Exception as fault:
            log.exception("server_fault", path=_shown(scope["path"]), exc_info=fault)
            if status:
                raise  # half an answer is out: the connection has to break off
            said = (
                "It is written down in the server's log, and nothing was changed. Go back and try again; "
                "your text is still in the page you came from."
            )
            await refuse(500, said, "server_fault")
        finally:
            took = round((time.perf_counter() - started) * 1000, 1)
            log.info("request", method=scope["method"], path=_shown(scope["path"]), status=status, ms=took)

    def _brings(self, scope: Message) -> bool:
        """Whether a request brings a folder."""
        return scope["method"] == "POST" and bool(_BRINGS.fullmatch(self._site.inside(scope["path"]) or ""))

    def _refusal(self, scope: Message, largest: int) -> tuple[int, str, str] | None:
        """Why a request is not even looked at."""
        values = dict(scope["headers"])
        length = values.get(b"content-length", b"")
        if length.isdigit() and int(length) > largest:
            raise TooLarge
        if not self._is_ours(values.get(b"host", b"").decode("latin-1")):
            said = (
                "This server is not known by the name that was asked for. Whoever runs it: if the name is yours, put "
                "it into MOKUJI_HOSTS."
            )
            return 421, said, "host"
        if b"%00" in scope.get("raw_path", b"") or b"%00" in scope.get("query_string", b""):
            return 400, "This address holds a NUL character (%00), which no name can. Take it out.", "nul"
        return None

    def _is_ours(self, host: str) -> bool:
        """Whether a request is for this server: a site elsewhere whose name was made to lead here must not read it
        (DNS rebinding)."""
        name = host.strip().lower()
        name = name[1 : name.index("]")] if name.startswith("[") and "]" in name else name.partition(":")[0]
        name = name.rstrip(".")
        if name in self._hosts:
            return True
        try:
            ipaddress.ip_address(name)
        except ValueError:
            return False
        return True

    def _headers(self, scope: Message, nonce: str, status: int) -> list[tuple[bytes, bytes]]:
        headers = {
            "content-security-policy": _policy(nonce),
            "x-content-type-options": "nosniff",
            "referrer-policy": "same-origin",
            "cross-origin-opener-policy": "same-origin",
            "cross-origin-resource-policy": "same-origin",
            "cache-control": "no-store",
        }
        if scope["path"].startswith("/-/static/") and status in {200, 304}:
            # With the present version in its address a file is another one whenever the address is.
            lasting = scope.get("query_string", b"") == b"v=" + self._version
            headers["cache-control"] = (
                "public, max-age=31536000, immutable" if lasting else "public, max-age=3600"
            )
        if scope.get("scheme") == "https":
            headers["strict-transport-security"] = "max-age=31536000"
        return [(name.encode(), value.encode()) for name, value in headers.items()]


def _policy(nonce: str) -> str:
    return (
        "default-src 'none'; script-src 'self'; img-src 'self' data:; media-src 'self'; font-src 'self'; "
        "connect-src 'self'; "
        f"style-src 'self' 'nonce-{nonce}'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'; "
        "require-trusted-types-for 'script'; trusted-types mokuji"
    )


def _shown(path: str) -> str:
    """An address as the log may hold it."""
    return _PRIVATE.sub(r"\1…", path)
