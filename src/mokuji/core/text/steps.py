"""How much of a text is laid out at once.

Laying out costs by the step: a parser's event, or a stand-in for what was taken out. A few thousand characters can
have half a million steps (a table whose short rows are filled up), so they are counted, not the characters. What holds:
a text of ordinary writing is laid out whole, since two million characters of it have fewer steps than ``MOST``; of
any other as many whole blocks as ``MOST`` steps reach.
"""

from __future__ import annotations

from itertools import islice
from typing import Any

from mokuji.core.text.parser import events, ranges

MOST = 300_000
"""Most steps of a text that is laid out: three to four seconds of work."""
STAND_IN = 4
"""Steps that a reference, a mark, a source or a person costs, who is looked up at each view."""


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
