"""Words that name a page and are not linked to it.

The longest name at a place counts, whole words only; not in headings, links,
pictures or literal text, not on the page of that name itself. Names are
matched as keys are: capitals, hyphens and the width of spaces make no
difference. Names whose words stand on a large share of all pages are held
back: they are words of the language here, not names.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ahocorasick_rs import AhoCorasick

from mokuji.core import mentions
from mokuji.core.spans import Span
from mokuji.core.wiki import Page

SHORTEST = 3
"""Least code points of a name that is looked for."""
COMMON = 0.2
"""A name of one word on more than this share of the pages is held back."""
COMMON_FROM = 10
"""In fewer pages than this no name is too common."""
_PARTING = {ord(each): " " for each in "\t\n\v\f\r_-‐‑\u00a0\u2028\u2029"}


@dataclass(frozen=True, slots=True)
class Mention:
    """Where a page says the name of another: ``target`` is that page's id, ``key`` the name's."""

    page: int
    span: Span
    target: int
    key: str


@dataclass(frozen=True)
class Mentions:
    """What was found, page by page in the order of the text; ``held_back`` are names that are too common,
    with the number of pages that say them."""

    found: tuple[Mention, ...]
    held_back: Mapping[str, int] = field(default_factory=dict)


class Finder:
    """Finds names in texts: made once for a set of names (key → id of its page)."""

    def __init__(self, names: Mapping[str, int]) -> None:
        self._keys = [key for key in names if len(key) >= SHORTEST]
        self._targets = [names[key] for key in self._keys]
        self._matcher = AhoCorasick(self._keys) if self._keys else None

    def candidates(self, text: str) -> list[tuple[int, int, int]]:
        """Whole words that are names: the index of the name, start and end; whatever they stand in."""
        if self._matcher is None:
            return []
        shown, places = folded(text)
        found = []
        last = 0
        matches = self._matcher.find_matches_as_indexes(shown, overlapping=True)
        # Of those that begin at one place the longest whole words count: “battery” in “battery wells”.
        for index, start, end in sorted(matches, key=lambda each: (each[1], -each[2])):
            if start < last or (start and _in_word(shown[start - 1])):
                continue
            if end < len(shown) and _in_word(shown[end]):
                continue
            last = end
            if places is None:
                found.append((index, start, end))
            else:
                found.append((index, places[start], places[end - 1] + 1))
        return found

    def on(self, page: Page) -> list[Mention]:
        """The bare mentions on a page."""
        candidates = [each for each in self.candidates(page.text) if self._targets[each[0]] != page.head.id]
        if not candidates:
            return []
        plain = [s.span for s in mentions.stretches(page) if s.kind == mentions.TEXT]
        found: list[Mention] = []
        at = 0
        for index, start, end in candidates:
            while at < len(plain) and plain[at].end <= start:
                at += 1
            last = _last_of_run(plain, at, end)
            if at < len(plain) and plain[at].start <= start and end <= last:
                found.append(Mention(page.head.id, Span(start, end), self._targets[index], self._keys[index]))
        return found


def _last_of_run(plain: Sequence[Span], at: int, end: int) -> int:
    """Where text that goes on over line ends stops: a name may be parted by one."""
    if at >= len(plain):
        return 0
    last = plain[at].end
    while last < end and at + 1 < len(plain) and plain[at + 1].start - last <= 2:
        at += 1
        last = plain[at].end
    return last


def _in_word(character: str) -> bool:
    return character.isalnum() or character == "_"


def folded(text: str) -> tuple[str, list[int] | None]:
    """A text as names are compared, and the place in the text of each of its characters (None: the same places)."""
    parted = text.translate(_PARTING)
    if parted.isascii() and "  " not in parted:
        return parted.lower(), None
    shown: list[str] = []
    places: list[int] = []
    blank = False
    for at, character in enumerate(parted):
        if character == " ":
            if not blank:
                shown.append(" ")
                places.append(at)
            blank = True
            continue
        blank = False
        if character.isascii():
            shown.append(character.lower())
            places.append(at)
            continue
        folded_ = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", character).casefold())
        shown.append(folded_)
        places.extend([at] * len(folded_))
    return "".join(shown), places


def bare_mentions(
    names: Mapping[str, int], pages: Iterable[Page], *, also: Collection[str] = (), number: int | None = None
) -> Mentions:
    """The bare mentions of names (key → page) on some pages.

    ``also`` are keys that are wanted though they are common; ``number`` is how many pages there are, if not
    all were given.
    """
    finder = Finder(names)
    found: list[Mention] = []
    on_pages: Counter[str] = Counter()
    looked = 0
    for page in pages:
        looked += 1
        here = finder.on(page)
        found += here
        on_pages.update({each.key for each in here})
    most = max(COMMON_FROM, COMMON * (number or looked))
    held = {k: n for k, n in on_pages.items() if n > most and " " not in k and k not in also}
    return Mentions(tuple(each for each in found if each.key not in held), held)
