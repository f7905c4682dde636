"""Whoever tells and sends may be killed at any moment: nothing is lost, and what goes again has the same name."""

from __future__ import annotations

import asyncio
import os
import signal
import socket
import subprocess
import sys
import time
from collections import Counter
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from aiosmtpd.smtp import SMTP, Envelope, Session

from mokuji.adapters.smtp import MailServer
from mokuji.core.model.policy import Actor, Role
from mokuji.core.telling.watching import Mail
from mokuji.services.app_context import AppContext
from mokuji.services.telling import delivering, inbox, mailing, watching
from mokuji.services.telling.watching import Wanted
from mokuji.standins import mailbox
from mokuji.telling import sending
from mokuji.telling.sending import Post
from mokuji.web.telling_places import PLACES
from tests.copies import made_once
from tests.services.making import edit, pages, person, volume

TELLS = """
import sys, time
from mokuji.adapters.smtp import MailServer
from mokuji.services.app_context import AppContext
from mokuji.services.telling import delivering
from mokuji.store.database import connect
from mokuji.store.telling import entries
from mokuji.telling import sending
from mokuji.web.telling_places import PLACES

url, port, held = sys.argv[1:]
app = AppContext(connect(url), b"a key for tests only")
if held == "telling":
    add = entries.add
    entries.add = lambda *given: (add(*given), print("now", flush=True), time.sleep(60))
    delivering.tell(app)
else:
    delivering.tell(app)
    sending.chore(app, sending.Post(MailServer.at(f"smtp://127.0.0.1:{port}", "mokuji@tern.example"), PLACES))
"""


class _Slow(mailbox.Mailbox):
    """A mailbox that keeps a mail, and does not come to say so."""

    slow = True

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        kept = await super().handle_DATA(server, session, envelope)
        if self.slow:
            (self.folder / "kept").touch()
            await asyncio.sleep(60)
        return kept


def _fill(app: AppContext) -> tuple[Actor, Actor]:
    volume(app, "Guide")
    writer = person(app, "wenna", guide=Role.OWNER)
    reader = person(app, "jonas", guide=Role.WRITER)
    pages(app, writer, "guide", {"Mast": "A mast."})
    delivering.tell(app)
    watching.watch(app, reader, Wanted("volume", "guide"))
    mailing.set_mail(app, reader, "jonas@tern.example", Mail.AT_ONCE)
    mailing.confirm(app, mailing.confirming_word(app, reader.person or 0, "jonas@tern.example", app.clock()))
    return writer, reader


app, made = made_once(_fill)


def _begun(app: AppContext, port: int, held: str) -> subprocess.Popen[bytes]:
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)}
    command = [sys.executable, "-c", TELLS, app.url, str(port), held]
    return subprocess.Popen(command, stdout=subprocess.PIPE, env=environment)


@pytest.mark.parametrize("held", ["telling", "sending"])
def test_a_kill_loses_nothing_and_repeats_a_mail_at_most_once(
    app: AppContext, made: tuple[Actor, Actor], tmp_path: Path, held: str
) -> None:
    writer, reader = made
    edit(app, writer, "guide", "Mast", "Another mast.")
    box = _Slow(tmp_path / "mail")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    controller = mailbox.listening(box, "127.0.0.1", port)
    controller.start()
    try:
        with _begun(app, port, held) as process:
            assert process.stdout is not None
            if held == "telling":
                assert process.stdout.readline() == b"now\n"
            begun = time.monotonic()
            while held == "sending" and not (box.folder / "kept").exists():
                assert time.monotonic() - begun < 60
                time.sleep(0.05)
            process.send_signal(signal.SIGKILL)
        box.slow = False
        later = replace(app, clock=lambda: datetime.now(UTC) + timedelta(minutes=10))
        delivering.tell(later)
        for _ in range(3):
            sending.chore(
                later, Post(MailServer.at(f"smtp://127.0.0.1:{port}", "mokuji@tern.example"), PLACES)
            )
        names = Counter(str(each.message["Message-ID"]) for each in box.mails())
        assert list(names.values()) == ([1] if held == "telling" else [2])
        assert inbox.unread(app, reader) == 1
    finally:
        controller.stop()
