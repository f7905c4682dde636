"""A compiled page with its open references filled in: the HTML that readers get.

The state of a reference is told by shape and by words, never by colour alone.
Where to go for writing an unwritten page, and for the card of a reference,
is for the caller to say.
"""

from __future__ import annotations

import html
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from urllib.parse import quote

from mokuji.core.names import address
from mokuji.core.text.html import Compiled, Open, inline
from mokuji.core.text.reference import Kind
from mokuji.services.linking import Link


@dataclass(frozen=True, slots=True)
class Addresses:
    """Where references lead besides pages: ``write`` for an unwritten name, ``card`` for the first words of
    a page. None: there is no such place."""

    write: Callable[[Link], str] | None = None
    card: Callable[[Link], str] | None = None


def page_html(compiled: Compiled, links: Sequence[Link], to: Addresses | None = None) -> str:
    """The text of a page as safe HTML: what was compiled is clean, what is filled in is escaped here."""
    where = to or Addresses()
    return compiled.fill(lambda place: _reference(links[place.index], place, where))


def _reference(link: Link, place: Open, to: Addresses) -> str:
    words = inline(link.label) if link.label else html.escape(link.words)
    if place.linked:
        return f'<span id="ref-{place.index}">{words}</span>'
    if link.state == "listing":
        return f'<span class="listing" id="ref-{place.index}">List of pages</span>'
    href, css, said = _target(link, to)
    title = f' title="{html.escape(said)}"' if said else ""
    card = f' data-card="{html.escape(to.card(link))}"' if to.card is not None else ""
    lead = "Text of " if link.kind is Kind.INSERT else ""
    return (
        f'<a class="{css}" id="ref-{place.index}" href="{html.escape(href)}"{title}{card}>{lead}{words}</a>'
    )


def _target(link: Link, to: Addresses) -> tuple[str, str, str]:
    """Address, class, and what is said of it."""
    here = address(link.volume, link.key)
    if link.state == "unwritten":
        href = here if to.write is None else to.write(link)
        return href, "unwritten", f"“{link.title}” is not written yet"
    if link.state == "broken":
        return here, "ref broken", f"“{link.title}” has no such section"
    return here + (f"#{quote(link.anchor, safe='')}" if link.anchor else ""), "ref", ""
