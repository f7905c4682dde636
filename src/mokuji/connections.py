"""Connections with time limits: who is silent, or speaks a byte now and then, does not stay for ever.

uvicorn closes a connection that idles after an answer. Here the time for the
head of a request is bounded too, from the first moment on; that of its body and
of taking the answer is bounded by ``guard``. Nothing of Mokuji's is known here.
"""

from __future__ import annotations

import asyncio
from typing import Any

from uvicorn.protocols.http.h11_impl import H11Protocol

HEAD = 10.0
"""Seconds in which the head of a request must have come, from its first byte on or from the start of the connection."""
IDLE = 15
"""Seconds that a connection may idle between two requests."""
MOST = 512
"""Maximum number of connections at once; a proxy in front keeps those of slow readers."""


class TimedProtocol(H11Protocol):
    """uvicorn's own protocol, with a limit to the time that the head of a request takes."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._head: asyncio.TimerHandle | None = None
        self._since = self.loop.time()

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self._await_head()
        if len(self.connections) > MOST:
            self._make_room()

    def _make_room(self) -> None:
        """Closes the connection that has been without a request for longest, so that the silent shut nobody out."""
        waiting = [
            connection
            for connection in self.connections
            if isinstance(connection, TimedProtocol)
            and (connection.cycle is None or connection.cycle.response_complete)
        ]
        if waiting:
            min(waiting, key=lambda each: each._since)._close_silent()

    def data_received(self, data: bytes) -> None:
        begun = self.cycle
        if self._head is None and (begun is None or begun.response_complete):
            self._await_head()
        super().data_received(data)
        if self.cycle is not begun:
            self._forget_head()

    def connection_lost(self, exc: Exception | None) -> None:
        self._forget_head()
        super().connection_lost(exc)

    def on_response_complete(self) -> None:
        begun = self.cycle
        self._since = self.loop.time()
        super().on_response_complete()
        # A head that was sent along with the one before is read in there.
        if self.cycle is begun and self.conn.trailing_data[0]:
            self._await_head()

    def _await_head(self) -> None:
        self._forget_head()
        self._head = self.loop.call_later(HEAD, self._close_silent)

    def _forget_head(self) -> None:
        if self._head is not None:
            self._head.cancel()
            self._head = None

    def _close_silent(self) -> None:
        if not self.transport.is_closing():
            self.transport.close()
