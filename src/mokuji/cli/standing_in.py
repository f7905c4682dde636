"""Stand-ins for outside services, run by a command."""

from __future__ import annotations

import sys
import threading
from pathlib import Path

import uvicorn

from mokuji.standins import mailbox as stand_in


def mailbox(folder: Path, port: int, smtp: int, *, beside: bool) -> None:
    """A mail server and its mailboxes, until told to end (``beside``: when standard input ends)."""
    box = stand_in.Mailbox(folder)
    controller = stand_in.listening(box, "127.0.0.1", smtp)
    server = uvicorn.Server(
        uvicorn.Config(stand_in.pages(box), "127.0.0.1", port, log_level="warning", access_log=False)
    )
    if beside:
        threading.Thread(target=_end_with_input, args=(server,), daemon=True).start()
    controller.start()
    try:
        server.run()
    finally:
        controller.stop()


def _end_with_input(server: uvicorn.Server) -> None:
    sys.stdin.buffer.read()
    server.should_exit = True
