"""How much of a text is read and laid out at once.

Work on a text costs by the step: a parser's event, or a reference. A few thousand characters can have half a million
steps (a table whose short rows are filled up), so they are counted, not the characters. What holds: the largest page of
ordinary writing has fewer steps than ``MOST``. Of any other as many whole blocks are laid out as ``MOST`` steps reach;
one with more than ``MOST_READ`` is not taken at all.
"""

from __future__ import annotations

from itertools import islice
from typing import Any

from mokuji.core.syntax.parser import events, ranges

MOST = 300_000
"""Maximum number of steps of a text that is laid out: three to four seconds of work."""
MOST_READ = 2 * MOST
"""Maximum number of steps of a page that is saved: four to six seconds of work."""
STAND_IN = 4
"""Steps that a reference, a mark, a source or a person costs, who is looked up at each view."""


def too_many(text: str) -> bool:
    """Whether reading a text would take more than ``MOST_READ`` steps."""
    # No text has many more events than characters, but for tables, whose cells the parser itself bounds.
    if STAND_IN * len(text) < MOST_READ:
        return False
    left = MOST_READ - STAND_IN * text.count("[[")
    return left < 0 or next(islice(events(text), left, None), None) is not None


def measured(text: str, mark: str, most: int = MOST) -> tuple[list[Any], int]:
    """The parser's events of the longest part of a text that has at most ``most`` steps and ends between two blocks;
    and the code point where that part ends. ``mark`` begins each stand-in."""
    found = list(islice(events(text), most + 1))
    if len(found) + (STAND_IN * text.count(mark) if mark else 0) <= most:
        return found, len(text)
    end = _end(text, mark, most)
    return list(islice(events(text[:end]), most)), end


def _end(text: str, mark: str, most: int) -> int:
    data, sign = text.encode(), mark.encode()
    steps = depth = end = counted = 0
    for starts, ends, at in ranges(text):
        steps += 1
        depth += starts - ends
        if depth:
            continue
        if mark:
            steps += STAND_IN * data.count(sign, counted, at)
            counted = max(counted, at)
        if steps > most:
            break
        end = at
    return len(data[:end].decode())
