"""Where a page says words without referring to anything: its text, picture descriptions, file names, slot values.

What is literal (code, HTML, math), headings' identifiers and references
themselves are passed over.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import CodePoints, Lines, Span
from mokuji.core.language.page import Page
from mokuji.core.syntax.parser import events_with_ranges, tag_name
from mokuji.core.syntax.reference import Kind

TEXT, LINK, PICTURE, FILE, VALUE = "text", "link", "picture", "file", "value"
NEAR = 300
"""Maximum number of code points of a line that are shown on either side of words that could be exchanged."""
_REFERENCE = re.compile(r"\[\[[^\[\]\r\n]*\]\]")
_OUTSIDE = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:|//|#")


@dataclass(frozen=True, slots=True)
class Stretch:
    """A range of a page in which words are said; ``kind`` is text, heading, link (the words of an outside one),
    picture, file or value."""

    kind: str
    span: Span


@dataclass(frozen=True, slots=True)
class Saying:
    """Words that could be exchanged: what they are, their line before and after, and the edit."""

    kind: str
    line: int
    before: str
    after: str
    edit: Edit


def stretches(page: Page) -> list[Stretch]:
    """All ranges in which a page says words that are no reference, in order."""
    offset = page.content.front_matter.span.end
    body = page.text[offset:]
    data = body.encode()
    at = CodePoints(data).at
    spans = [(kind, Span(offset + at(start), offset + at(end))) for kind, start, end in _raw(body, data)]
    references = page.content.references
    taken = [reference.span for reference in references]
    outer = _outermost(taken)
    ends = [span.end for span in outer]
    found = [
        Stretch(kind, piece)
        for kind, span in spans
        for piece in _without(span, outer, bisect_right(ends, span.start))
    ]
    for index, reference in enumerate(references):
        if reference.kind is not Kind.INSERT or reference.label_span is None:
            continue
        place = bisect_right(ends, reference.span.start)
        if outer[place] == reference.span:  # one in another's value stands in a reference itself
            found += [Stretch(VALUE, piece) for piece in _without(reference.label_span, taken, index + 1)]
    return sorted(found, key=lambda stretch: stretch.span)


def _raw(body: str, data: bytes) -> Iterator[tuple[str, int, int]]:
    """Kinds with byte ranges of a body."""
    verbatim = pictures = headings = links = 0
    autos: list[bool] = []
    for kind, value, start, end in events_with_ranges(body):
        name = tag_name(value) if kind in {"Start", "End"} else ""
        step = 1 if kind == "Start" else -1
        if name in {"CodeBlock", "HtmlBlock", "MetadataBlock"}:
            verbatim += step
        elif name == "Heading":
            headings += step
        elif name in {"Link", "Image"}:
            pictures += step if name == "Image" else 0
            links += step if name == "Link" else 0
            if kind == "Start":
                autos.append(value[name]["link_type"] in {"Autolink", "Email"})
                if not autos[-1]:
                    yield from _destination(value[name]["dest_url"], data, start, end)
            verbatim += step if autos[-1] else 0
            if kind == "End":
                autos.pop()
        elif kind == "Text" and not verbatim:
            yield _kind(pictures, headings, links), start, end


def _kind(pictures: int, headings: int, links: int) -> str:
    return PICTURE if pictures else "heading" if headings else LINK if links else TEXT


def _destination(url: str, data: bytes, start: int, end: int) -> Iterator[tuple[str, int, int]]:
    """The file name that a link or picture leads to, where it is typed."""
    typed = url.encode()
    at = data.rfind(b"(" + typed, start, end)
    if url and at >= 0 and not _OUTSIDE.match(url):
        yield FILE, at + 1, at + 1 + len(typed)


def _outermost(spans: Sequence[Span]) -> list[Span]:
    """Those that lie in no other one."""
    found: list[Span] = []
    for span in spans:
        if not found or span.start >= found[-1].end:
            found.append(span)
    return found


def _without(span: Span, taken: Sequence[Span], first: int) -> Iterator[Span]:
    """What is left of a range without others, which are in order: the ``first`` one that can reach into it and what
    follows, as far as it goes."""
    at = span.start
    for index in range(first, len(taken)):
        start, end = taken[index]
        if start >= span.end:
            break
        if end > at:
            if start > at:
                yield Span(at, start)
            at = max(at, end)
    if at < span.end:
        yield Span(at, span.end)


def sayings(page: Page, old: str, new: str) -> Iterator[Saying]:
    """Where a page says ``old`` without referring to it, and what it would say instead."""
    words = [word for word in names.key(old).split(" ") if word]
    if not words:
        return
    joined = r"(?:[\s_‐‑-]|%20)+".join(map(re.escape, words))
    pattern = re.compile(rf"(?<!\w){joined}(?!\w)", re.IGNORECASE)
    # Most pages that say the name say it in references only: that shows without parsing.
    if "[[=" not in page.text:
        besides = _REFERENCE.sub("[]", page.text)
        lowered = besides.casefold()
        if any(word.isascii() and word not in lowered for word in words) or not pattern.search(besides):
            return
    lines = Lines(page.text)
    for stretch in stretches(page):
        inside = stretch.span.of(page.text)
        for match in pattern.finditer(inside):
            span = Span(stretch.span.start + match.start(), stretch.span.start + match.end())
            written = (
                _file_name(match[0], new) if stretch.kind == FILE else names.like_typed(match[0], old, new)
            )
            if written == match[0]:
                continue
            yield Saying(stretch.kind, *exchanged(page.text, lines, span, written), Edit(span, written))


def exchanged(text: str, lines: Lines, span: Span, written: str) -> tuple[int, str, str]:
    """The line (from 1) of a range, what stands there, and what would with other words in its place. Of a long line
    only what is near: a page of one line that says a word a thousand times is not shown a thousand times."""
    place = lines.position(span.start).line
    first, last = lines.line_span(place), lines.line_span(lines.position(span.end).line)
    start, end = max(first.start, span.start - NEAR), min(last.end, span.end + NEAR)
    lead = ("…" if start > first.start else "") + text[start : span.start]
    tail = text[span.end : end].rstrip("\r\n") + ("…" if end < last.end else "")
    return place, lead + span.of(text) + tail, lead + written + tail


def _file_name(found: str, new: str) -> str:
    """The new words as they would stand in this file's name: parted and in capitals like the old ones."""
    parting = re.search(r"%20|[\s_‐‑-]", found)
    words = re.sub(r"[^\w]+", " ", new).split()
    written = (parting[0] if parting else "-").join(words)
    return written.lower() if found == found.lower() else written
