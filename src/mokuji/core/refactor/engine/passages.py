"""Where a passage stands as well: the same words, or others only in the places that become slots.

Lines may be led otherwise (in a list, in a quotation) and end otherwise. The
search is linear: between two fixed pieces the nearest end counts.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page

LONGEST_VALUE = 200
"""Maximum number of code points that stand in the place of a slot, all on one line."""
SHORTEST = 12
"""With fewer fixed letters and digits than that, a passage with slots would be found everywhere."""
_LEAD = re.compile(r"[ \t>]*(?:(?:[-*+]|\d{1,9}[.)])[ \t]+)*(?:#{1,6}[ \t]+)?")
_LINE_END = re.compile(r"\r\n|\n|\r")


@dataclass(frozen=True, slots=True)
class Hole:
    """A place in a passage that becomes a slot."""

    slot: str


@dataclass(frozen=True, slots=True)
class Match:
    """Where a passage stands, and what stands in its slots."""

    span: Span
    values: Mapping[str, Span]


class Pattern:
    """A passage to look for: fixed words and holes, in order."""

    def __init__(self, pieces: Sequence[str | Hole]) -> None:
        self._pieces = [piece for piece in pieces if piece != ""]
        self._fixed = [None if isinstance(piece, Hole) else _regex(piece) for piece in self._pieces]

    @property
    def words(self) -> str:
        """The fixed words, for a search of pages that may hold the passage."""
        return " ".join(piece for piece in self._pieces if isinstance(piece, str))

    @property
    def searchable(self) -> bool:
        """Whether enough of it is fixed."""
        fixed = sum(letter.isalnum() for letter in self.words)
        return bool(self._pieces) and (fixed > 0 if all(self._fixed) else fixed >= SHORTEST)

    def find(self, page: Page) -> Iterator[Match]:
        """The places on a page, in order, none inside another; references are whole in them and in their slots."""
        if not self.searchable:
            return
        first = next(n for n, regex in enumerate(self._fixed) if regex is not None)
        regex = self._fixed[first]
        assert regex is not None
        # Most pages are done with here: what stands in them need not be read.
        if regex.search(page.text) is None:
            return
        text, at = page.text, page.content.front_matter.span.end
        whole = [reference.span for reference in page.content.references]
        for match in regex.finditer(text, at):
            if match.start() < at:
                continue
            passage = self._from(text, match, first, at)
            if passage is not None and not _cuts(passage, whole):
                yield passage
                at = passage.span.end

    def _from(self, text: str, found: re.Match[str], first: int, least: int) -> Match | None:
        start, at = found.span()
        values: dict[str, Span] = {}
        if first:
            line = max(text.rfind("\n", 0, start), text.rfind("\r", 0, start)) + 1
            lead = _LEAD.match(text, line, start)
            begin = max(lead.end() if lead is not None else line, least)
            if not self._takes(text, 0, Span(begin, start), values):
                return None
            start = begin
        n = first + 1
        while n < len(self._pieces):
            regex = self._fixed[n + 1] if n + 1 < len(self._pieces) else None
            if regex is not None:
                following = regex.search(text, at + 1, at + LONGEST_VALUE + 2 * len(str(self._pieces[n + 1])))
                if following is None:
                    return None
                stop, behind = following.span()
            else:
                ended = _LINE_END.search(text, at)
                stop = behind = len(text[: ended.start()].rstrip()) if ended else len(text.rstrip())
            if not self._takes(text, n, Span(at, stop), values):
                return None
            at = behind
            n += 2
        return Match(Span(start, at), values)

    def _takes(self, text: str, n: int, span: Span, values: dict[str, Span]) -> bool:
        """Whether these words can stand in hole ``n``; if so they are its value."""
        hole = self._pieces[n]
        assert isinstance(hole, Hole)
        words = span.of(text)
        if (
            not words.strip()
            or words != words.strip()
            or len(words) > LONGEST_VALUE
            or _LINE_END.search(words)
        ):
            return False
        known = values.setdefault(hole.slot, span)
        return known.of(text) == words


def _regex(words: str) -> re.Pattern[str]:
    """Fixed words, their lines led and ended in any way; a word is not found in the middle of another."""
    lines = [re.escape(line) for line in _LINE_END.split(words)]
    before = r"(?<!\w)" if re.match(r"\w", words) else ""
    behind = r"(?!\w)" if re.search(r"\w\Z", words) else ""
    return re.compile(before + r"(?:\r\n|\n|\r)[ \t>]*?".join(lines) + behind)


def _cuts(passage: Match, whole: Sequence[Span]) -> bool:
    """Whether a passage, or what stands in one of its slots, begins or ends inside a reference."""
    spans = [passage.span, *passage.values.values()]
    return any(
        (inner.start < span.start < inner.end) or (inner.start < span.end < inner.end)
        for inner in whole
        if inner.start < passage.span.end and inner.end > passage.span.start
        for span in spans
    )
