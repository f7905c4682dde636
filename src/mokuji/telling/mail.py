"""Mail as it is written: what somebody was told, as text and as HTML, with what lets it end by one click.

Sources: RFC 5322 (Message-ID, References), RFC 2369 and RFC 8058 (List-Unsubscribe), RFC 3834 (Auto-Submitted).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from email.headerregistry import Address
from email.message import EmailMessage
from email.utils import format_datetime

from jinja2 import Environment, PackageLoader, StrictUndefined, select_autoescape

from mokuji.adapters.smtp import POLICY
from mokuji.core.base.phrases import counted
from mokuji.core.diff.diff import near
from mokuji.services.telling.inbox import Entry
from mokuji.telling import words
from mokuji.telling.places import Places

LONGEST_SUBJECT = 150
_templates = Environment(
    loader=PackageLoader("mokuji.telling", "templates"),
    autoescape=select_autoescape(["html"]),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
)
_templates.filters["near"] = near


@dataclass(frozen=True, slots=True)
class Envelope:
    """Who a mail comes from and goes to, its Message-ID without brackets, when it was written, and the address that
    ends all mail (empty: none)."""

    sender: str
    to: str
    message: str
    at: datetime
    end: str = ""


def confirmation(envelope: Envelope, name: str, link: str) -> EmailMessage:
    """The mail that asks whether an address is somebody's."""
    mail = _mail(envelope, "Is this address yours?")
    _fill(mail, "confirm", {"name": name, "link": link})
    return mail


def of_changes(
    envelope: Envelope, name: str, entries: Sequence[Entry], places: Places, *, digest: bool, more: int = 0
) -> EmailMessage:
    """The mail that tells somebody of some changes, and of how many ``more`` there are."""
    first = entries[0]
    if digest or len(entries) > 1:
        about = ", ".join(dict.fromkeys(filter(None, map(words.about, entries))))
        subject = f"{counted(len(entries) + more, 'change')}: {about}"
    else:
        by = f" by {first.act.author}" if first.act is not None else ""
        subject = f"{words.about(first)}: {words.done(first).lower()}{by}"
    mail = _mail(envelope, subject)
    page = first.pages[0] if len(entries) == 1 and len(first.pages) == 1 else None
    if page is not None:
        # A mail that was never sent, which all mails of this page answer: programs show them together.
        host = envelope.message.partition("@")[2]
        root = f"<page-{page.id}@{host}>"
        mail["In-Reply-To"] = root
        mail["References"] = root
    values = {
        "name": name,
        "entries": entries,
        "words": words,
        "places": places,
        "end": envelope.end,
        "more": more,
    }
    _fill(mail, "changes", values)
    return mail


def _mail(envelope: Envelope, subject: str) -> EmailMessage:
    mail = EmailMessage(POLICY)
    mail["From"] = Address("Mokuji", addr_spec=envelope.sender)
    mail["To"] = Address(addr_spec=envelope.to)
    line = " ".join(subject.split())
    mail["Subject"] = line if len(line) <= LONGEST_SUBJECT else line[: LONGEST_SUBJECT - 1].rstrip() + "…"
    mail["Date"] = format_datetime(envelope.at)
    mail["Message-ID"] = f"<{envelope.message}>"
    mail["Auto-Submitted"] = "auto-generated"
    if envelope.end:
        mail["List-Unsubscribe"] = f"<{envelope.end}>"
        mail["List-Unsubscribe-Post"] = "List-Unsubscribe=One-Click"
    return mail


def _fill(mail: EmailMessage, template: str, values: dict[str, object]) -> None:
    mail.set_content(_templates.get_template(f"{template}.txt").render(values))
    mail.add_alternative(_templates.get_template(f"{template}.html").render(values), subtype="html")
