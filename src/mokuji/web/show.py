"""From results to what a page shows: references with their addresses, dates, numbers."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from markupsafe import Markup

from mokuji.core.text.html import Compiled
from mokuji.services import rendering
from mokuji.services.linking import Link
from mokuji.web import addresses

_MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


def page_html(compiled: Compiled, links: Sequence[Link], *, may_write: bool, under: str) -> Markup:
    """The text of a page for a browser; unwritten names lead straight into writing for who may."""

    def write(link: Link) -> str:
        return addresses.act("edit", link.volume, link.key, under=under)

    def card(link: Link) -> str:
        return addresses.act("card", link.volume, link.key)

    to = rendering.Addresses(write if may_write else None, card)
    return Markup(rendering.page_html(compiled, links, to))  # noqa: S704 - safe by its own word


def day(moment: datetime) -> str:
    """A date as people say it: 24 Nov 2026."""
    return f"{moment.day} {_MONTHS[moment.month - 1]} {moment.year}"


def time(moment: datetime) -> str:
    """Date and time: 24 Nov 2026, 14:05 (UTC)."""
    return f"{day(moment)}, {moment:%H:%M}"


def plural(number: int, one: str, many: str = "") -> str:
    """“1 page”, “1,204 pages”."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def initials(name: str) -> str:
    """The first letters of a name, at most two."""
    parts = name.split()
    return "".join(part[0] for part in (parts[:1] + parts[-1:] if len(parts) > 1 else parts))[:2].upper()
