"""Bytes that are sent while they are made.

Who makes them writes on to the disk without waiting for who takes them: a slow reader does not hold a moment of the
database open, and the first bytes leave before the last are made.
"""

from __future__ import annotations

import os
import tempfile
import threading
from collections.abc import Callable, Iterator
from contextvars import copy_context
from dataclasses import dataclass
from typing import IO

from mokuji.core.base import names
from mokuji.core.base.errors import TooMany

PART = 262_144
"""Maximum number of bytes that are sent at once."""
AT_ONCE = 3
"""Number of spools that are filled at once in this process."""
PATIENCE = 20.0
"""Seconds that one waits for another."""
_places = threading.BoundedSemaphore(AT_ONCE)


@dataclass(frozen=True, slots=True)
class Outgoing:
    """A file on its way: its name, its media type and its bytes."""

    name: str
    type: str
    spool: Spool

    @property
    def headers(self) -> dict[str, str]:
        """What goes along with it on the web."""
        name = names.segment(self.name)
        return {
            "Content-Disposition": f"attachment; filename*=UTF-8''{name}",
            "Cache-Control": "no-store",
            "X-Content-Type-Options": "nosniff",
        }

    def parts(self) -> Iterator[bytes]:
        """Its bytes, part by part."""
        return self.spool.parts()


class _NobodyTakes(Exception):
    """Whoever took the bytes is gone."""


class Sink:
    """Where bytes are written to, one after another: it cannot be gone back in, so that what was written can be
    sent."""

    def __init__(self, file: IO[bytes]) -> None:
        self._file = file
        self.written = 0
        self.ended = False
        self.fault: BaseException | None = None
        self.left = False
        self.changed = threading.Condition()

    def write(self, data: bytes) -> int:
        if self.left:
            raise _NobodyTakes
        self._file.write(data)
        with self.changed:
            self.written += len(data)
            self.changed.notify_all()
        return len(data)

    def flush(self) -> None:
        pass


class Spool:
    """What ``make`` writes. What it raises before its first byte is raised here; later the bytes break off. TooMany if
    several are being filled."""

    def __init__(self, make: Callable[[Sink], None]) -> None:
        if not _places.acquire(timeout=PATIENCE):
            raise TooMany(
                "Several folders are being taken away at this moment. Try again in a minute.", 60, code="busy"
            )
        # Without a buffer, so that what was written is there for who sends it.
        self._file = tempfile.TemporaryFile(buffering=0)  # noqa: SIM115 - closed when both are done
        self._sink = Sink(self._file)
        # What is asked of the surroundings, such as the address of the wiki, holds there as well.
        around = copy_context()
        self._thread = threading.Thread(target=lambda: around.run(self._fill, make), daemon=True)
        self._thread.start()
        with self._sink.changed:
            while not (self._sink.written or self._sink.ended):
                self._sink.changed.wait()
        if self._sink.fault is not None and not self._sink.written:
            self._file.close()
            raise self._sink.fault

    def _fill(self, make: Callable[[Sink], None]) -> None:
        try:
            make(self._sink)
        except BaseException as fault:
            self._sink.fault = fault
        finally:
            _places.release()
            with self._sink.changed:
                self._sink.ended = True
                self._sink.changed.notify_all()
                if self._sink.left:
                    self._file.close()

    def parts(self) -> Iterator[bytes]:
        """The bytes, part by part, as soon as they are there."""
        sink, at = self._sink, 0
        try:
            while True:
                with sink.changed:
                    while sink.written == at and not sink.ended:
                        sink.changed.wait()
                    there, ended = sink.written, sink.ended
                while at < there:
                    part = os.pread(self._file.fileno(), min(PART, there - at), at)
                    at += len(part)
                    yield part
                if ended and at == sink.written:
                    break
            if sink.fault is not None:
                raise sink.fault
        finally:
            # Whoever goes away does not wait for the next byte that is made: the last one out closes the file.
            with sink.changed:
                sink.left = True
                if sink.ended:
                    self._file.close()
