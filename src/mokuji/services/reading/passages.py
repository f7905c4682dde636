"""A passage of a page in its place: the lines around something to be mended, with the heading above."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.headings import words
from mokuji.services.app_context import AppContext, ReadContext, need_head
from mokuji.store.database import reading
from mokuji.store.places import contents
from mokuji.store.snapshot import StoredWiki

BEFORE = 5
BEHIND = 9
"""How many lines are shown before and behind what is marked."""
FROM_THE_TOP = 16
"""Number of lines that are shown of a page of which nothing is marked."""
LONGEST = 700
"""Number of characters of a line that are shown on either side of the mark."""


@dataclass(frozen=True, slots=True)
class Line:
    """A line of the text: its number from 1, and its words; ``marked`` are those in question."""

    number: int
    before: str
    marked: str = ""
    after: str = ""


@dataclass(frozen=True)
class PageLines:
    """Some lines of a page. ``path`` are the names above it in the contents, ``heading`` the one it stands under."""

    volume: Volume
    page: PageHead
    path: tuple[str, ...]
    heading: str
    lines: tuple[Line, ...]
    cut: bool


def passage(app: AppContext, actor: Actor, volume_key: str, page_key: str, marked: Span | None) -> PageLines:
    """The lines around a range of a page, or its first ones; Missing if the actor may not read it."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volumes, volume = context.volumes, context.volume(volume_key)
        head = need_head(connection, volume, page_key)
        page = StoredWiki(connection).pages([head.id])[head.id]
        if marked is not None and not 0 <= marked.start <= marked.end <= len(page.text):
            marked = None
        shown, cut = _lines(page, marked)
        heading = _heading(page, marked, volumes) if marked is not None else ""
        path = contents.above(connection, volume.id, head.key)
        return PageLines(volume, page.head, path, heading, shown, cut)


def _heading(page: Page, marked: Span, volumes: dict[str, Volume]) -> str:
    above = [heading for heading in page.content.headings if heading.span.start <= marked.start]
    return words(above[-1], page.text, page.content.references, volumes) if above else ""


def _lines(page: Page, marked: Span | None) -> tuple[tuple[Line, ...], bool]:
    text, lines = page.text, Lines(page.text)
    start = page.content.front_matter.span.end if marked is None else marked.start
    first = lines.position(start).line
    last = lines.position(marked.end).line if marked is not None else first
    count = lines.position(len(text)).line
    low = first if marked is None else max(1, first - BEFORE)
    high = min(count, first + FROM_THE_TOP if marked is None else last + BEHIND)
    found = [_line(text, number, lines.line_span(number), marked) for number in range(low, high + 1)]
    while found and not (found[-1].before + found[-1].marked).strip():
        found.pop()
    return tuple(found), high < count


def _line(text: str, number: int, span: Span, marked: Span | None) -> Line:
    end = span.start + len(span.of(text).rstrip("\r\n"))
    if marked is None or marked.end <= span.start or marked.start >= end:
        return Line(number, _shorter(text[span.start : end]))
    start, stop = max(marked.start, span.start), min(marked.end, end)
    before = text[span.start : start]
    lead = "… " if len(before) > LONGEST else ""
    return Line(number, lead + before[-LONGEST:], text[start:stop], _shorter(text[stop:end]))


def _shorter(words_: str) -> str:
    return words_ if len(words_) <= LONGEST else words_[:LONGEST] + " …"
