"""A page's text as safe HTML with open references.

``compile_page`` is done once per revision: references are taken out, the rest
is parsed, written (``writer``) and cleaned by nh3. What comes out is a
sequence of finished HTML and *open* places, each naming a reference and
whether it stands in text or inside a link. A view fills the open places, so
creating, deleting or renaming a page never spoils a stored rendering.

What holds: raw HTML of a writer is cleaned and cannot swallow the page;
identifiers and classes are ours alone; nesting is capped.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import nh3

from mokuji.core.text.headings import shown
from mokuji.core.text.lift import lift, outermost, prefix
from mokuji.core.text.parser import events
from mokuji.core.text.writer import Rules, Writer
from mokuji.core.wiki import Page

_TAGS = set(
    (
        "a abbr b bdi bdo blockquote br caption cite code col colgroup dd del details dfn div dl "
        "dt em figcaption figure h2 h3 h4 h5 h6 hr i ins kbd li mark ol p pre q rp rt ruby s samp "
        "small span strong sub summary sup table tbody td tfoot th thead time tr u ul var wbr"
    ).split()
)
_ATTRIBUTES = {
    "*": {"title", "lang", "dir"},
    "a": {"href"},
    "ol": {"start"},
    "td": {"align", "colspan", "rowspan"},
    "th": {"align", "colspan", "rowspan", "scope"},
    "time": {"datetime"},
    "details": {"open"},
}


@dataclass(frozen=True, slots=True)
class Open:
    """A place to be filled at each view: reference number ``index``; ``linked`` if it stands
    inside a link, where it can show words only."""

    index: int
    linked: bool


@dataclass(frozen=True, slots=True)
class Compiled:
    """A page as finished HTML with open places between; ``words`` counts the words in it."""

    pieces: tuple[str | Open, ...]
    words: int

    def fill(self, show: Callable[[Open], str]) -> str:
        """The whole HTML; ``show`` gives safe HTML for each open place."""
        return "".join(piece if isinstance(piece, str) else show(piece) for piece in self.pieces)


def compile_page(page: Page, anchors: Sequence[str], key: bytes) -> Compiled:
    """The page as HTML with open references.

    ``anchors`` are those of its headings, in order; ``key`` is secret, so that
    no writer can foresee a stand-in. Linear in the text.
    """
    offset = page.content.front_matter.span.end
    body = page.text[offset:]
    data = body.encode()
    outer, places = outermost(page.text, offset, page.content.references)
    lifted = lift(body, data, places, key)
    words = {n: shown(page.content.references[index], page.text, ()) for n, index in enumerate(outer)}
    writer = Writer(prefix(data, key), words, anchors)
    clean = nh3.clean(
        writer.write(list(events(lifted.text))),
        tags=_TAGS,
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    count = len(re.findall(r"\w+", re.sub(r"<[^>]*>", " ", clean)))
    return Compiled(_divide(clean, writer, outer), count)


def _divide(clean: str, writer: Writer, outer: Sequence[int]) -> tuple[str | Open, ...]:
    """Cuts cleaned HTML at the stand-ins: what is ours goes back in, references stay open."""
    mark = re.escape(writer.prefix)
    with_attributes = re.sub(rf">{mark}a(\d+)q", lambda found: writer.attributes[int(found[1])] + ">", clean)
    whole = re.sub(rf"{mark}o(\d+)q", lambda found: writer.own[int(found[1])], with_attributes)
    pieces: list[str | Open] = []
    at = 0
    for found in re.finditer(rf"{mark}(\d+)(l?)q", whole):
        pieces += (whole[at : found.start()], Open(outer[int(found[1])], bool(found[2])))
        at = found.end()
    pieces.append(whole[at:])
    return tuple(piece for piece in pieces if piece != "")


_INLINE_TAGS = set("b bdi code del em i kbd mark q s samp small span strong sub sup u var".split())


@lru_cache(maxsize=16384)
def inline(markdown: str) -> str:
    """A label as safe HTML: inline markup only, and no links, since it stands inside one."""
    if markdown.isalnum():
        return markdown
    written = Writer(rules=Rules(decorate=False, addresses=False)).write(list(events(markdown)))
    return nh3.clean(written, tags=_INLINE_TAGS, attributes={}, link_rel=None).strip()
