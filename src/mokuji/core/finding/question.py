"""What is asked for, as it is typed on one line (docs/finding.md has the grammar).

``pump "oil filter" or strainer -gasket title:valve code:init* category:Sensors changed:2026-01..``: all of several
words, one ``or`` another, without what a ``-`` stands before, in the place whose name stands before a colon. What does
not parse is searched as plain words, and ``problem`` says why.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from mokuji.core.finding.terms import Run, runs

LONGEST = 500
"""Maximum number of code points of a question."""
MOST_PIECES = 40
"""Maximum number of its words and filters."""
DEEPEST = 6
"""Maximum number of brackets inside each other."""

PLACES = {
    "title": "in titles",
    "alias": "in other names",
    "heading": "in headings",
    "text": "in the text",
    "code": "in code",
}
"""Where a word may be looked for, by its name before a colon."""
FACTS = {
    "category": "filed under",
    "field": "with the field",
    "person": "naming",
    "by": "changed last by",
    "file": "with a file called",
    "note": "with a note that says",
    "changed": "changed last",
    "in": "of the volume",
}
"""What else may be asked of a page, by its name before a colon."""


@dataclass(frozen=True, slots=True)
class Words:
    """A word or a phrase as it is typed, read as ``runs``; ``place`` is one of ``PLACES`` or empty for all. ``exact``
    are those in quotation marks; of one that is ``begun`` the last term may go on."""

    typed: str
    runs: tuple[Run, ...]
    place: str = ""
    exact: bool = False
    begun: bool = False


@dataclass(frozen=True, slots=True)
class Fact:
    """What a page is to be: ``name`` is one of ``FACTS``. ``since`` and ``until`` (excluded) are those of ``changed``;
    either may be missing."""

    name: str
    value: str
    since: date | None = None
    until: date | None = None


@dataclass(frozen=True, slots=True)
class Without:
    """Not what ``part`` says."""

    part: Part


@dataclass(frozen=True, slots=True)
class All:
    """Everything that the parts say."""

    parts: tuple[Part, ...]


@dataclass(frozen=True, slots=True)
class Either:
    """At least one of the parts."""

    parts: tuple[Part, ...]


Part = Words | Fact | Without | All | Either


@dataclass(frozen=True, slots=True)
class Question:
    """A line as it was typed, what it asks for (None: nothing), and why it was read as plain words if it was."""

    typed: str
    part: Part | None
    problem: str = ""

    def words(self) -> Iterator[Words]:
        """The words that are asked for, those left out that must not be there."""
        yield from _words(self.part)

    @property
    def plain(self) -> bool:
        """Whether it is words only, all to be there, in no special place: what may be a name."""
        parts = self.part.parts if isinstance(self.part, All) else (self.part,)
        return bool(parts) and all(
            isinstance(part, Words) and not (part.place or part.exact or part.begun) for part in parts
        )


def _words(part: Part | None) -> Iterator[Words]:
    if isinstance(part, Words):
        yield part
    elif isinstance(part, All | Either):
        for each in part.parts:
            yield from _words(each)


class _Unread(Exception):
    """Why a question cannot be read."""


_QUOTES = {'"': '"', "“": "”", "„": "“”", "«": "»", "»": "«", "”": "”"}
_SPACE = re.compile(r"\s*")
_NAMED = re.compile(rf"({'|'.join([*PLACES, *FACTS])}):", re.IGNORECASE)
_OR = re.compile(r"or(?=[\s(\"“„«]|$)", re.IGNORECASE)
_WORD = re.compile(r"\S+")
_MINUS = frozenset("-−–")


def read(typed: str) -> Question:
    """The question that a line asks. Never raises: what is not understood is plain words."""
    typed = " ".join(typed.replace("\x00", "").split())[:LONGEST]
    if not typed:
        return Question("", None)
    try:
        part = _Reader(typed).read()
    except _Unread as why:
        return Question(typed, plain_words(typed), str(why))
    return Question(typed, part)


def plain_words(typed: str) -> Part | None:
    """The words of a line, whatever signs stand between them."""
    found = [Words(typed[run.start : run.end], (run,)) for run in runs(typed)][:MOST_PIECES]
    return All(tuple(found)) if len(found) > 1 else found[0] if found else None


class _Reader:
    def __init__(self, typed: str) -> None:
        self._typed = typed
        self._at = 0
        self._pieces = 0
        self._depth = 0

    def read(self) -> Part | None:
        part = self._either()
        self._skip()
        if self._at < len(self._typed):
            raise _Unread("“)” closes nothing here.")
        return part

    def _skip(self) -> None:
        found = _SPACE.match(self._typed, self._at)
        self._at = found.end() if found else self._at

    def _either(self) -> Part | None:
        sides = [self._all()]
        while self._or():
            if sides[-1] is None:
                raise _Unread("Before “or” nothing stands.")
            sides.append(self._all())
            if sides[-1] is None:
                raise _Unread("Behind “or” nothing stands.")
        found = [side for side in sides if side is not None]
        return found[0] if len(found) == 1 else Either(tuple(found)) if found else None

    def _or(self) -> bool:
        self._skip()
        found = _OR.match(self._typed, self._at)
        if found is None:
            return False
        self._at = found.end()
        return True

    def _all(self) -> Part | None:
        parts: list[Part] = []
        while True:
            self._skip()
            if self._at >= len(self._typed) or (parts and _OR.match(self._typed, self._at)):
                break
            if self._typed[self._at] == ")" and self._depth:
                break
            if (part := self._piece()) is not None:
                parts += part.parts if isinstance(part, All) else (part,)
        return parts[0] if len(parts) == 1 else All(tuple(parts)) if parts else None

    def _piece(self) -> Part | None:
        self._pieces += 1
        if self._pieces > MOST_PIECES:
            raise _Unread(f"More than {MOST_PIECES} words and filters cannot be asked for at once.")
        sign = self._typed[self._at]
        following = self._typed[self._at + 1 : self._at + 2]
        if sign in _MINUS and following and not following.isspace() and following not in _MINUS:
            self._at += 1
            part = self._piece()
            return None if part is None else Without(part)
        if sign == "(":
            return self._group()
        named = _NAMED.match(self._typed, self._at)
        if named is None:
            return self._some_words("")
        name = named[1].lower()
        self._at = named.end()
        if self._at >= len(self._typed) or self._typed[self._at].isspace():
            raise _Unread(f"Behind “{name}:” nothing stands.")
        return self._some_words(name) if name in PLACES else self._fact(name)

    def _group(self) -> Part | None:
        self._at += 1
        self._depth += 1
        if self._depth > DEEPEST:
            raise _Unread(f"More than {DEEPEST} brackets stand inside each other.")
        part = self._either()
        self._skip()
        if self._typed[self._at : self._at + 1] != ")":
            raise _Unread("A “(” is not closed.")
        self._at += 1
        self._depth -= 1
        return part

    def _quoted(self) -> str | None:
        closing = _QUOTES.get(self._typed[self._at])
        if closing is None:
            return None
        ends = [end for sign in closing if (end := self._typed.find(sign, self._at + 1)) >= 0]
        if not ends:
            raise _Unread("A quotation mark is not closed.")
        words = self._typed[self._at + 1 : min(ends)]
        self._at = min(ends) + 1
        return words

    def _bare(self) -> str:
        found = _WORD.match(self._typed, self._at)
        words = found[0] if found else ""
        if self._depth:
            # “)” closes a group, unless it belongs to a word such as “f(x)”.
            closed = len(words)
            while (
                closed
                and words[closed - 1] == ")"
                and words.count(")", 0, closed) > words.count("(", 0, closed)
            ):
                closed -= 1
            words = words[:closed]
        self._at += len(words)
        return words

    def _some_words(self, place: str) -> Part | None:
        quoted = self._quoted()
        words = self._bare() if quoted is None else quoted
        begun = words.endswith("*") if quoted is None else self._typed[self._at : self._at + 1] == "*"
        self._at += 1 if begun and quoted is not None else 0
        found = tuple(runs(words))
        if not found:
            return None
        if quoted is None and not begun and len(found) > 1:
            # What no word holds together (“a&b”) is words of their own.
            return All(tuple(Words(words[run.start : run.end], (run,), place) for run in found))
        return Words(words, found, place, exact=quoted is not None, begun=begun)

    def _fact(self, name: str) -> Part:
        quoted = self._quoted()
        value = " ".join((self._bare() if quoted is None else quoted).split())
        if not value:
            raise _Unread(f"Behind “{name}:” nothing stands.")
        if name == "changed":
            return Fact(name, value, *_days(value))
        return Fact(name, value.lstrip("@") if name in {"person", "by"} else value)


_DAY = re.compile(r"(\d{4})(?:-(\d{1,2})(?:-(\d{1,2}))?)?")


def _days(value: str) -> tuple[date | None, date | None]:
    """The days that a year, a month, a day, or two of them with “..” between say, the second excluded."""
    first, between, last = value.partition("..")
    since, until = _span(first, value), _span(last, value)
    if not between:
        return since
    return since[0], until[1]


def _span(typed: str, value: str) -> tuple[date | None, date | None]:
    if not typed:
        return None, None
    found = _DAY.fullmatch(typed)
    try:
        if found is None:
            raise ValueError
        year, month, day = (int(part) if part else 0 for part in found.groups())
        first = date(year, month or 1, day or 1)
        if day:
            return first, first + timedelta(1)
        return first, date(year + (not month or month == 12), month % 12 + 1 if month else 1, 1)
    except (ValueError, OverflowError):
        raise _Unread(
            f"“{value}” says no days: write a year, a month or a day, such as 2026-11, or from one to another: "
            "2026-01..2026-03."
        ) from None


def quoted(value: str) -> str:
    """A value as it is typed behind a colon."""
    return f'"{value}"' if re.search(r"[\s()]", value) or value[:1] in _QUOTES else value
