"""Work on what somebody sent, done by a process of its own that can be killed.

A thread cannot be stopped, and foreign parsers can take for ever, or all of the
memory, over a few bytes. So imports, pictures and the colouring of code are done
by child processes (``apart_worker``): each sort has one that stays, takes one
piece of work at a time, and is killed with what it does when its time is over.
What comes back is plain data, never objects: a child is trusted no more than
what it reads. Nothing that a child does can load files or addresses once it is
ready, but for the modules of colouring.
"""

from __future__ import annotations

import atexit
import json
import os
import struct
import subprocess
import sys
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import IO, Any, Literal

from mokuji.core.base import errors
from mokuji.core.base.errors import BadFile, BadText, MokujiError, TooMany

Sort = Literal["imports", "pictures", "code"]
SORTS: Mapping[str, Sort] = {
    "skos": "imports",
    "bibliography": "imports",
    "recognise": "pictures",
    "at_width": "pictures",
    "colour": "code",
}
"""Which sort of child does which task of ``apart_worker``."""
MEMORY: Mapping[Sort, int] = {"imports": 1 << 30, "pictures": 1 << 30, "code": 1 << 29}
"""Maximum number of bytes of address space of a child."""
WAITING: Mapping[Sort, int] = {"imports": 4, "pictures": 16, "code": 16}
"""So many wait for a child at most, each for at most ``PATIENCE`` seconds."""
PATIENCE = 20.0
READY = 30.0
"""Seconds that a child may take to start."""
_HEAD = struct.Struct("!II")


class OverTime(MokujiError):
    """The work took longer, or more memory, than it may."""

    code = "over_time"


@dataclass
class _Child:
    """The process of a sort; started when it is first needed, and again after it was killed."""

    sort: Sort
    process: subprocess.Popen[bytes] | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)
    places: threading.BoundedSemaphore | None = None

    def ask(
        self, task: str, told: Mapping[str, Any], data: bytes, seconds: float
    ) -> tuple[dict[str, Any], bytes]:
        """What the child answers; OverTime if it does not in time."""
        process = self._running()
        killed = threading.Event()

        def kill() -> None:
            killed.set()
            process.kill()

        timer = threading.Timer(seconds, kill)
        timer.start()
        try:
            assert process.stdin is not None and process.stdout is not None
            send(process.stdin, {"task": task, **told}, data)
            return receive(process.stdout)
        except (OSError, EOFError) as fault:
            self.end()
            raise OverTime(
                f"This takes longer than {seconds:g} seconds."
                if killed.is_set()
                else "This takes too much memory."
            ) from fault
        finally:
            timer.cancel()
            timer.join()
            if killed.is_set():  # also where the answer came at the last moment
                self.end()

    def _running(self) -> subprocess.Popen[bytes]:
        if self.process is not None and self.process.poll() is None:
            return self.process
        self.end()
        self.process = subprocess.Popen(  # noqa: S603 - this very Python, with a module of our own
            [sys.executable, "-m", "mokuji.formats.apart_worker", self.sort, str(MEMORY[self.sort])],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            cwd="/",
            env={
                "LC_ALL": "C.UTF-8",
                "PATH": "/usr/bin:/bin",
                "PYTHONPATH": os.pathsep.join(filter(None, sys.path)),
            },
        )
        timer = threading.Timer(READY, self.process.kill)
        timer.start()
        try:
            assert self.process.stdout is not None
            receive(self.process.stdout)
        except (OSError, EOFError) as fault:
            self.end()
            raise OverTime("The process that reads this could not be started.") from fault
        finally:
            timer.cancel()
        return self.process

    def end(self) -> None:
        """Ends the process."""
        process, self.process = self.process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue


_children: dict[Sort, _Child] = {
    sort: _Child(sort, places=threading.BoundedSemaphore(most + 1)) for sort, most in WAITING.items()
}


def _forget_children() -> None:
    """A process that was forked from this one has children of its own: those of its parent answer the parent."""
    for sort, most in WAITING.items():
        _children[sort] = _Child(sort, places=threading.BoundedSemaphore(most + 1))


os.register_at_fork(after_in_child=_forget_children)


def do(task: str, told: Mapping[str, Any], data: bytes, *, seconds: float) -> tuple[dict[str, Any], bytes]:
    """Has a task done apart: plain data and bytes in, the same out. A MokujiError of the task comes out as it was;
    OverTime if it takes longer than ``seconds``, TooMany if there is no room to wait."""
    child = _children[SORTS[task]]
    assert child.places is not None
    if not child.places.acquire(blocking=False):
        raise TooMany("Much is being read at this moment. Try again in a minute.", 60, code="busy")
    try:
        if not child.lock.acquire(timeout=PATIENCE):
            raise TooMany("Much is being read at this moment. Try again in a minute.", 60, code="busy")
        try:
            answer, out = child.ask(task, told, data, seconds)
        finally:
            child.lock.release()
    finally:
        child.places.release()
    if "fault" in answer:
        raise _fault(answer["fault"])
    return answer, out


def _fault(told: Mapping[str, str]) -> MokujiError:
    kinds: Mapping[str, type[MokujiError]] = {
        "BadFile": BadFile,
        "BadText": BadText,
        "BadName": errors.BadName,
    }
    return kinds.get(told["kind"], OverTime)(told["message"], code=told["code"])


def _end_with_us() -> None:
    for child in _children.values():
        child.end()


atexit.register(_end_with_us)


def send(pipe: IO[bytes], told: Mapping[str, Any], data: bytes = b"") -> None:
    """Sends plain data and bytes."""
    head = json.dumps(told).encode()
    pipe.write(_HEAD.pack(len(head), len(data)) + head)
    pipe.write(data)
    pipe.flush()


def receive(pipe: IO[bytes]) -> tuple[dict[str, Any], bytes]:
    """What ``send`` sent; EOFError if the other side is gone."""
    sizes = _HEAD.unpack(_exactly(pipe, _HEAD.size))
    head, data = (_exactly(pipe, size) for size in sizes)
    found = json.loads(head)
    if not isinstance(found, dict):
        raise EOFError
    return found, data


def _exactly(pipe: IO[bytes], size: int) -> bytes:
    data = pipe.read(size)
    if len(data) != size:
        raise EOFError
    return data


# ---- colouring, of which a page has much --------------------------------------------------------

FEW_KILLED, WITHIN = 4, 60.0
"""After so many codes within so many seconds that took too long, others are shown plain for a while: each holds a
reader up, and a page can have many."""
_killed: list[float] = []


def colour(code: str, language: str) -> str | None:
    """Code in colours as ``core.html.code`` makes them; None where it stays plain."""
    now = time.monotonic()
    _killed[:] = [at for at in _killed if now - at < WITHIN][-FEW_KILLED:]
    if len(_killed) >= FEW_KILLED:
        return None
    try:
        # Usual code takes a tenth of this, on a slow machine.
        seconds = 0.5 + len(code) * 50e-6
        answer, out = do(
            "colour", {"language": language}, code.encode("utf-8", "surrogatepass"), seconds=seconds
        )
    except MokujiError:
        _killed.append(now)
        return None
    return out.decode("utf-8", "surrogatepass") if answer["coloured"] else None
