"""Words that are spelt nearly so: one letter missing, too many, wrong, or two exchanged.

How near two words are is the optimal string alignment distance (Damerau 1964: most slips of writers are one of
these four), as RapidFuzz counts it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

from rapidfuzz.distance import OSA

SHORTEST = 3
"""Fewer letters are near to almost every word."""
LISTED = 10
"""Number of letters up to which all that is one slip away is listed; longer words share most of their letters."""
_LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789 "


def one_slip_away(word: str) -> set[str]:
    """Everything that becomes a word by one slip, in its own letters and those of ASCII; empty for a long one."""
    if not 1 < len(word) <= LISTED:
        return set()
    found = set(_slips(word, {*_LETTERS, *word}))
    return found - {word, ""}


def _slips(word: str, letters: Collection[str]) -> Iterator[str]:
    for at in range(len(word) + 1):
        before, after = word[:at], word[at:]
        for letter in letters:
            yield before + letter + after
            if after:
                yield before + letter + after[1:]
        if after:
            yield before + after[1:]
        if len(after) > 1:
            yield before + after[1] + after[0] + after[2:]


def slips(one: str, other: str, most: int) -> int:
    """How many slips lie between two words; one more than ``most`` if they are more."""
    return OSA.distance(one, other, score_cutoff=most)


def allowed(word: str) -> int:
    """How many slips a word of its length may hold and still be meant."""
    return 0 if len(word) < SHORTEST else 1 if len(word) < 6 else 2


def nearest(word: str, found: Iterable[str], most: int = 4) -> list[str]:
    """Those of some words that are nearest to one: of the likeliest slips, if there are such."""
    limit = allowed(word)
    ranked = [
        (distance, unlikely(word, each), each[:1] != word[:1], each)
        for each in found
        if each != word and (distance := slips(word, each, limit)) <= limit
    ]
    ranked.sort()
    return [each[-1] for each in ranked if each[:2] == ranked[0][:2]][:most]


def unlikely(typed: str, meant: str) -> bool:
    """Whether a slip is one of many that could have been made: of a letter too many, or a wrong one, there are as many
    as letters; of one left out, or two exchanged, there is one."""
    return len(meant) <= len(typed) and sorted(typed) != sorted(meant)


SHORTEST_REST = 2
"""Fewer letters are no word beside another in a compound."""
LINKING = ("", "s", "es", "n", "en", "er", "e", "ens")
"""What may stand between the parts of a compound (German, Dutch and the Nordic languages; common practice)."""


@dataclass(frozen=True, slots=True)
class Longer:
    """A word that holds a part, and what stands before and behind that."""

    word: str
    before: str
    after: str

    def parts(self) -> Iterator[str]:
        """The words that what is left of it may be, without what links them to the part."""
        for link in LINKING:
            if self.before.endswith(link) and len(self.before) - len(link) >= SHORTEST_REST:
                yield self.before.removesuffix(link)
            if self.after.startswith(link) and len(self.after) - len(link) >= SHORTEST_REST:
                yield self.after.removeprefix(link)

    def is_compound(self, known: Collection[str]) -> bool:
        """Whether what is left of it is words too, of those that are known, or numbers."""
        return all(
            not rest
            or rest.isdigit()
            or any(cut(rest, link) in known for link in LINKING if len(rest) - len(link) >= SHORTEST_REST)
            for rest, cut in ((self.before, str.removesuffix), (self.after, str.removeprefix))
        )


def longer(part: str, words: Iterable[str]) -> list[Longer]:
    """Those of some words that hold a part and more."""
    found: list[Longer] = []
    for word in words:
        before, holds, after = word.partition(part)
        if holds and (before or after):
            found.append(Longer(word, before, after))
    return found
