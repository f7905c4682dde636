"""From results to what a page shows: references with their addresses, dates, numbers."""

from __future__ import annotations

import re
from datetime import date, datetime
from functools import partial

from babel.dates import format_date
from markupsafe import Markup

from mokuji.core.base.phrases import counted
from mokuji.core.base.spans import Lines
from mokuji.core.diff.diff import Piece, common, compare
from mokuji.core.language.page import Page
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext
from mokuji.services.reading import listings, reading, rendering
from mokuji.services.reading.linking import Link
from mokuji.services.writing.assets_shown import AssetsShown
from mokuji.web import addresses

_LANGUAGE = "en"
"""That of all words of the interface."""


def places(
    app: AppContext, actor: Actor, *, may_write: bool, under: str, volume: str = "", revision: int = 0
) -> rendering.Addresses:
    """Where references lead in a browser; unwritten names lead straight into writing for who may. With ``volume`` and
    ``revision`` the inserts of the page ``under`` can be replaced by their text."""

    def write(link: Link) -> str:
        return addresses.act("edit", link.volume, link.key, under=under)

    def card(link: Link) -> str:
        at = {"at": link.anchor} if link.anchor else {}
        return addresses.act("card", link.volume, link.key, **at)

    shown = AssetsShown(app, actor)

    def inline(index: int) -> str:
        return addresses.plan("inline", volume, under, insert=index, revision=revision)

    return rendering.Addresses(
        write if may_write else None,
        card,
        category=addresses.category,
        file=shown.file,
        lists=partial(listings.listing, app, actor),
        # Who may not see the list of people is not told which handles are somebody's.
        person=shown.person if actor.signed_in else None,
        marks_nobody=may_write,
        source=shown.source,
        inline=inline if may_write and volume else None,
        prepare=shown.prepare,
    )


def heading_lines(page: Page) -> list[int]:
    """The lines of a page's headings, from 1."""
    lines = Lines(page.text)
    return [lines.position(heading.span.start).line for heading in page.content.headings]


def safe(rendered: rendering.Rendered) -> Markup:
    """The HTML of a page, which is safe by its own word."""
    return Markup(rendered.html)  # noqa: S704 - what is put in was escaped


def few(number: int, what: str = "") -> str:
    """A number of findings beside something else, of which no more than a thousand are counted: 12, 999+; with
    what they are: 12 orphans, 999+ orphans."""
    if number < reading.MANY:
        return counted(number, what) if what else str(number)
    return f"{reading.MANY - 1}+ {what}s" if what else f"{reading.MANY - 1}+"


def month(moment: datetime) -> str:
    """A month as people say it: Nov 2026."""
    return format_date(moment, "MMM y", locale=_LANGUAGE)


def day(moment: datetime) -> str:
    """A date as people say it: 24 Nov 2026."""
    return format_date(moment, "d MMM y", locale=_LANGUAGE)


def day_typed(typed: str) -> date | None:
    """A day as a field of a form gives it; None for what is none."""
    try:
        return date.fromisoformat(typed) if typed else None
    except ValueError:
        return None


def time(moment: datetime) -> str:
    """Date and time: 24 Nov 2026, 14:05 (UTC)."""
    return f"{day(moment)}, {moment:%H:%M}"


def initials(name: str) -> str:
    """The first letters of a name, at most two."""
    parts = name.split()
    return "".join(part[0] for part in (parts[:1] + parts[-1:] if len(parts) > 1 else parts))[:2].upper()


def beside(here: str, there: str) -> tuple[list[tuple[Piece, ...]], list[tuple[Piece, ...]]]:
    """Two passages that stand side by side, line by line, with what differs marked."""
    runs = compare(here, there)
    return (
        [line for run in runs for line in (run.after if run.kind == "same" else run.before)],
        [line for run in runs for line in run.after],
    )


_WORD_SIGN = re.compile(r"\w")


def sides(before: str, after: str) -> tuple[tuple[Piece, ...], tuple[Piece, ...]]:
    """A line before and after one exchange, with the words that differ marked, whole words each."""
    head, tail = common(before, after)
    while head and _WORD_SIGN.match(before, head - 1):
        head -= 1
    while tail and _WORD_SIGN.match(before, len(before) - tail):
        tail -= 1
    return _marked(before, head, tail), _marked(after, head, tail)


def _marked(line: str, head: int, tail: int) -> tuple[Piece, ...]:
    end = len(line) - tail
    parts = ((line[:head], False), (line[head:end], True), (line[end:], False))
    return tuple(Piece(words, marked) for words, marked in parts if words)
