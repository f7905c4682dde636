"""Reports of mail that could not be delivered (RFC 3464), as a mail server hands them to a program."""

from __future__ import annotations

from dataclasses import dataclass
from email import policy
from email.message import EmailMessage, Message
from email.parser import BytesParser

LARGEST = 1_000_000
"""Maximum number of bytes that are read of one."""


@dataclass(frozen=True, slots=True)
class Bounce:
    """A mail that could not be delivered for good: its Message-ID without brackets, and why."""

    message: str
    why: str


def read(data: bytes) -> Bounce | None:
    """What a report says; None if it is none, or says that delivery goes on, or does not say of which mail."""
    report = BytesParser(policy=policy.default).parsebytes(data[:LARGEST])
    status = _part(report, "message/delivery-status")
    original = _part(report, "message/rfc822") or _part(report, "text/rfc822-headers")
    if status is None or original is None:
        return None
    failed = next(
        (each for each in _blocks(status) if str(each["Action"] or "").strip().lower() == "failed"), None
    )
    name = _name(original)
    if failed is None or not name:
        return None
    said = " ".join(str(failed["Diagnostic-Code"] or failed["Status"] or "it could not be delivered").split())
    return Bounce(name, said[:200])


def _part(report: Message, kind: str) -> Message | None:
    return next((each for each in report.walk() if each.get_content_type() == kind), None)


def _blocks(status: Message) -> list[Message]:
    """The groups of headers of a report: of the mail, then of each recipient."""
    payload = status.get_payload()
    return [each for each in payload if isinstance(each, Message)] if isinstance(payload, list) else []


def _name(original: Message) -> str:
    """The Message-ID of the mail that came back, whole or as its headers alone."""
    payload = original.get_payload()
    if isinstance(payload, list):
        inner = payload[0]
        assert isinstance(inner, Message)
        found = inner["Message-ID"]
    else:
        headers = BytesParser(policy=policy.default).parsebytes(
            original.get_content().encode() if isinstance(original, EmailMessage) else str(payload).encode(),
            True,
        )
        found = headers["Message-ID"]
    return str(found or "").strip().strip("<>")
