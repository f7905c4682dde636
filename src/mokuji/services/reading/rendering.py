"""A page as HTML for its readers: its text, what it inserts, its references with their states.

The state of a reference is told by shape and by words, never by colour alone.
Where to go for writing an unwritten page, and for the card of a reference,
is for the caller to say.
"""

from __future__ import annotations

import html
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING
from urllib.parse import quote

from mokuji.adapters.diagrams import MISSING, Drawn, draw, figure, known
from mokuji.core.assembly.assembly import ShownHeading, assemble
from mokuji.core.assembly.inserts import Fault, InsertCache, Inserter, Instance, Token
from mokuji.core.assembly.listing import ListedPage, Listing
from mokuji.core.base.findings import Problem
from mokuji.core.base.names import address
from mokuji.core.base.names import key as key_of
from mokuji.core.base.spans import Lines
from mokuji.core.html.html import Compiled, Open, inline
from mokuji.core.html.notices import grade
from mokuji.core.html.writer import Diagram, File
from mokuji.core.language.page import Page
from mokuji.core.reports.formulas import formula_problems
from mokuji.core.syntax.fences import DIAGRAM
from mokuji.core.syntax.reference import Kind
from mokuji.services import site
from mokuji.services.reading.inserting import Inserted
from mokuji.services.reading.linking import Link

if TYPE_CHECKING:
    from mokuji.services.app_context import AppContext, Ready

LONGEST_DRAWING = 5.0
"""Seconds after which no more diagrams of a page are drawn."""


@dataclass(frozen=True, slots=True)
class FileShown:
    """A file as it is shown: its address, media type, the width and height of a picture (else 0), and the smaller
    widths at which it can be had (``w`` in its address)."""

    href: str
    type: str
    width: int = 0
    height: int = 0
    widths: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Addresses:
    """Where references lead: ``write`` for an unwritten name, ``card`` for the first words of a page (None: there is
    no such place), ``page`` for a page itself."""

    write: Callable[[Link], str] | None = None
    card: Callable[[Link], str] | None = None
    page: Callable[[Link], str] = lambda link: site.link(address(link.volume, link.key))
    category: Callable[[str, str], str] | None = None
    """The address of a category, by the keys of volume and name."""
    lists: Callable[[int, Sequence[tuple[str | None, str]]], Listing | None] | None = None
    """Makes the lists of pages, from the volume where one is typed and its values."""
    file: Callable[[int, str], FileShown | None] | None = None
    """What a file is, by the volume where it is named and its name; without it files show as their words."""
    person: Callable[[str], tuple[str, str] | None] | None = None
    """Who somebody is, by the handle: name and address."""
    marks_nobody: bool = False
    """Whether handles that are nobody's are marked."""
    source: Callable[[str], str | None] | None = None
    """A source as it reads in a list, as HTML, by its name."""
    inline: Callable[[int], str] | None = None
    """Where an insert of the page itself is replaced by its text, by its index among the references."""
    prepare: Callable[[Inserted], None] | None = None
    """Looks up what pages name, all at once, before they are laid out."""
    diagram: Callable[[Diagram], str] | None = None
    """How a diagram stands where its drawing is of no use."""


@dataclass(frozen=True, slots=True)
class Outlined:
    """A heading in the list of a page's headings; ``depth`` from 0. ``own`` ones are typed on the page itself."""

    number: str
    words: str
    anchor: str
    depth: int
    own: bool


@dataclass(frozen=True, slots=True)
class PlacedProblem:
    """A problem with its line in the text."""

    problem: Problem
    line: int


@dataclass(frozen=True)
class Rendered:
    """A page as it is shown: its HTML, the list of its headings, and all its problems in the order of the text."""

    html: str
    outline: tuple[Outlined, ...]
    problems: tuple[PlacedProblem, ...]
    lasting: bool = True
    """Whether it would be laid out the same in a while, if nothing is written: not if a diagram was not drawn."""


def render(
    key: bytes,
    page: Page,
    compiled: Compiled,
    anchors: Sequence[str],
    inserted: Inserted,
    to: Addresses | None = None,
    kept: InsertCache | None = None,
) -> Rendered:
    """A page with everything put in that it inserts: what was compiled is clean, what is filled in is escaped here.

    ``key`` is that with which the page was compiled; ``kept`` keeps what is compiled now.
    """
    inserter = Inserter(key, (volume.key for volume in inserted.volumes.values()), kept)
    root = inserter.whole(page, compiled)
    to = to or Addresses()
    if to.prepare is not None:
        to.prepare(inserted)
    show = _Show(inserted, to, root)
    assembled = assemble(inserter, root, anchors, show)
    return Rendered(
        assembled.html,
        _numbered(assembled.headings),
        _problems(page, assembled.faults.items(), known),
        show.lasting,
    )


def render_ready(app: AppContext, ready: Ready, inserted: Inserted, to: Addresses | None = None) -> Rendered:
    """A page that was compiled for the desk, as it is shown."""
    return render(app.secret, ready.page, ready.compiled, ready.anchors, inserted, to, app.inserts)


def diagram_problems(page: Page, drawn: Callable[[str], Drawn | None]) -> Iterator[Problem]:
    """What is wrong with the diagrams of a page, at the line of each that is told."""
    for fence in page.content.diagrams:
        found = drawn(fence.source)
        if found is not None and found.fault and found is not MISSING:
            at = fence.lines[found.line - 1] if 0 < found.line <= len(fence.lines) else fence.opening
            yield Problem("diagram", f"This diagram cannot be drawn. {found.fault}", at)


def text_problems(page: Page, drawn: Callable[[str], Drawn | None]) -> list[Problem]:
    """What of a text is not understood, whatever it is put together with: the language, formulas, diagrams."""
    content = page.content
    return [*content.problems, *formula_problems(content), *diagram_problems(page, drawn)]


def _problems(page: Page, faults: object, drawn: Callable[[str], Drawn | None]) -> tuple[PlacedProblem, ...]:
    problems = text_problems(page, drawn)
    for index, found in faults:  # type: ignore[attr-defined]
        span = page.content.references[index].span
        problems += [Problem(fault.code, fault.message, span) for fault in found]
    if not problems:
        return ()
    lines = Lines(page.text)
    problems.sort(key=lambda problem: problem.span)
    return tuple(PlacedProblem(each, lines.position(each.span.start).line) for each in problems)


def _numbered(headings: Sequence[ShownHeading]) -> tuple[Outlined, ...]:
    """The headings, numbered 1, 1.1 … by their levels; a level that is skipped counts as one step."""
    found: list[Outlined] = []
    levels: list[int] = []
    counts: list[int] = []
    for heading in headings:
        while levels and levels[-1] > heading.level:
            levels.pop()
            counts.pop()
        if not levels or levels[-1] < heading.level:
            levels.append(heading.level)
            counts.append(0)
        counts[-1] += 1
        number = ".".join(map(str, counts))
        found.append(Outlined(number, heading.words, heading.anchor, len(levels) - 1, heading.own))
    return tuple(found)


def _size(wanted: str, width: int | None, height: int | None) -> str:
    """The size of a picture as attributes: part of the line (in steps of 5 %), or in pixels, or its own."""
    if wanted.endswith("%"):
        return f' class="w{max(5, min(100, 5 * round(int(wanted[:-1]) / 5)))}"'
    if wanted:
        pixels = int(wanted[:-2])
        high = f' height="{max(1, round(height * pixels / width))}"' if width and height else ""
        return f' width="{pixels}"{high}'
    return f' width="{width}" height="{height}"' if width and height else ""


class _Show:
    """How references of the pages that are needed look (``core.assembly.assembly.Show``)."""

    def __init__(self, inserted: Inserted, to: Addresses, root: Instance) -> None:
        self._inserted = inserted
        self._to = to
        self._root = root
        self._drawing = 0.0
        self.lasting = True

    def _link(self, token: Token) -> Link:
        return self._inserted.links[token.page.head.id][token.index]

    def page(self, token: Token) -> Page | None:
        link = self._link(token)
        # A page that is not saved yet has no id either.
        return self._inserted.pages.get(link.page) if link.state != "unwritten" else None

    def link(self, token: Token, label: str, place: Open, *, anchor: str | None, own: bool) -> str:
        link = self._link(token)
        words = inline(label) if label else html.escape(link.words)
        id_ = f' id="ref-{token.index}"' if own else ""
        if place.linked:
            return f"<span{id_}>{words}</span>"
        href, css, said = (
            _target(link, self._to) if anchor is None else (f"#{quote(anchor, safe='')}", "ref", "")
        )
        title = f' title="{html.escape(said)}"' if said else ""
        card = f' data-card="{html.escape(self._to.card(link))}"' if self._to.card is not None else ""
        lead = "Text of " if link.kind is Kind.INSERT else ""
        shown = f'<a class="{css}"{id_} href="{html.escape(href)}"{title}{card}>{lead}{words}</a>'
        return f"<p>{shown}</p>\n" if place.block else shown

    def listing(
        self, token: Token, values: Sequence[tuple[str | None, str]], place: Open
    ) -> tuple[str, list[Fault]]:
        made = self._to.lists(token.page.head.volume, values) if self._to.lists is not None else None
        if made is None:
            shown = '<span class="listing">A list of pages stands here.</span>'
            return (f"<p>{shown}</p>\n" if place.block else shown), []
        links = [self._row(made, row) for row in made.rows]
        if not place.block:
            none = "" if links or made.faults else '<span class="listing">no page yet</span>'
            return ", ".join(links) or none, list(made.faults)
        if not made.rows and not made.faults:
            return '<p class="listing">No page is listed yet.</p>\n', []
        if made.query.table and made.rows:
            return _table(made, links), list(made.faults)
        items = "".join(
            f"<li>{link}{f': {html.escape(row.summary)}' if row.summary else ''}</li>\n"
            for link, row in zip(links, made.rows, strict=True)
        )
        return (f'<ul class="listing">\n{items}</ul>\n' if items else ""), list(made.faults)

    def _row(self, made: Listing, row: ListedPage) -> str:
        link = Link("page", Kind.LINK, "", "", made.volume.key, row.head.key, row.head.title)
        href, css, _ = _target(link, self._to)
        card = f' data-card="{html.escape(self._to.card(link))}"' if self._to.card is not None else ""
        return f'<a class="{css}" href="{html.escape(href)}"{card}>{html.escape(row.head.title)}</a>'

    def inserted(self, html_: str, token: Token, page: Page, place: Open) -> str:
        volume = self._inserted.volumes[page.head.volume]
        title = (
            page.head.title
            if volume.id == self._root.page.head.volume
            else f"{volume.title} / {page.head.title}"
        )
        section = token.reference.section
        named = html.escape(f"{title} § {section}" if section else title)
        id_ = f' id="ref-{token.index}"' if token.page is self._root.page else ""
        href = html.escape(self._to.page(self._link(token)))
        if place.block:
            source = f'<a href="{href}">{named}</a>'
            if self._to.inline is not None and id_:
                source += f' · <a href="{html.escape(self._to.inline(token.index))}">put its text here</a>'
            return f'<div class="insert"{id_}><div class="source">{source}</div>\n{html_}</div>\n'
        return f'<span class="insert" title="from “{named}”"{id_}>{html_}</span>'

    def signal(self, tag: str, word: str, page: Page) -> str:
        volume = self._inserted.volumes.get(page.head.volume)
        found = grade(word, volume.language if volume is not None else "")
        return f"<{tag}>" if found is None else f'<{tag} class="notice-in-text {found}" role="note">'

    def mark(self, word: str, page: Page) -> str:
        shown = f"#{html.escape(word)}"
        volume = self._inserted.volumes.get(page.head.volume)
        if self._to.category is None or volume is None:
            return f'<span class="mark">{shown}</span>'
        href = html.escape(self._to.category(volume.key, key_of(word)))
        return f'<a class="mark" href="{href}">{shown}</a>'

    def person(self, handle: str) -> str:
        shown = f"@{html.escape(handle)}"
        known = self._to.person(handle) if self._to.person is not None else None
        if known is None:
            # Whoever may not write here cannot mend it, and may know none of the people.
            missing = ' class="nobody" title="Nobody here has this handle"' if self._to.marks_nobody else ""
            return f"<span{missing}>{shown}</span>" if missing else shown
        return f'<a class="person" href="{html.escape(known[1])}" title="{html.escape(known[0])}">{shown}</a>'

    def source(self, name: str) -> str | None:
        return self._to.source(name) if self._to.source is not None else None

    def file(self, file: File, page: Page) -> str:
        shown = self._to.file(page.head.volume, file.name) if self._to.file is not None else None
        home = self._root.page.head.volume
        if shown is None and self._to.file is not None and home != page.head.volume:
            # A value of an insert names files of the volume where it is typed.
            shown = self._to.file(home, file.name)
        title = f' title="{html.escape(file.title)}"' if file.title else ""
        name = html.escape(file.name)
        if shown is None:
            said = html.escape(f"There is no file “{file.name}”" if self._to.file is not None else file.name)
            if not file.picture:
                return f'<a class="no-file" title="{said}">'
            lost = " no-file" if self._to.file is not None else ""
            return f'<span class="picture{lost}" title="{said}">Picture: {html.escape(file.words) or name}</span>'
        href = html.escape(shown.href + file.fragment)
        if not file.picture:
            return f'<a class="file" href="{href}"{title}>'
        words = html.escape(file.words)
        sort = shown.type.partition("/")[0]
        if sort == "image":
            size = _size(file.width, shown.width, shown.height)
            several = "".join(f"{html.escape(f'{shown.href}&w={w}')} {w}w, " for w in shown.widths)
            if several:
                size += f' srcset="{several}{href} {shown.width}w" sizes="(max-width: 600px) 100vw, 560px"'
            return f'<img src="{href}" alt="{words}"{title}{size} loading="lazy">'
        if sort in {"video", "audio"}:
            return f'<{sort} controls preload="metadata" src="{href}" aria-label="{words or name}"{title}></{sort}>'
        return f'<a class="file" href="{href}"{title}>{words or name}</a>'

    def diagram(self, diagram: Diagram) -> str:
        if self._to.diagram is not None:
            return self._to.diagram(diagram)
        begun = time.monotonic()
        if self._drawing < LONGEST_DRAWING:
            drawn = draw(diagram.source)
            fault = drawn.fault
            if drawn.line:
                fault = f"Line {drawn.line} of this diagram: {fault}"
        else:
            drawn = None
            fault = "The diagrams of this page take too long to draw together. Move some to another page."
        self._drawing += time.monotonic() - begun
        if drawn is not None and drawn.svg:
            return figure(drawn.svg, diagram.caption, drawn.words, diagram.description)
        self.lasting = False
        source = f'<pre><code data-language="{DIAGRAM}">{html.escape(diagram.source)}</code></pre>'
        caption = f"<figcaption>{html.escape(diagram.caption)}</figcaption>" if diagram.caption else ""
        # HTML has a caption first in its figure, or last.
        return f'<figure class="code">{caption}<p class="problem">{html.escape(fault)}</p>{source}</figure>\n'

    def fault(self, faults: Sequence[Fault], place: Open) -> str:
        said = " ".join(html.escape(fault.message) for fault in dict.fromkeys(faults))
        if place.block:
            return f'<p class="problem">{said}</p>\n'
        return f' <span class="problem">{said}</span>'


def _table(made: Listing, links: Sequence[str]) -> str:
    columns = [each for each in made.query.show if each != "title"]
    head = "".join(f"<th>{html.escape(each[:1].upper() + each[1:])}</th>" for each in ("page", *columns))
    rows = []
    for link, row in zip(links, made.rows, strict=True):
        known = {**row.fields, "summary": row.summary, "changed": row.changed}
        cells = "".join(f"<td>{html.escape(known.get(column, ''))}</td>" for column in columns)
        rows.append(f"<tr><td>{link}</td>{cells}</tr>\n")
    return (
        f'<div class="table listing"><table><thead><tr>{head}</tr></thead>\n'
        f"<tbody>{''.join(rows)}</tbody></table></div>\n"
    )


def _target(link: Link, to: Addresses) -> tuple[str, str, str]:
    """Address, class, and what is said of it."""
    here = to.page(link)
    if link.state == "unwritten":
        href = here if to.write is None else to.write(link)
        return href, "unwritten", f"“{link.title}” is not written yet"
    if link.state == "broken":
        return here, "ref broken", f"“{link.title}” has no such section"
    return here + (f"#{quote(link.anchor, safe='')}" if link.anchor else ""), "ref", ""
