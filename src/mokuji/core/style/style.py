"""The house style of a volume as data: the rules that its text is held to (``style_rules`` holds it to them)."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

Capitals = Literal["", "sentence", "title"]

MOST_WORDS = 5_000
"""Maximum number of words, names or preferred words of a house style."""
LONGEST_WORD = 100
LONGEST_STEP, LONGEST_SENTENCE = 20, 25
"""Words of a sentence, in steps and elsewhere, that the settings propose (from memory, of a published controlled
English)."""


@dataclass(frozen=True, slots=True)
class Preferred:
    """The words to use, and those that they replace; ``use`` is empty for words that are to be avoided."""

    use: str
    instead: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Style:
    """A house style; what is empty or 0 is no rule.

    ``headings`` and ``titles``: their capitals. ``names``: proper names, which keep theirs. ``step`` and ``sentence``:
    most words of a sentence in numbered lists, and elsewhere. ``spelling``: the dictionary's language as a BCP 47 tag,
    such as ``en-GB``; ``words``: the volume's own words beside it.
    """

    headings: Capitals = ""
    titles: Capitals = ""
    names: tuple[str, ...] = ()
    step: int = 0
    sentence: int = 0
    preferred: tuple[Preferred, ...] = ()
    spelling: str = ""
    words: tuple[str, ...] = ()

    @property
    def rules(self) -> bool:
        """Whether there is any rule."""
        return bool(
            self.headings or self.titles or self.step or self.sentence or self.preferred or self.spelling
        )

    def learnt(self, sort: Literal["word", "name"], word: str) -> Style:
        """The style with one more word of its own, or proper name."""
        if sort == "word":
            return replace(self, words=_each_once([*self.words, word]))
        return replace(self, names=_each_once([*self.names, word]))


# ---- as data -----------------------------------------------------------------------

HEADINGS, TITLES, NAMES = "headings", "titles", "names"
STEP, SENTENCE, USE = "longest step", "longest sentence", "use"
SPELLING, WORDS = "spelling", "words"
_KNOWN = (HEADINGS, TITLES, NAMES, STEP, SENTENCE, USE, SPELLING, WORDS)
AVOID = "(avoid)"
"""Stands where the words to use would, for words that have no substitute."""


def as_fields(style: Style) -> dict[str, Any]:
    """A style as plain data: text, numbers, lists and one mapping; what is no rule is left out."""
    use: dict[str, list[str]] = {}
    for each in style.preferred:
        use.setdefault(each.use or AVOID, []).extend(each.instead)
    told = {
        HEADINGS: style.headings,
        TITLES: style.titles,
        NAMES: list(style.names),
        STEP: style.step,
        SENTENCE: style.sentence,
        USE: use,
        SPELLING: style.spelling,
        WORDS: list(style.words),
    }
    return {key: value for key, value in told.items() if value}


def read_style(fields: object) -> tuple[Style, tuple[str, ...]]:
    """A style from such data, and a sentence for each thing in it that is no rule. Numbers may be text."""
    if not isinstance(fields, Mapping):
        return Style(), ("A house style is a mapping of rules.",) if fields else ()
    said: list[str] = [f"“{key}” is no rule of a house style." for key in fields if key not in _KNOWN]
    said = said[:20]

    def one(key: str) -> str:
        value = fields.get(key, "")
        if isinstance(value, (Mapping, list)):
            said.append(f"“{key}” is one value, no list.")
            return ""
        return str(value).strip()

    def capitals(key: str) -> Capitals:
        value = one(key).lower()
        if value not in {"", "sentence", "title"}:
            said.append(f"“{key}” is “sentence” or “title”, not “{value}”.")
            return ""
        return value  # type: ignore[return-value]

    def number(key: str) -> int:
        value = one(key)
        if value and not re.fullmatch(r"\d{1,4}", value):
            said.append(f"“{key}” is a number of words from 1 to 9999, not “{value}”.")
            return 0
        return int(value or 0)

    def several(key: str, value: object) -> tuple[str, ...]:
        if not isinstance(value, (list, tuple)):
            value = [value] if value else []
        listed = [" ".join(str(each).split()) for each in value if not isinstance(each, (Mapping, list))]
        if len(listed) != len(value) or any(len(each) > LONGEST_WORD for each in listed):
            said.append(f"“{key}” is a list of words, each of {LONGEST_WORD} characters at most.")
        if len(listed) > MOST_WORDS:
            said.append(f"“{key}” holds more than {MOST_WORDS:,} words; the others are not read.")
        return _each_once(each for each in listed[:MOST_WORDS] if each and len(each) <= LONGEST_WORD)

    use = fields.get(USE, {})
    preferred: tuple[Preferred, ...] = ()
    if isinstance(use, Mapping):
        preferred = tuple(
            Preferred("" if key == AVOID else " ".join(str(key).split()), instead)
            for key, value in list(use.items())[:MOST_WORDS]
            if (instead := several(f"{USE}: {key}", value))
        )
    elif use:
        said.append(f"“{USE}” gives for the words to use those that they replace.")
    style = Style(
        capitals(HEADINGS),
        capitals(TITLES),
        several(NAMES, fields.get(NAMES, [])),
        number(STEP),
        number(SENTENCE),
        preferred,
        one(SPELLING),
        several(WORDS, fields.get(WORDS, [])),
    )
    return style, tuple(said)


def _each_once(words: Iterator[str] | Sequence[str]) -> tuple[str, ...]:
    return tuple(sorted(dict.fromkeys(words), key=lambda each: (each.casefold(), each)))
