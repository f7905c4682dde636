"""Where a page says words without referring to anything: its text, picture descriptions, file names, slot values.

What is literal (code, HTML, math), headings' identifiers and references
themselves are passed over.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import CodePoints, Lines, Span
from mokuji.core.language.page import Page
from mokuji.core.syntax.parser import events_with_ranges, tag_name
from mokuji.core.syntax.reference import Kind

TEXT, LINK, PICTURE, FILE, VALUE = "text", "link", "picture", "file", "value"
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
    taken = [reference.span for reference in page.content.references]
    found = [Stretch(kind, piece) for kind, span in spans for piece in _without(span, taken)]
    found += [
        Stretch(VALUE, piece)
        for reference in page.content.references
        if reference.kind is Kind.INSERT and reference.label_span is not None
        for piece in _without(reference.label_span, [span for span in taken if span != reference.span])
    ]
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


def _without(span: Span, taken: list[Span]) -> Iterator[Span]:
    at = span.start
    for start, end in taken:
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
            line = lines.position(span.start).line
            whole = lines.line_span(line)
            lead, tail = page.text[whole.start : span.start], page.text[span.end : whole.end].rstrip("\r\n")
            yield Saying(
                stretch.kind, line, lead + match[0] + tail, lead + written + tail, Edit(span, written)
            )


def _file_name(found: str, new: str) -> str:
    """The new words as they would stand in this file's name: parted and in capitals like the old ones."""
    parting = re.search(r"%20|[\s_‐‑-]", found)
    words = re.sub(r"[^\w]+", " ", new).split()
    written = (parting[0] if parting else "-").join(words)
    return written.lower() if found == found.lower() else written
