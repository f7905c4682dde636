"""A page's text as safe HTML with open references.

``compile_page`` is done once per revision: references are taken out, the rest
is parsed, written as HTML by ``Writer`` and cleaned by nh3. What comes out is
a sequence of finished HTML and *open* places, each naming a reference and
whether it stands in text or inside a link. A view fills the open places, so
creating, deleting or renaming a page never spoils a stored rendering.

What holds: raw HTML of a writer is cleaned and cannot swallow the page;
identifiers and classes in it are ours alone; nesting is capped.
"""

from __future__ import annotations

import html
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from html.parser import HTMLParser
from typing import Any
from urllib.parse import quote

import nh3

from mokuji.core.text.headings import shown
from mokuji.core.text.lift import Lifted, lift
from mokuji.core.text.parser import events, tag_name
from mokuji.core.text.reference import Kind
from mokuji.core.wiki import Page

VERSION = 1
"""To be raised when the same text comes out as other HTML."""
DEEPEST = 40
"""Most levels of blocks, and of inline markup, that are shown as such; deeper ones lie flat."""

_URL_SAFE = "!#$%&'()*+,-./:;=?@_~"
_BARE = re.compile(r"(?:https?://|mailto:)[^\s<>\"“”]+")
_BARE_TAIL = re.compile(r"[?!.,:*_~'\"]+$|&[0-9A-Za-z]+;$")
_VOID = frozenset("area base br col embed hr img input link meta source track wbr".split())
_ALLOWED_TAGS = set(
    "a abbr b bdi bdo blockquote br caption cite code col colgroup dd del details dfn div dl dt em "
    "figcaption figure h2 h3 h4 h5 h6 hr i img ins kbd li mark ol p pre q rp rt ruby s samp small span "
    "strong sub summary sup table tbody td tfoot th thead time tr u ul var wbr".split()
)
_ALLOWED_ATTRIBUTES = {
    "*": {"title", "lang", "dir"},
    "a": {"href"},
    "ol": {"start"},
    "td": {"align", "colspan", "rowspan"},
    "th": {"align", "colspan", "rowspan", "scope"},
    "time": {"datetime"},
    "details": {"open"},
}
_ALIGN = {"Left": ' align="left"', "Center": ' align="center"', "Right": ' align="right"', "None": ""}


@dataclass(frozen=True, slots=True)
class Open:
    """A place to be filled at each view: reference number ``index``; ``linked`` if it stands
    inside a link, where it can show words only."""

    index: int
    linked: bool


@dataclass(frozen=True, slots=True)
class Compiled:
    """A page as finished HTML with open places between."""

    pieces: tuple[str | Open, ...]
    words: int

    def fill(self, show: Callable[[Open], str]) -> str:
        """The whole HTML; ``show`` gives safe HTML for each open place."""
        return "".join(piece if isinstance(piece, str) else show(piece) for piece in self.pieces)


def compile_page(page: Page, anchors: Sequence[str], key: bytes) -> Compiled:
    """The page as HTML with open references.

    ``anchors`` are those of its headings; ``key`` is secret, so that no writer
    can foresee a stand-in.
    """
    body_start = page.content.front_matter.span.end
    body = page.text[body_start:]
    outer, places = _outermost(page, body_start)
    lifted = lift(body, body.encode(), places, key)
    alts = {n: shown(page.content.references[index], page.text, ()) for n, index in enumerate(outer)}
    writer = Writer(lifted, alts, anchors)
    raw = writer.write(events(lifted.text))
    clean = nh3.clean(
        raw,
        tags=_ALLOWED_TAGS,
        attributes=_ALLOWED_ATTRIBUTES,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
        strip_comments=True,
    )
    pieces = _divide(clean, lifted.prefix or writer.prefix, writer.own, outer)
    return Compiled(tuple(pieces), len(re.findall(r"\w+", re.sub(r"<[^>]*>", " ", clean))))


@dataclass(frozen=True, slots=True)
class _Bytes:
    start: int
    end: int


def _outermost(page: Page, offset: int) -> tuple[list[int], list[_Bytes]]:
    """Indexes of the outermost references, and their byte ranges in the body."""
    from mokuji.core.spans import Span

    indexes: list[int] = []
    spans: list[Span] = []
    for index, reference in enumerate(page.content.references):
        if not spans or reference.span.start >= spans[-1].end:
            indexes.append(index)
            spans.append(reference.span)
    at, length, places = offset, 0, []
    for span in spans:
        start = length + len(page.text[at : span.start].encode())
        length = start + len(span.of(page.text).encode())
        places.append(_Bytes(start, length))
        at = span.end
    return indexes, places


def _divide(clean: str, prefix: str, own: Sequence[str], outer: Sequence[int]) -> Iterable[str | Open]:
    """Cuts cleaned HTML at the stand-ins: own HTML goes back in, references stay open."""
    pattern = re.compile(re.escape(prefix) + r"(\d+)(l?)q(?:(o)z)?|" + re.escape(prefix) + r"o(\d+)q")
    pieces: list[str | Open] = []
    buffer: list[str] = []
    at = 0
    for found in pattern.finditer(clean):
        buffer.append(clean[at : found.start()])
        at = found.end()
        if found[4] is not None:
            buffer.append(own[int(found[4])])
        else:
            pieces.append("".join(buffer))
            buffer = []
            pieces.append(Open(outer[int(found[1])], bool(found[2])))
    buffer.append(clean[at:])
    pieces.append("".join(buffer))
    return (piece for piece in pieces if piece != "")
