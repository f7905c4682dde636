"""From results to what a page shows: references as HTML, dates, sentences with their marks."""

from __future__ import annotations

import html
from collections.abc import Sequence
from datetime import datetime

from markupsafe import Markup

from mokuji.core.text.html import Compiled, Open, inline
from mokuji.core.text.reference import Kind
from mokuji.services.linking import Link
from mokuji.store.search import START, STOP
from mokuji.web import addresses

_MONTHS = "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec".split()


def page_html(compiled: Compiled, links: Sequence[Link], *, may_write: bool, under: str) -> Markup:
    """The text of a page with its open references filled in."""

    def show(place: Open) -> str:
        return reference(links[place.index], place, may_write=may_write, under=under)

    return Markup(compiled.fill(show))  # noqa: S704 - compiled HTML is clean, references are escaped below


def reference(link: Link, place: Open, *, may_write: bool, under: str) -> str:
    """One reference as safe HTML. Its state is told by shape and by words, never by colour alone."""
    words = inline(link.label) if link.label else html.escape(link.words)
    if place.linked:
        return f'<span id="ref-{place.index}">{words}</span>'
    if link.state == "listing":
        return f'<span class="listing" id="ref-{place.index}">List of pages</span>'
    lead = "Text of " if link.kind is Kind.INSERT else ""
    if link.state == "unwritten":
        to = addresses.page(link.volume, link.key)
        if may_write:
            to = addresses.act("edit", link.volume, link.key, under=under)
        said = f"“{link.title}” is not written yet"
        css = "unwritten"
    else:
        to = addresses.page(link.volume, link.key, link.anchor)
        said = "" if link.state == "page" else f"“{link.title}” has no such section"
        css = "ref" if link.state == "page" else "ref broken"
    title = f' title="{html.escape(said)}"' if said else ""
    card = f' data-card="{html.escape(addresses.act("card", link.volume, link.key))}"'
    return f'<a class="{css}" id="ref-{place.index}" href="{html.escape(to)}"{title}{card}>{lead}{words}</a>'


def day(moment: datetime) -> str:
    """A date as people say it: 24 Nov 2026."""
    return f"{moment.day} {_MONTHS[moment.month - 1]} {moment.year}"


def time(moment: datetime) -> str:
    """Date and time: 24 Nov 2026, 14:05 (UTC)."""
    return f"{day(moment)}, {moment:%H:%M}"


def marked(sentence: str) -> Markup:
    """Found words of a sentence in ``<mark>``; the rest escaped."""
    safe = html.escape(sentence).replace(START, "<mark>").replace(STOP, "</mark>")
    return Markup(safe)  # noqa: S704 - escaped above


def plural(number: int, one: str, many: str = "") -> str:
    """“1 page”, “1,204 pages”."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"


def initials(name: str) -> str:
    """The first letters of a name, at most two."""
    parts = name.split()
    return "".join(part[0] for part in (parts[:1] + parts[-1:] if len(parts) > 1 else parts))[:2].upper()
