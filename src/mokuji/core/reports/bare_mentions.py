"""Words that name a page and are not linked to it.

The longest name at a place counts, whole words only; not in headings, links,
pictures or literal text, not on the page of that name itself. Names are
matched as keys are: capitals, hyphens and the width of spaces make no
difference. Names whose words stand on a large share of all pages are held
back: they are words of the language here, not names.
"""

from __future__ import annotations

import re
import unicodedata
from bisect import bisect_right
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import compress, islice
from operator import itemgetter
from typing import NamedTuple

from ahocorasick_rs import AhoCorasick, BytesAhoCorasick

from mokuji.core.base.names import key as key_of
from mokuji.core.base.names import unescape
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.style import mentions

SHORTEST = 3
"""Least code points of a name that is looked for."""
COMMON = 0.2
"""A name of one word on more than this share of the pages is held back."""
COMMON_FROM = 10
"""In fewer pages than this no name is too common."""
AT_ONCE = 64
"""Number of pages that are searched before they are looked at."""
_RUN = re.compile(r" {2,}")
_PARTING_ASCII = bytes(
    ord(" ") if chr(n) in "\t\n\v\f\r_-" else ord(chr(n).lower()) for n in range(128)
) + bytes(128)
_PARTS = bytes(chr(n).isalnum() for n in range(128)) + bytes(128)
"""ASCII: 1 where a character is a part of a word."""
_PARTING = {ord(each): " " for each in "\t\n\v\f\r_-‐‑\u00a0\u2028\u2029"}


_NAMED = re.compile(r"\[\[=?([^\[\]\n#|]+)")
_ADDRESS = re.compile(r"(://|www\.)\S*")
_MARKS = frozenset("#@")
"""What before a word makes it a mark or a handle."""
_JOINING = frozenset("-_‐‑")
_NEIGHBOURS = _JOINING | frozenset("[]")
"""What a word may stand beside and be part of something longer."""


class Mention(NamedTuple):
    """Where a page says the name of another: ``target`` is that page's id, ``key`` the name's."""

    page: int
    start: int
    end: int
    target: int
    key: str

    @property
    def span(self) -> Span:
        """Where the words stand."""
        return Span(self.start, self.end)


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
        self._of_key = dict(names)
        self._matcher = AhoCorasick(self._keys) if self._keys else None
        # Most texts are ASCII: in bytes no places have to be worked out from one form in the other.
        plain = [key.encode() for key in self._keys]
        self._in_bytes = BytesAhoCorasick(plain) if plain else None

    def candidates(self, text: str) -> list[Candidate]:
        """Whole words that are names: the index of the name, start and end; whatever they stand in, the longest
        of those that begin at one place first."""
        if not self._keys:
            return []
        if text.isascii() and b"  " not in (plain := _in_ascii(text)):
            return self._whole_words_in_ascii(plain)
        shown, places = folded(text)
        found = self._whole_words_in_ascii(shown.encode()) if shown.isascii() else self._whole_words(shown)
        if places is None:
            return found
        return [(index, places.of(start), places.of(end - 1) + 1) for index, start, end in found]

    def _whole_words(self, shown: str) -> list[Candidate]:
        assert self._matcher is not None
        size = len(shown)
        found = [
            (index, start, end)
            for index, start, end in self._matcher.find_matches_as_indexes(shown, overlapping=True)
            if not (start and shown[start - 1].isalnum()) and not (end < size and shown[end].isalnum())
        ]
        return _from_the_left(found)

    def _whole_words_in_ascii(self, shown: bytes) -> list[Candidate]:
        assert self._in_bytes is not None
        # One byte at each end, so that no match is the first or the last.
        beside = bytes(1) + shown + bytes(1)
        found = [
            match
            for match in self._in_bytes.find_matches_as_indexes(shown, overlapping=True)
            if not _PARTS[beside[match[1]]] and not _PARTS[beside[match[2] + 1]]
        ]
        return _from_the_left(found)

    def on_each(self, pages: Iterable[Page]) -> Iterator[tuple[Page, list[Mention]]]:
        """The bare mentions on each page, in order, but those last whose paragraph refers to their page already. Some
        pages are searched, then looked at: what searches fills a processor's cache, and would be fetched again."""
        left = iter(pages)
        while some := list(islice(left, AT_ONCE)):
            searched = [self.candidates(page.text) for page in some]
            for page, candidates in zip(some, searched, strict=True):
                yield page, self._standing(page, candidates)

    def _standing(self, page: Page, candidates: list[Candidate]) -> list[Mention]:
        text = page.text
        if all(self._targets[index] == page.head.id for index, _, _ in candidates):
            return []
        seen = _plain_at_a_glance(text, candidates)
        if seen is None:
            seen = _plain_by_parsing(page, candidates)
        own, targets, keys = page.head.id, self._targets, self._keys
        addresses = _addresses(text)
        found: list[Mention] = []
        last = 0
        beyond = text + " "
        for index, start, end in compress(candidates, seen):
            # The longest that stands in plain text counts: “battery” in “battery *well*”.
            if start < last:
                continue
            # Most words stand between spaces and stops: one look at either side tells.
            before = beyond[start - 1]
            if before in _MARKS or (addresses and _in_one(addresses, start)):
                continue
            if (before in _NEIGHBOURS or beyond[end] in _NEIGHBOURS) and _part(text, start, end):
                continue
            last = end
            if targets[index] != own:
                found.append(Mention(own, start, end, targets[index], keys[index]))
        return self._linked_last(text, found) if found and "[[" in text else found

    def _linked_last(self, text: str, found: list[Mention]) -> list[Mention]:
        """Where the same paragraph refers to the page already a further reference is hardly wanted: those come last.
        Each paragraph is read once, and none if no page that is said is referred to anywhere."""
        of_key = self._of_key
        linked = {of_key.get(_named(typed)) for typed in _NAMED.findall(text)}
        if linked.isdisjoint([each.target for each in found]):
            return found
        fresh: list[Mention] = []
        beside: list[Mention] = []
        high = -1
        for each in found:
            if each.start >= high:
                low = max(0, high)
                low = max(low, text.rfind("\n\n", low, each.start) + 1)
                high = text.find("\n\n", each.end)
                high = len(text) if high < 0 else high
                linked = {of_key.get(_named(typed[1])) for typed in _NAMED.finditer(text, low, high)}
            (beside if each.target in linked else fresh).append(each)
        return fresh + beside


@lru_cache(4096)
def _named(typed: str) -> str:
    return key_of(unescape(typed).rpartition("/")[2])


Candidate = tuple[int, int, int]
Range = tuple[int, int]


def _from_the_left(found: list[Candidate]) -> list[Candidate]:
    """Put in order by where they begin, the longest first; the matcher gives them by where they end."""
    found.reverse()
    found.sort(key=itemgetter(1))
    return found


_APART = re.compile(
    r"""\n(?:[ ]{4}|\t                                      # code
    |(?:[ >]*(?:[-*+]|\d{1,9}[.)]))+(?:[ ]{5}|[ ]*\t|[ ]+[#=-])  # code, a heading or a rule in an item
    |[ ]*>[ >]*[#=\t]|[ ]*>[ ]{5}
    |[ >]*(?:=+|-+)[ \t]*(?=\n|\Z))""",
    re.VERBOSE,
)
"""What makes a line that goes with others: a page with one such line is parsed."""
_LEAD = re.compile(r"\n[ \t>*+=\-\d]")
"""How each of those begins."""
_NO_MORE = (1 << 62, 1 << 62)
"""Stands behind all places of a text."""
_SPECIAL = re.compile(r"[`<\[\]$\\]")
_REFERENCE = re.compile(r"\[\[=?[^\W_][^\[\]\n\\`<$|]{0,150}(?:\|[^\[\]\n\\`<$]{0,200})?\]\]")
_HEADING = re.compile(r" {0,3}#{1,6}(?:[ \t]|\Z)")


def _plain_at_a_glance(text: str, candidates: Sequence[Candidate]) -> list[bool] | None:
    """Which candidates stand in plain text, where that shows without parsing; None where it does not.

    Most pages hold no blocks of code or HTML; then each paragraph can be looked at by itself, and one without
    code spans, tags, links and escapes holds nothing but words and references. A property test holds this to
    what the parser says.
    """
    # One character is looked for twenty times as fast as three.
    if (
        ("<" in text or "\r" in text or "\ufeff" in text)
        or ("~" in text and "~~~" in text)
        or ("`" in text and "```" in text)
        or (_LEAD.search(lines := "\n" + text) and _APART.search(lines))
    ):
        return None
    references = [found.span() for found in _REFERENCE.finditer(text)]
    rest = _REFERENCE.sub("", text) if references else text
    clean = not ("[" in rest or "]" in rest or "`" in rest or "$" in rest or "\\" in rest)
    ahead = iter(sorted([*references, *_heading_lines(text)]))
    begin, until = next(ahead, _NO_MORE)
    found: list[bool] = []
    high = -1
    joined, find = "_" in text, text.find
    for _, start, end in candidates:
        if not clean and end > high:
            low = text.rfind("\n\n", 0, start) + 1
            high = text.find("\n\n", end)
            high = len(text) if high < 0 else high
            if _SPECIAL.search(_REFERENCE.sub("", text[low:high])):
                return None
        if find("\n", start, end) >= 0 or (joined and find("_", start, end) >= 0):
            return None
        while until <= start:
            begin, until = next(ahead, _NO_MORE)
        found.append(begin >= end)
    return found


def _heading_lines(text: str) -> list[Range]:
    """The lines that are headings with marks before them."""
    found: list[Range] = []
    at = text.find("#")
    while at >= 0:
        line = text.rfind("\n", 0, at) + 1
        end = text.find("\n", at)
        end = len(text) if end < 0 else end
        if _HEADING.match(text, line, end):
            found.append((line, end))
            at = end
        at = text.find("#", at + 1)
    return found


def _plain_by_parsing(page: Page, candidates: Sequence[Candidate]) -> list[bool]:
    """Which candidates stand in plain text, as the parser says."""
    plain = [s.span for s in mentions.stretches(page) if s.kind == mentions.TEXT]
    found: list[bool] = []
    at = 0
    for _, start, end in candidates:
        while at < len(plain) and plain[at].end <= start:
            at += 1
        inside = at < len(plain) and plain[at].start <= start
        found.append(inside and end <= _end_of_run(page.text, plain, at, end))
    return found


def _end_of_run(text: str, plain: Sequence[Span], at: int, end: int) -> int:
    """Where text that goes on over line ends stops: a name may be parted by one, but by no mark."""
    last = plain[at].end
    while last < end and at + 1 < len(plain) and not text[last : plain[at + 1].start].strip("\r\n"):
        at += 1
        last = plain[at].end
    return last


def _addresses(text: str) -> list[Range]:
    """Where bare addresses go on behind what makes them one, up to the next white space."""
    if not (":" in text and "://" in text) and "www." not in text:
        return []
    return [(found.start() + len(found[1]), found.end()) for found in _ADDRESS.finditer(text)]


def _in_one(ranges: Sequence[Range], place: int) -> bool:
    """Whether a place lies in one of some ranges that are in order and apart."""
    at = bisect_right(ranges, (place, _NO_MORE[0])) - 1
    return at >= 0 and place < ranges[at][1]


def _part(text: str, start: int, end: int) -> bool:
    """Whether a word is part of a longer one, joined by a hyphen or underscore, or stands in brackets that would run
    into those of a reference."""
    before, behind = text[max(0, start - 2) : start], text[end : end + 2]
    return (
        before[-1:] == "["
        or behind[:1] == "]"
        or (before[-1:] in _JOINING and before[:1].isalnum() and len(before) == 2)
        or (behind[:1] in _JOINING and behind[1:].isalnum())
    )


class Places:
    """Where the characters of a folded text stand in the text itself; made of the places where the two part."""

    def __init__(self, starts: Sequence[int], shifts: Sequence[int]) -> None:
        self._starts, self._shifts = starts, shifts

    def of(self, at: int) -> int:
        """The place of a character."""
        return at + self._shifts[bisect_right(self._starts, at) - 1]


def folded(text: str) -> tuple[str, Places | None]:
    """A text as names are compared, with every run of white space, hyphens and underscores as one space; None
    for the places if all characters stand where they stood. Empty lines part names, so they are no spaces."""
    if text.isascii():
        shown = _in_ascii(text).decode()
    else:
        parted = text.replace("\n\n", "\x01\x01").translate(_PARTING)
        shown = parted.casefold()
        if len(shown) != len(parted) or not unicodedata.is_normalized("NFKC", shown):
            return _folded_one_by_one(parted)
    if "  " not in shown:
        return shown, None
    # All characters stand for one; only runs of spaces are shorter.
    starts, shifts, shift = [0], [0], 0
    for run in _RUN.finditer(shown):
        starts.append(run.start() + 1 - shift)
        shift += run.end() - run.start() - 1
        shifts.append(shift)
    return _RUN.sub(" ", shown), Places(starts, shifts)


def _in_ascii(text: str) -> bytes:
    """A text of ASCII as names are compared, runs of spaces not yet made one."""
    return text.encode().replace(b"\n\n", b"\x01\x01").translate(_PARTING_ASCII)


def _folded_one_by_one(parted: str) -> tuple[str, Places]:
    """As ``folded``, for texts in which a character is folded to several or is composed otherwise."""
    shown: list[str] = []
    places: list[int] = []
    for at, character in enumerate(parted):
        if character == " " and shown and shown[-1] == " ":
            continue
        one = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", character).casefold())
        shown.append(one)
        places.extend([at] * len(one))
    return "".join(shown), Places(range(len(places)), [place - at for at, place in enumerate(places)])


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
    for _, here in finder.on_each(pages):
        looked += 1
        found += here
        on_pages.update({each.key for each in here})
    most = max(COMMON_FROM, COMMON * (number or looked))
    held = {k: n for k, n in on_pages.items() if n > most and " " not in k and k not in also}
    return Mentions(tuple(each for each in found if each.key not in held), held)
