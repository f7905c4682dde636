"""Where brackets count: the text the parser reports, and the literal ranges between.

Works on the byte offsets of the parser, before any reference is taken out.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from mokuji.core.syntax.parser import Event, tag_name

Range = tuple[int, int]
_LINKS = {"Link", "Image"}
_ROWS = {"TableRow", "TableHead"}
_LITERAL_EVENTS = {"Code", "InlineMath", "DisplayMath", "InlineHtml", "Html", "FootnoteReference"}


class Ranges:
    """Disjoint byte ranges in order; asks “does any hold this place?” by bisection."""

    def __init__(self, ranges: Iterable[Range]) -> None:
        self.starts: list[int] = []
        self.ends: list[int] = []
        for start, end in sorted(ranges):
            if self.ends and start <= self.ends[-1]:
                self.ends[-1] = max(self.ends[-1], end)
            elif start < end:
                self.starts.append(start)
                self.ends.append(end)

    def holds(self, start: int, end: int) -> bool:
        """Whether one of the ranges covers all of ``[start, end)``."""
        index = bisect_right(self.starts, start) - 1
        return index >= 0 and end <= self.ends[index]

    def starts_between(self, low: int, high: int) -> bool:
        """Whether one of the ranges begins in ``[low, high)``."""
        index = bisect_right(self.starts, low - 1)
        return index < len(self.starts) and self.starts[index] < high


@dataclass(frozen=True, slots=True)
class Coverage:
    """Byte ranges of a body: ``text`` where brackets count, ``literal`` inside of lines,
    ``html`` the blocks of raw HTML, ``dropped`` the surplus cells of tables (also in ``text``)."""

    text: Ranges
    literal: Ranges
    html: tuple[Range, ...]
    dropped: Ranges


class _Collector:
    """Takes the parser's events in order. Depth is kept in counters, never by recursion."""

    def __init__(self, data: bytes) -> None:
        self.data = data
        self.text: list[Range] = []
        self.literal: list[Range] = []
        self.html: list[Range] = []
        self.dropped: list[Range] = []
        self.verbatim = 0
        self.last_end = 0
        self.links: list[str] = []
        self.cell_end = 0

    def take_all(self, events: Iterable[Event]) -> None:
        text = self.text
        for kind, value, start, end in events:
            if kind == "Text":
                if not self.verbatim:
                    text.append((start, end))
            elif kind == "Start":
                self.start(value, start, end)
                self.last_end = start + 1
                continue
            elif kind == "End":
                self.end(value, end)
            elif kind in _LITERAL_EVENTS:
                self.literal.append((start, end))
            self.last_end = end

    def start(self, tag: Any, start: int, end: int) -> None:
        name = tag if tag.__class__ is str else tag_name(tag)
        if name in _LINKS:
            auto = tag[name]["link_type"] in {"Autolink", "Email"}
            self.links.append("auto" if auto else name)
            if auto:
                self.verbatim += 1
                self.literal.append((start, end))
            else:
                # The brackets of a link are its own until a reference claims them.
                self.text.append((start, start + (2 if name == "Image" else 1)))
        elif name == "CodeBlock":
            self.verbatim += 1
            self.literal.append((start, end))
        elif name == "HtmlBlock":
            self.html.append((start, end))
        elif name in _ROWS:
            self.cell_end = start

    def end(self, tag: Any, end: int) -> None:
        name = tag if tag.__class__ is str else tag_name(tag)
        if name == "TableCell":
            self.cell_end = end
        elif name in _LINKS:
            self.end_link(end)
        elif name == "CodeBlock":
            self.verbatim -= 1
        elif name in _ROWS and self.cell_end < end:
            # GFM drops surplus cells. A `|` inside a reference may have made the surplus,
            # so they count as text here; whoever takes references out checks again.
            self.dropped.append((self.cell_end, end))

    def end_link(self, end: int) -> None:
        kind = self.links.pop()
        if kind == "auto":
            self.verbatim -= 1
            return
        close = self.last_end
        if kind == "Image" and self.data[close : close + 1] == b"[":
            close += 1
        if self.data[close : close + 1] == b"]":
            self.text.append((close, close + 1))
            close += 1
        if close < end:
            self.literal.append((close, end))


def coverage(events: Iterable[Event], data: bytes) -> Coverage:
    """The coverage of a body from its events; ``data`` is its UTF-8. Linear."""
    collector = _Collector(data)
    collector.take_all(events)
    return Coverage(
        Ranges(collector.text + collector.dropped),
        Ranges(collector.literal),
        tuple(collector.html),
        Ranges(collector.dropped),
    )
