"""Pages of one name in two volumes: how much of the one's words the other says, too."""

from __future__ import annotations

import re

ALIKE = 0.6
"""Share of runs of words from which on two pages say nearly the same: a matter of judgement. A page of ten sentences of
which two were written anew is above it."""
RUN = 3
"""Number of words of a run: single words say little about what a text says."""
_WORD = re.compile(r"\w+")


def likeness(one: str, other: str) -> float:
    """How much two texts have in common, from 0 to 1: the share of their runs of words that stand in both (Jaccard's
    index of word shingles; Broder 1997, from memory). Capitals and marks make no difference; no words are like none."""
    first, second = _runs(one), _runs(other)
    if not first or not second:
        return float(first == second)
    return len(first & second) / len(first | second)


def _runs(text: str) -> set[tuple[str, ...]]:
    words = [word.casefold() for word in _WORD.findall(text)]
    length = min(RUN, len(words))
    return {tuple(words[at : at + length]) for at in range(len(words) - length + 1)} if words else set()
