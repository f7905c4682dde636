"""The forms of a term that a volume uses, and what they would be of another one: proposed, for a writer to correct.

A form of a word is one with its stem. What a form has behind the word (“-s”, “-ing”) is put behind the other word;
the English plural is written by its own rules (common practice).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from itertools import takewhile

MOST = 12
"""Maximum number of forms that are proposed."""
_PLURALS = {("", "s"), ("", "es"), ("y", "ies")}
_HISSES = re.compile(r"(?:s|x|z|ch|sh)\Z")
_Y = re.compile(r"[^aeiou]y\Z")


def pairs(old: str, new: str, words: Iterable[str], stems: Mapping[str, str]) -> list[tuple[str, str]]:
    """The term itself, then each form of its last word that ``words`` hold, with what stands in its place."""
    lead, _, last = old.rpartition(" ")
    other_lead, _, other = new.rpartition(" ")
    stem = stems.get(last.lower(), last.lower())
    found = [(old, new)]
    for word in sorted(set(words)):
        if word != last.lower() and stems.get(word) == stem:
            found.append(
                (f"{lead} {word}".strip(), f"{other_lead} {like(last.lower(), word, other)}".strip())
            )
    return found[:MOST]


def like(word: str, form: str, other: str) -> str:
    """Another word in the form that one has."""
    shared = "".join(
        one for one, _ in takewhile(lambda both: both[0] == both[1], zip(word, form, strict=False))
    )
    cut, put = word[len(shared) :], form[len(shared) :]
    if (cut, put) in _PLURALS:
        if _Y.search(other):
            return other[:-1] + "ies"
        return other + ("es" if _HISSES.search(other) else "s")
    return (other.removesuffix(cut) if cut else other) + put


def read(lines: Iterable[str]) -> list[tuple[str, str]]:
    """Pairs as they are typed, a line each: ``pumps = valves``; a line without ``=`` is passed over."""
    found: list[tuple[str, str]] = []
    for line in lines:
        old, sign, new = line.partition("=")
        if sign and old.strip():
            found.append((" ".join(old.split()), " ".join(new.split())))
    return found


def written(found: Iterable[tuple[str, str]]) -> str:
    """Pairs, a line each."""
    return "\n".join(f"{old} = {new}" for old, new in found)
