"""Raw HTML that writers type: what of it may stand as HTML, and what is shown as text.

HTML that is not closed within its own block or span is shown as text, so it
cannot swallow the page. Cleaning what may stand is nh3's work, later.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any, AnyStr

from mokuji.core.syntax.parser import tag_name

DEEPEST = 40
"""Maximum number of levels of raw tags inside each other."""

_TAG = re.compile(
    r"<(/?)([A-Za-z][A-Za-z0-9-]*+)"
    r"(?:\s++[A-Za-z_:][A-Za-z0-9_.:-]*+(?:\s*+=\s*+(?:\"[^\"]*+\"|'[^']*+'|[^\s\"'=<>`]++))?+)*+"
    r"\s*+(/?)>"
)
_VOID = frozenset(
    ["area", "base", "br", "col", "embed", "hr", "img", "input", "link", "meta", "source", "track", "wbr"]
)
_INLINE = {"Emphasis", "Strong", "Strikethrough", "Superscript", "Subscript", "Link", "Image"}


def comments(raw: AnyStr) -> Iterator[tuple[int, int]]:
    """Where the comments of some HTML begin and end. Found by their ends: an expression would look for the end of each
    that has none to the end of the text, and then again for the next."""
    opening, closing = (b"<!--", b"-->") if isinstance(raw, bytes) else ("<!--", "-->")
    at = raw.find(opening)
    while at >= 0:
        end = raw.find(closing, at + 4)
        if end < 0:
            return
        yield at, end + 3
        at = raw.find(opening, end + 3)


def without_comments(raw: str) -> str:
    """Some HTML, its comments taken out."""
    pieces: list[str] = []
    at = 0
    for start, end in comments(raw):
        pieces.append(raw[at:start])
        at = end
    return "".join([*pieces, raw[at:]])


def block_stands(raw: str) -> bool:
    """Whether a block of HTML is closed in itself and not nested too deep."""
    raw = without_comments(raw)
    stack: list[str] = []
    at = 0
    for match in _TAG.finditer(raw):
        if "<" in raw[at : match.start()]:
            return False
        at = match.end()
        name = match[2].lower()
        if name in _VOID or match[3]:
            continue
        if not match[1]:
            stack.append(name)
            if len(stack) > DEEPEST:
                return False
        elif not stack or stack.pop() != name:
            return False
    return not stack and "<" not in raw[at:]


class _Spans:
    """Pairs inline tags; a tag pairs only with one in the same span of the same block."""

    def __init__(self) -> None:
        self.stands: set[int] = set()
        self.open: list[tuple[str, int]] = []

    def span_ends(self) -> None:
        while self.open and self.open.pop()[0]:
            pass

    def tag(self, index: int, raw: str) -> None:
        match = _TAG.fullmatch(raw)
        if match is None:  # a comment, an instruction, a declaration: nothing that opens
            self.stands.add(index)
            return
        name = match[2].lower()
        if name in _VOID or match[3]:
            self.stands.add(index)
        elif not match[1]:
            self.open.append((name, index))
        elif self.open and self.open[-1][0] == name:
            _, start = self.open.pop()
            if len(self.open) < DEEPEST:
                self.stands |= {start, index}


def inline_stands(events: Sequence[Any]) -> set[int]:
    """The indexes of those inline HTML events that pair up within their own span."""
    spans = _Spans()
    for index, event in enumerate(events):
        if isinstance(event, str):
            continue
        if "InlineHtml" in event:
            spans.tag(index, event["InlineHtml"])
        elif "Start" in event:
            if tag_name(event["Start"]) in _INLINE:
                spans.open.append(("", index))
            else:
                spans.open.clear()
        elif "End" in event:
            if tag_name(event["End"]) in _INLINE:
                spans.span_ends()
            else:
                spans.open.clear()
    return spans.stands
