"""The child of ``apart``: does one task after the other, until its parent is gone.

Run as ``python -m mokuji.formats.apart_worker SORT MEMORY``. Before the first
task it gives up what it does not need: memory beyond a limit, and (unless it
colours code, whose readers are loaded when they are needed) all files and
addresses.
"""

from __future__ import annotations

import base64
import json
import os
import resource
import signal
import sys
from collections.abc import Callable
from typing import IO, Any

from mokuji.core.base.errors import MokujiError
from mokuji.formats.apart import receive, send

Task = Callable[[dict[str, Any], bytes], tuple[dict[str, Any], bytes]]
_FORBIDDEN = tuple(
    "open socket. urllib. subprocess. os.exec os.fork os.posix_spawn os.system ctypes.".split()
)


def _imports() -> dict[str, Task]:
    from mokuji.formats import bibliography, skos

    def read_skos(told: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes]:
        found = skos.read_here(data.decode("utf-8", "surrogatepass"), told["form"])
        concepts = [[c.address, c.name, list(c.other_names), c.definition, list(c.broader)] for c in found]
        return {}, json.dumps(concepts).encode()

    def read_bibliography(_: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes]:
        read = bibliography.read_here(data)
        return {}, json.dumps([read.items, read.problems]).encode()

    # Once each, so that whatever they load is loaded before files are closed to them.
    for form, text in (("turtle", '<urn:a> <urn:b> "c"@en .'), ("json-ld", '{"@id": "urn:a", "urn:b": "c"}')):
        read_skos({"form": form}, text.encode())
    sample = rb"""@string{m = "May"}
@book{a, author={\"O, B and {C D}}, title={\emph{x} \url{y}}, month=m, year=2000}
@"""
    read_bibliography({}, sample)
    return {"skos": read_skos, "bibliography": read_bibliography}


def _pictures() -> dict[str, Task]:
    from PIL import Image

    from mokuji.formats import media

    Image.init()

    def recognise(told: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes]:
        found = media.recognise_here(data, told["name"])
        same = found.data == data
        about = {"type": found.type, "ending": found.ending, "width": found.width, "height": found.height}
        return {**about, "same": same}, b"" if same else found.data

    def at_width(told: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes]:
        made = media.at_width_here(data, told["width"])
        return {"made": made is not None}, made or b""

    # The smallest GIF (from memory): pictures of all kinds are decoded by what is loaded then.
    gif = base64.b64decode("R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7")
    recognise({"name": ""}, gif)
    recognise({"name": ""}, b'<svg xmlns="http://www.w3.org/2000/svg"/>')
    at_width({"width": 1}, gif)
    return {"recognise": recognise, "at_width": at_width}


def _code() -> dict[str, Task]:
    from mokuji.core.html import code

    def colour(told: dict[str, Any], data: bytes) -> tuple[dict[str, Any], bytes]:
        made = code.colour_here(data.decode("utf-8", "surrogatepass"), told["language"])
        return {"coloured": made is not None}, (made or "").encode("utf-8", "surrogatepass")

    return {"colour": colour}


def _refuse(event: str, _: tuple[object, ...]) -> None:
    if event.startswith(_FORBIDDEN):
        raise PermissionError(f"Nothing is loaded here ({event}).")


def _give_up(sort: str, memory: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if sort != "code":
        resource.setrlimit(resource.RLIMIT_NOFILE, (3, 3))
        sys.addaudithook(_refuse)


def main(sort: str, memory: int) -> None:
    """Answers tasks on standard input until there are no more."""
    # Ctrl-C is for the server: it closes the input when it ends.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    tasks_in: IO[bytes] = os.fdopen(0, "rb", closefd=False)
    answers: IO[bytes] = os.fdopen(1, "wb", closefd=False)
    sys.stdout = sys.stderr
    tasks = {"imports": _imports, "pictures": _pictures, "code": _code}[sort]()
    _give_up(sort, memory)
    send(answers, {"ready": True})
    while True:
        try:
            told, data = receive(tasks_in)
        except EOFError:
            return
        try:
            answer, out = tasks[told.pop("task")](told, data)
        except MokujiError as fault:
            said = {"kind": type(fault).__name__, "message": fault.message, "code": fault.code}
            answer, out = {"fault": said}, b""
        except (MemoryError, RecursionError):
            said = {"kind": "OverTime", "message": "This takes too much memory.", "code": "over_time"}
            answer, out = {"fault": said}, b""
        except Exception as fault:  # whatever a foreign parser stumbles over is said of what was sent
            said = {
                "kind": "BadFile",
                "message": f"This cannot be read: {type(fault).__name__}.",
                "code": "bad_file",
            }
            answer, out = {"fault": said}, b""
        send(answers, answer, out)
        del told, data, answer, out


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]))
