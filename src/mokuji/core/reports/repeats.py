"""Repeated text: passages that stand in several places word for word, by the lines that saying them once would save.

A passage is one block or several behind each other (paragraphs, lists, tables,
code: what stands between empty lines). Only the longest ones are told: a block
that stands nowhere without the one before it is part of that one's passage.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import pairwise

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead

SHORTEST = 60
"""Fewer letters and digits than that are no passage worth a page of its own."""
LINE = 80
"""A paragraph is often typed as one line: so many characters count as one."""
LONGEST = 200
"""Maximum number of blocks of a passage on either side of the one that it was found by."""
_END = r"(?:\r\n|\n|\r)"
_FRONT = re.compile(rf"\A\ufeff?---[ \t]*{_END}(?:.*?{_END})??(?:---|\.\.\.)[ \t]*(?:{_END}|\Z)", re.DOTALL)
_FENCE = re.compile(r"[ \t>]{0,12}(`{3,}|~{3,})")
_LINE = re.compile(r"[^\r\n]*(?:\r\n|\n|\r|\Z)")
_NO_TEXT = re.compile(r"(?:\s++|#[^\r\n]*+|\[\[[^\]\r\n]*+\]\]|<!--(?:(?!-->)[^>])*+-->|[-*_|:]{3,}+)*+\Z")


@dataclass(frozen=True, slots=True)
class Repeat:
    """A passage with the places where it stands, each by page and range; ``lines`` it has, ``saved`` are the lines
    that there would be fewer if it stood once and was put in everywhere else."""

    words: str
    places: tuple[tuple[PageHead, Span], ...]
    lines: int
    saved: int


@dataclass(frozen=True, slots=True)
class _Block:
    key: int
    span: Span
    letters: int


def repeats(pages: Iterable[Page]) -> list[Repeat]:
    """The passages that stand in two places or more, what saves most first; linear in the texts."""
    texts: list[tuple[PageHead, str]] = []
    blocks: list[list[_Block]] = []
    where: dict[int, list[tuple[int, int]]] = {}
    for page in pages:
        found = list(_blocks(page.text))
        for n, block in enumerate(found):
            where.setdefault(block.key, []).append((len(blocks), n))
        texts.append((page.head, page.text))
        blocks.append(found)
    told: dict[tuple[tuple[int, int], ...], Repeat] = {}
    for places in where.values():
        if len(places) < 2:
            continue
        before = _beside(blocks, places, -1)
        if before is not None and len(where[before]) == len(places):
            continue
        first, last = 0, 0
        while before is not None and first > -LONGEST:
            first -= 1
            before = _beside(blocks, places, first - 1)
        while last < LONGEST and _beside(blocks, places, last + 1) is not None:
            last += 1
        if _overlap(places, last - first):
            continue
        at = tuple((page, n + first) for page, n in places)
        run = blocks[at[0][0]][at[0][1] : at[0][1] + last - first + 1]
        if sum(block.letters for block in run) < SHORTEST:
            continue
        spans = [Span(blocks[p][n].span.start, blocks[p][n + last - first].span.end) for p, n in at]
        words = spans[0].of(texts[at[0][0]][1])
        lines = sum(1 + max(0, len(line) - 1) // LINE for line in words.splitlines() if line.strip())
        stands = tuple((texts[p][0], span) for (p, _), span in zip(at, spans, strict=True))
        told[at] = Repeat(words, stands, lines, (len(stands) - 1) * lines - len(stands))
    found_all = [repeat for repeat in told.values() if repeat.saved > 0]
    return sorted(
        found_all, key=lambda r: (-r.saved, r.places[0][0].volume, r.places[0][0].key, r.places[0][1])
    )


def _beside(blocks: list[list[_Block]], places: list[tuple[int, int]], by: int) -> int | None:
    """The block that stands so far from all of these places, if it is the same one everywhere."""
    key: int | None = None
    for page, n in places:
        at = n + by
        if not 0 <= at < len(blocks[page]) or (key is not None and blocks[page][at].key != key):
            return None
        key = blocks[page][at].key
    return key


def _overlap(places: list[tuple[int, int]], length: int) -> bool:
    """Whether a passage of several blocks runs into itself, as in a text of equal lines."""
    return any(one[0] == other[0] and other[1] - one[1] <= length for one, other in pairwise(places))


def _blocks(text: str) -> Iterator[_Block]:
    """What stands between empty lines; code with empty lines in it is one block. Headings and blocks of references
    alone count only beside others."""
    front = _FRONT.match(text)
    at = front.end() if front is not None else 0
    start: int | None = None
    end = at
    fence = ""
    while at < len(text):
        line = _LINE.match(text, at)
        assert line is not None
        words = line[0].strip()
        mark = _FENCE.match(line[0])
        if mark is not None and not fence:
            fence = mark[1]
        elif fence and mark is not None and mark[1].startswith(fence) and words.strip("> ") == mark[1]:
            fence = ""
        if words or fence:
            start = at if start is None else start
            end = at + len(line[0].rstrip())
        elif start is not None:
            yield _block(text, start, end)
            start = None
        at = line.end()
    if start is not None:
        yield _block(text, start, end)


def _block(text: str, start: int, end: int) -> _Block:
    while text[start].isspace():
        start += 1
    words = text[start:end]
    plain = "" if _NO_TEXT.match(words) else words
    return _Block(hash(re.sub(r"\s+", " ", words)), Span(start, end), sum(map(str.isalnum, plain)))
