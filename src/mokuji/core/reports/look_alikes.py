"""Names that probably mean the same thing: in the plural, spelt otherwise, in another order of words.

What is compared are keys, so capitals, hyphens and the like make no
difference to begin with. Time grows with the number of names times their
length: candidates meet under equal words, or under equal spellings with one
letter left out; no two names are compared that do not meet. Numbers are never
alike: “Tern 3” and “Tern 4” are two things.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass
from enum import Enum

from rapidfuzz.distance import OSA

SHORTEST_WORD = 5
"""Least letters of a word in which one letter may differ: of shorter ones too many have a neighbour."""
MOST_IN_ONE = 12
"""Of names that meet under one form no more are compared: such a form says nothing."""
_SPLIT = re.compile(r"[^\w]+")


class Sort(Enum):
    """What a name is."""

    PAGE = "page"
    ALIAS = "alias"
    UNWRITTEN = "unwritten"


@dataclass(frozen=True, slots=True, order=True)
class Named:
    """A name of a volume: its key, as it is written, and whose it is (0: nobody's yet)."""

    key: str
    title: str
    page: int
    sort: Sort


@dataclass(frozen=True, slots=True)
class Pair:
    """Two names (the smaller key first), why they look alike, and how sure that is, from 0 to 1."""

    one: Named
    other: Named
    reason: str
    confidence: float


def look_alikes(names: Iterable[Named], differing: Collection[tuple[str, str]] = ()) -> list[Pair]:
    """The pairs of names that look alike, surest first; ``differing`` are pairs of keys that are known not to be."""
    told = frozenset(differing)
    pairs: dict[tuple[str, str], Pair] = {}
    for pair in _pairs(sorted(set(names), key=lambda each: (each.key, each.sort.value, each.page))):
        at = (pair.one.key, pair.other.key)
        if at not in told and (at not in pairs or pairs[at].confidence < pair.confidence):
            pairs[at] = pair
    return sorted(pairs.values(), key=lambda pair: (-pair.confidence, pair.one.key, pair.other.key))


def _pairs(names: list[Named]) -> Iterator[Pair]:
    forms: tuple[tuple[str, float, dict[str, list[Named]]], ...] = (
        ("the same words in another order", 0.95, _by_form(names, lambda words: " ".join(sorted(words)))),
        ("the same letters, parted otherwise", 0.9, _by_form(names, "".join)),
        ("singular and plural", 0.9, _by_form(names, lambda words: " ".join(map(singular, words)))),
        (
            "singular and plural, in another order",
            0.8,
            _by_form(names, lambda words: " ".join(sorted(map(singular, words)))),
        ),
    )
    for reason, confidence, groups in forms:
        for group in groups.values():
            for one, other in _meeting(group):
                yield Pair(one, other, reason, confidence)
    for group in _by_deletion(names).values():
        for one, other in _meeting(group):
            confidence = _spelt_alike(one.key, other.key)
            if confidence:
                yield Pair(one, other, "one letter differs", confidence)


def _meeting(group: list[Named]) -> Iterator[tuple[Named, Named]]:
    if len(group) > MOST_IN_ONE:
        return
    for n, one in enumerate(group):
        for other in group[n + 1 :]:
            if one.key != other.key and (one.page != other.page or not one.page):
                yield one, other


def _by_form(names: list[Named], form: object) -> dict[str, list[Named]]:
    groups: dict[str, list[Named]] = {}
    for name in names:
        words = [word for word in _SPLIT.split(name.key) if word]
        if words:
            groups.setdefault(form(words), []).append(name)  # type: ignore[operator]
    return {form_: group for form_, group in groups.items() if len(group) > 1}


def singular(word: str) -> str:
    """An English word without its plural ending, by rule only; others come back as they are."""
    if len(word) < 4 or not word.endswith("s") or word.endswith(("ss", "us", "is")):
        return word
    if word.endswith("ies") and len(word) > 4:
        return word[:-3] + "y"
    if word.endswith(("ches", "shes", "xes", "sses", "zes")):
        return word[:-2]
    return word[:-1]


def _by_deletion(names: list[Named]) -> dict[str, list[Named]]:
    groups: dict[str, list[Named]] = {}
    for name in names:
        key = name.key
        if len(key) < SHORTEST_WORD:
            continue
        for form in {key, *(key[:at] + key[at + 1 :] for at in range(len(key)))}:
            groups.setdefault(form, []).append(name)
    return {form: group for form, group in groups.items() if len(group) > 1}


def _spelt_alike(one: str, other: str) -> float:
    """How sure it is that two keys are one name with a slip of the pen; 0 if they are not."""
    a, b = _SPLIT.split(one), _SPLIT.split(other)
    if len(a) != len(b):
        return 0.0
    differing = [(x, y) for x, y in zip(a, b, strict=True) if x != y]
    if len(differing) != 1:
        return 0.0
    x, y = differing[0]
    if min(len(x), len(y)) < SHORTEST_WORD or re.search(r"\d", x + y) or OSA.distance(x, y) != 1:
        return 0.0
    return round(0.6 + 0.3 * (1 - 1 / min(len(x), len(y))), 2)
