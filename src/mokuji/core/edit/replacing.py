"""Words that are to be replaced, and what stands in their place: plain words, or a pattern of RE2.

RE2 reads a text in linear time whatever the pattern is, so nobody can hold
up a wiki with one (its syntax: RE2's own documentation; neither looking
ahead nor back, nor what stood in a group before).
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import re2

from mokuji.core.base.errors import Refused

LONGEST = 500
"""Maximum number of code points of the words, and of what stands in their place."""
_BETWEEN = r"(?:[ \t]+|[ \t]*\r?\n[ \t]*)"
"""What may stand between two words: blanks, or the end of a line."""
_MARKS = re.compile(r"\[\[|\]\]|[\r\n\x00]")
_LETTER = re.compile(r"\w")


@dataclass(frozen=True)
class Replacement:
    """What is looked for, and what is put in its place. A ``pattern`` may say `\\1` for its groups there. ``whole``
    words have no letter or digit beside them. Without ``exact`` capitals do not matter, and are kept: PUMP becomes
    VALVE, Pump Valve."""

    words: str
    by: str
    pattern: bool = False
    whole: bool = True
    exact: bool = False

    def check(self) -> None:
        """Refused, with the reason, if nothing can be looked for by it."""
        if not self.words.strip():
            raise Refused("Say which words are to be replaced.", code="bad_words")
        if len(self.words) > LONGEST or len(self.by) > LONGEST:
            raise Refused(f"Words and pattern have {LONGEST} characters at most.", code="bad_words")
        if _MARKS.search(self.by):
            raise Refused(
                "What is put in stands on one line, and brings no double brackets: a reference is not made by "
                "replacing words.",
                code="bad_words",
            )
        if self._pattern.fullmatch("") is not None:
            raise Refused(
                "This pattern fits where nothing stands. Let it fit one sign at least.", code="bad_pattern"
            )
        try:
            self._pattern.sub(self._by, "")
            highest = max(map(int, re.findall(r"\\(\d)", self.by)), default=0) if self.pattern else 0
            if highest > self._pattern.groups:
                raise re2.error(f"there is no group {highest}")
        except (re2.error, IndexError) as why:
            raise Refused(f"What is put in cannot be read: {_said(why)}.", code="bad_pattern") from None

    @cached_property
    def _pattern(self) -> Any:
        options = re2.Options()
        options.case_sensitive = self.exact
        options.log_errors = False
        options.max_mem = 8 << 20
        said = self.words if self.pattern else _BETWEEN.join(map(re2.escape, self.words.split()))
        try:
            return re2.compile(said, options)
        except re2.error as why:
            raise Refused(f"This pattern cannot be read by RE2: {_said(why)}.", code="bad_pattern") from None

    @property
    def _by(self) -> str:
        return self.by if self.pattern else self.by.replace("\\", "\\\\")

    def found_in(self, text: str, start: int, end: int) -> Iterator[tuple[int, int, str]]:
        """Where a range of a text holds it, and what is put there; places that would stay as they are are passed
        over."""
        inside = text[start:end]
        for match in self._pattern.finditer(inside):
            low, high = match.start() + start, match.end() + start
            if low == high:
                raise Refused(
                    "This pattern fits where nothing stands. Let it fit one sign at least.",
                    code="bad_pattern",
                )
            if self.whole and (_inside(text, low) or _inside(text, high)):
                continue
            written = match.expand(self._by)
            if not self.exact and not self.pattern:
                written = like(match[0], written)
            if written != match[0]:
                yield low, high, written


@dataclass(frozen=True)
class Forms:
    """Several replacements at once, as the forms of one term: where two fit, the one of more words is taken."""

    each: tuple[Replacement, ...]

    @property
    def words(self) -> str:
        """What is looked for first of all."""
        return self.each[0].words

    @property
    def by(self) -> str:
        """What stands in the place of that."""
        return self.each[0].by

    def check(self) -> None:
        """As that of each."""
        for replacement in self.each:
            replacement.check()

    def found_in(self, text: str, start: int, end: int) -> Iterator[tuple[int, int, str]]:
        """As that of each, none in another's place."""
        found: list[tuple[int, int, str]] = []
        for replacement in sorted(self.each, key=lambda each: -len(each.words)):
            low, free = start, []
            for one in found:
                free += list(replacement.found_in(text, low, one[0]))
                low = one[1]
            found = sorted([*found, *free, *replacement.found_in(text, low, end)])
        yield from found


def _inside(text: str, at: int) -> bool:
    """Whether a place is in the middle of a word."""
    return 0 < at < len(text) and bool(_LETTER.match(text[at - 1]) and _LETTER.match(text[at]))


def like(found: str, written: str) -> str:
    """What is put in, in capitals as what was found has them: all, or the first one."""
    letters = [each for each in found if each.isalpha()]
    if len(letters) > 1 and all(each.isupper() for each in letters):
        return written.upper()
    if letters and letters[0].isupper() and written[:1].islower():
        return written[:1].upper() + written[1:]
    return written


def _said(why: Exception) -> str:
    said = why.args[0] if why.args else ""
    return said.decode(errors="replace") if isinstance(said, bytes) else str(said)
