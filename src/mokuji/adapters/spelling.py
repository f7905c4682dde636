"""Dictionaries: those that the machine has, asked through Enchant.

Any dictionary of Hunspell, Aspell and the like that is installed can be
chosen. Without Enchant there are none, and spelling is no rule.
"""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

try:
    import enchant  # type: ignore[import-untyped]
except ImportError:  # Its C library is not there.
    enchant = None

_lock = threading.RLock()
"""One word at a time: the libraries behind Enchant keep state."""
KEPT = 60_000
"""Maximum number of answers that are remembered: a word costs ten microseconds, the nearest ones fifty milliseconds."""
MOST_LETTERS = 60
"""Longer words are no words."""


@dataclass(eq=False)
class Dictionary:
    """The dictionary of a language; its answers are remembered."""

    language: str
    _words: Any = field(repr=False)

    def knows(self, word: str) -> bool:
        """Whether a word, with its capitals, is spelt so."""
        return len(word) > MOST_LETTERS or _knows(self, word)

    def like(self, word: str) -> tuple[str, ...]:
        """What may be meant by a word that is not known, the likeliest first."""
        return _like(self, word) if 0 < len(word) <= MOST_LETTERS else ()


@lru_cache(maxsize=KEPT)
def _knows(dictionary: Dictionary, word: str) -> bool:
    with _lock:
        return bool(dictionary._words.check(word))


@lru_cache(maxsize=KEPT // 10)
def _like(dictionary: Dictionary, word: str) -> tuple[str, ...]:
    with _lock:
        return tuple(dictionary._words.suggest(word))


@lru_cache(maxsize=1)
def languages() -> tuple[str, ...]:
    """The languages that there are dictionaries for, as BCP 47 tags such as ``en-GB``."""
    if enchant is None:
        return ()
    with _lock:
        return tuple(sorted(language.replace("_", "-") for language in enchant.list_languages()))


@lru_cache(maxsize=64)
def dictionary(language: str) -> Dictionary | None:
    """The dictionary of a language; None if the machine has none."""
    if language not in languages():
        return None
    with _lock:
        return Dictionary(language, enchant.request_dict(language.replace("-", "_")))
