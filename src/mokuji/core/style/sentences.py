"""Where sentences end, and how many words they have.

The rules are the main ones of Unicode Standard Annex #29 (sentence
boundaries): a full stop ends one unless a small letter follows, “!” and “?”
do always, closing quotes and brackets go with what they close. Beyond them, a
few abbreviations that numbers and names follow end none (common practice).
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from mokuji.core.style.prose import HELD

_CLOSE = "\"'”’»)\\]}"
_END = re.compile(rf"(?<![.!?…])(?P<stop>[.!?…]++[{_CLOSE}]*+)\s++(?P<opening>[\"'“‘«(\[{{]*+)")
_SHORT = re.compile(
    r"(?<!\w)(?:e\.g|i\.e|approx|ca|cf|vs|etc|no|nos|fig|figs|p|pp|vol|ch|sec|st|mr|mrs|ms|dr|prof|inc|max|min)\.\Z",
    re.IGNORECASE,
)
LONGEST_SHORT = 8
_WORD = re.compile(rf"{HELD}|[^\W_]+(?:[.,'’/-][^\W_]+)*")


def sentences(words: str) -> Iterator[tuple[int, int]]:
    """The sentences of a text without line ends, as ranges of it without the white space behind them."""
    start = 0
    for match in _END.finditer(words):
        stop = match["stop"]
        if "!" not in stop and "?" not in stop:
            if words[match.end() : match.end() + 1].islower():
                continue
            before = max(start, match.start() - LONGEST_SHORT)
            if stop == "." and _SHORT.search(words, before, match.start() + 1):
                continue
        yield start, match.end("stop")
        start = match.start("opening")
    end = len(words.rstrip())
    if start < end:
        yield start, end


def count_words(words: str) -> int:
    """How many words a text has; one with an apostrophe, a hyphen or a decimal point in it is one."""
    return sum(1 for _ in _WORD.finditer(words))
