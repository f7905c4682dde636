"""Headings put higher or lower, when their passage goes to another place."""

from __future__ import annotations

import re
from collections.abc import Sequence

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.syntax.headings import Heading

DEEPEST = 6
_MARKS = re.compile(r"#+")


def raised(page: Page, headings: Sequence[Heading], by: int) -> tuple[Edit, ...]:
    """Headings moved up by so many levels, none above level 2; underlined ones stay."""
    edits = []
    for heading in headings:
        start = heading.span.start
        if by > 0 and heading.level - by >= 2 and _MARKS.match(page.text, start):
            edits.append(Edit(Span(start, start + by), ""))
    return tuple(edits)


def lowered(page: Page, by: int) -> tuple[Edit, ...]:
    """All headings of a page moved down by so many levels, none below the deepest."""
    edits: list[Edit] = []
    for heading in page.content.headings:
        add = min(by, DEEPEST - heading.level)
        start = heading.span.start
        if add > 0 and page.text[start : start + 1] == "#":
            edits.append(Edit(Span(start, start + 1), "#" * (1 + add)))
    return tuple(edits)
