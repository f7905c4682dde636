"""A stand-in for a mail server and the mailboxes behind it: takes all mail over SMTP, sends none on, shows it in the
browser.

What becomes of a mail can be chosen by its address: one that begins with ``full`` has no room (452), one that begins
with ``gone`` is none (550). The whole server can be told to be down (421).
"""

from __future__ import annotations

import mailbox as mailboxes
import re
from dataclasses import dataclass, field
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from pathlib import Path
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from fastapi import FastAPI, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import Environment, PackageLoader, StrictUndefined, select_autoescape

LARGEST = 4_000_000
"""Maximum number of bytes of one mail."""
SHOWN = 200
_templates = Environment(
    loader=PackageLoader("mokuji.standins", "templates"),
    autoescape=select_autoescape(["html"]),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
_HEADERS = {
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; frame-src 'self'; "
    "frame-ancestors 'self'; base-uri 'none'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}


@dataclass(frozen=True, slots=True)
class Mail:
    """A mail that was taken."""

    number: str
    to: str
    subject: str
    date: str
    message: EmailMessage

    def part(self, kind: str) -> str:
        """Its text as ``plain`` or ``html``; empty if it has none."""
        found = self.message.get_body((kind,))
        return found.get_content() if found is not None else ""


@dataclass
class Mailbox:
    """The mail that was taken, in a folder (Maildir)."""

    folder: Path
    down: bool = False
    _kept: mailboxes.Maildir = field(init=False)

    def __post_init__(self) -> None:
        self._kept = mailboxes.Maildir(self.folder, create=True)

    async def handle_MAIL(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        """Begins a mail, unless the server is down."""
        if self.down:
            return "421 4.3.2 Service not available"
        envelope.mail_from = address
        envelope.mail_options.extend(options)
        return "250 OK"

    async def handle_RCPT(
        self, server: SMTP, session: Session, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        """Takes an address, or says why not."""
        if address.startswith("full"):
            return "452 4.2.2 Mailbox full"
        if address.startswith("gone"):
            return "550 5.1.1 No such mailbox here"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        """Keeps a mail for each to whom it goes."""
        content = envelope.content if isinstance(envelope.content, bytes) else b""
        for address in envelope.rcpt_tos:
            self._kept.add(b"Delivered-To: " + address.encode() + b"\r\n" + content)
        return "250 OK"

    def mails(self) -> list[Mail]:
        """What was taken, the newest first."""
        self._kept._refresh()  # type: ignore[attr-defined]
        found = sorted(self._kept.keys(), key=_when, reverse=True)
        return [self.mail(number) for number in found[:SHOWN]]

    def mail(self, number: str) -> Mail:
        """One mail; KeyError if there is none."""
        message = BytesParser(policy=policy.default).parsebytes(self._kept.get_bytes(number))
        assert isinstance(message, EmailMessage)
        return Mail(
            number,
            str(message["Delivered-To"] or message["To"] or ""),
            str(message["Subject"] or ""),
            str(message["Date"] or ""),
            message,
        )


def _when(number: str) -> list[int]:
    """The order of mails: the numbers in their names say when they came (of Maildir: second, microsecond, process,
    count)."""
    return [int(each) for each in re.findall(r"\d+", number)[:4]]


def listening(box: Mailbox, host: str, port: int) -> Controller:
    """The mail server of a mailbox, not started yet."""
    return Controller(box, hostname=host, port=port, data_size_limit=LARGEST, enable_SMTPUTF8=True)


def pages(box: Mailbox) -> FastAPI:
    """The mailbox as people read it in a browser."""
    app = FastAPI(title="Mailbox", docs_url=None, redoc_url=None, openapi_url=None)

    def page(template: str, **values: Any) -> Response:
        return HTMLResponse(_templates.get_template(template).render(values), headers=_HEADERS)

    def found(number: str) -> Mail:
        try:
            return box.mail(number)
        except KeyError:
            raise HTTPException(404, "There is no such mail.") from None

    @app.get("/")
    def listed(to: str = "") -> Response:
        mails = box.mails()
        return page(
            "mailbox.html",
            mails=[each for each in mails if not to or each.to == to],
            addresses=sorted({each.to for each in mails}),
            to=to,
            down=box.down,
        )

    @app.get("/mail/{number}")
    def one(number: str) -> Response:
        return page("mail.html", mail=found(number))

    @app.get("/html/{number}")
    def html(number: str) -> Response:
        # What came in is shown in a frame of its own, in which nothing runs and nothing is fetched.
        headers = {
            **_HEADERS,
            "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; sandbox",
        }
        return HTMLResponse(found(number).part("html"), headers=headers)

    @app.post("/down")
    def switch() -> Response:
        box.down = not box.down
        return RedirectResponse("/", 303)

    return app
