"""Where a text does not keep to the house style of its volume, with what mends it.

Rules about words look at what readers read (``prose``): not at code, names of
pages, slots and addresses. A dictionary is handed in; the core knows none.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

from rapidfuzz.distance import OSA

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page
from mokuji.core.style.flaws import Flaw, Mend
from mokuji.core.style.prose import HELD, Block, passages
from mokuji.core.style.sentences import count_words, sentences
from mokuji.core.style.style import Capitals, Style

MINOR = frozenset(
    (
        "a an the and but or nor for so yet as at by from if in into of off on onto out over per than to up via with"
    ).split()
)
"""Words that a title in title case leaves small inside (common practice)."""
_WORD = re.compile(r"[^\W_]+(?:['’][^\W\d_]+)*")
_LETTERS = re.compile(r"(?<![\w])[^\W\d_]+(?:['’][^\W\d_]+)*(?![\w])")
_BEGINS = re.compile(r"[.:!?…—–]\s[\"'“‘«(\[]*\Z")
_ANY = re.compile(rf"[^\W_]|{HELD}")


class Speller(Protocol):
    """A dictionary."""

    def knows(self, word: str) -> bool:
        """Whether a word, with its capitals, is spelt so."""
        ...


def breaches(page: Page, style: Style, speller: Speller | None = None) -> list[Flaw]:
    """Where a page does not keep to a house style, in the order of its text. A title's flaw stands at its beginning."""
    if not style.rules:
        return []
    rules = _rules(style)
    flaws: list[Flaw] = [*_title(page, rules, speller)]
    known: dict[str, bool] = {}
    for passage in passages(page):
        names = rules.named(passage.words)
        if passage.sort == "heading" and style.headings:
            flaws += _heading(passage, rules, names, speller)
        if passage.sort == "text" and (style.step or style.sentence):
            flaws += _long(passage, style)
        flaws += _preferred(passage, rules, names)
        if style.spelling and speller is not None:
            flaws += _spelling(passage, rules, names, speller, known)
    return sorted(flaws, key=lambda flaw: flaw.span)


@dataclass(frozen=True)
class _Rules:
    """A style made ready: what can be looked for in one go."""

    style: Style
    names: re.Pattern[str] | None
    own: frozenset[str]
    named_words: frozenset[str]
    preferred: re.Pattern[str] | None
    use: Mapping[str, str]

    def named(self, words: str) -> list[tuple[int, int]]:
        """Where proper names stand."""
        return [found.span() for found in self.names.finditer(words)] if self.names else []

    def own_word(self, word: str) -> bool:
        """Whether the volume has this word as its own, or as a part of a name."""
        base = re.sub(r"['’]s?\Z", "", word)
        return any(
            each in self.own or each.lower() in self.own or each in self.named_words for each in (word, base)
        )


@lru_cache(maxsize=64)
def _rules(style: Style) -> _Rules:
    use: dict[str, str] = {}
    for each in style.preferred:
        # The words to use are looked for as well: what stands in them is right.
        if each.use:
            use.setdefault(_folded(each.use), _folded(each.use))
    for each in style.preferred:
        use.update((_folded(words), each.use) for words in each.instead)
    return _Rules(
        style,
        _any_of(style.names),
        frozenset(style.words),
        frozenset(word for name in style.names for word in _LETTERS.findall(name)),
        _any_of(list(use), ignoring_case=True),
        use,
    )


def _any_of(phrases: Sequence[str], *, ignoring_case: bool = False) -> re.Pattern[str] | None:
    """Any of these phrases as whole words, the longest first; white space in them is any."""
    if not phrases:
        return None
    spelt = (r"\s+".join(map(re.escape, phrase.split())) for phrase in sorted(phrases, key=len, reverse=True))
    return re.compile(rf"(?<!\w)(?:{'|'.join(spelt)})(?!\w)", re.IGNORECASE if ignoring_case else 0)


def _folded(words: str) -> str:
    return " ".join(words.lower().split())


def _within(places: Sequence[tuple[int, int]], start: int, end: int) -> bool:
    return any(low <= start and end <= high for low, high in places)


# ---- capitals ----------------------------------------------------------------------


def _title(page: Page, rules: _Rules, speller: Speller | None) -> Iterator[Flaw]:
    if not rules.style.titles:
        return
    title = page.head.title
    wrong = _capitals(title, rules.style.titles, rules, rules.named(title), speller)
    if wrong:
        better = _with(title, wrong)
        mends = [Mend(f"Rename to “{better}”", title=better), *_as_names(wrong, rules.style.titles)]
        said = f"The title is not in {rules.style.titles} case: “{better}”."
        yield Flaw("title_capitals", said, Span(0, 0), mends[0], tuple(mends[1:]))


def _heading(
    passage: Block, rules: _Rules, names: Sequence[tuple[int, int]], speller: Speller | None
) -> Iterator[Flaw]:
    wrong = _capitals(passage.words, rules.style.headings, rules, names, speller)
    wrong = [each for each in wrong if passage.typed(each[0], each[1])]
    if not wrong:
        return
    better = _with(passage.words, wrong).replace(HELD, "…").strip()
    edits = tuple(Edit(passage.span(start, end), words) for start, end, words, _ in wrong)
    mends = [Mend(f"Write “{better}”", edits), *_as_names(wrong, rules.style.headings)]
    said = f"This heading is not in {rules.style.headings} case."
    yield Flaw("heading_capitals", said, passage.span(0, len(passage.words)), mends[0], tuple(mends[1:]))


_Wrong = tuple[int, int, str, str]
"""A word with wrong capitals: where it stands, as it should be, as it is."""


def _as_names(wrong: Sequence[_Wrong], capitals: Capitals) -> list[Mend]:
    if capitals == "title":
        return []
    return [
        Mend(f"“{word}” is a name", learn=("name", word))
        for *_, word in wrong
        if word[0].isupper() and word.lower() not in MINOR
    ][:3]


def _with(words: str, wrong: Sequence[_Wrong]) -> str:
    pieces: list[str] = []
    at = 0
    for start, end, better, _ in wrong:
        pieces += (words[at:start], better)
        at = end
    return "".join(pieces) + words[at:]


def _capitals(
    words: str,
    capitals: Capitals,
    rules: _Rules,
    names: Sequence[tuple[int, int]],
    speller: Speller | None,
) -> list[_Wrong]:
    tokens = [found for found in _WORD.finditer(words) if not _within(names, *found.span())]
    found: list[_Wrong] = []
    for token in tokens:
        word, (start, end) = token[0], token.span()
        # “USB”, “pH”, “4th” and the like keep what they have.
        if not word[0].isalpha() or any(each.isupper() for each in word[1:]) or len(word) == 1:
            continue
        first = _ANY.search(words, 0, start) is None
        begins = first or _BEGINS.search(words, max(0, start - 4), start) is not None
        if capitals == "title":
            inside = not begins and _ANY.search(words, end) is not None
            capital = not (inside and word.lower() in MINOR)
        elif begins and not first:
            continue  # Behind a colon or a full stop both may be meant.
        else:
            capital = first
        if capital == word[0].isupper() or (not capital and _is_name(word, rules, speller)):
            continue
        found.append((start, end, (word[0].upper() if capital else word[0].lower()) + word[1:], word))
    return found


def _is_name(word: str, rules: _Rules, speller: Speller | None) -> bool:
    """Whether a word always has a capital: one of the volume's names, or such as “Monday” in the dictionary."""
    if rules.own_word(word) and word.lower() not in rules.own:
        return True
    return speller is not None and speller.knows(word) and not speller.knows(word[0].lower() + word[1:])


# ---- sentences and words -----------------------------------------------------------


def _long(passage: Block, style: Style) -> Iterator[Flaw]:
    most = style.step if passage.step and style.step else style.sentence
    if not most:
        return
    for start, end in sentences(passage.words):
        count = count_words(passage.words[start:end])
        if count > most:
            where = " in a step" if passage.step and style.step else ""
            said = f"This sentence has {count} words; the house style has {most} at most{where}."
            yield Flaw("sentence_long", said, passage.span(start, end))


def _preferred(passage: Block, rules: _Rules, names: Sequence[tuple[int, int]]) -> Iterator[Flaw]:
    if rules.preferred is None:
        return
    for match in rules.preferred.finditer(passage.words):
        start, end = match.span()
        typed = _folded(match[0])
        # Letters such as “ſ” are found as others that they are no small form of.
        use = rules.use.get(typed)
        if (
            use is None
            or use.lower() == typed
            or _within(names, start, end)
            or not _is_typed(passage, start, end)
        ):
            continue
        if not use:
            yield Flaw("word_avoided", f"“{match[0]}” is to be avoided here.", passage.span(start, end))
            continue
        better = use[0].upper() + use[1:] if match[0][0].isupper() else use
        span = passage.span(start, end)
        said = f"“{better}” is preferred to “{match[0]}” here."
        yield Flaw("word_preferred", said, span, Mend(f"Write “{better}”", (Edit(span, better),)))


def _is_typed(passage: Block, start: int, end: int) -> bool:
    """Whether words are the writer's, in whatever runs: not the name of a page."""
    return passage.typed(start, start + 1) and passage.typed(end - 1, end)


def _spelling(
    passage: Block,
    rules: _Rules,
    names: Sequence[tuple[int, int]],
    speller: Speller,
    known: dict[str, bool],
) -> Iterator[Flaw]:
    """``known`` holds what was asked already: most words of a page are the same few."""
    for match in _LETTERS.finditer(passage.words):
        word = match[0]
        if word not in known:
            # All capitals are abbreviations, capitals inside are names of things.
            asset = len(word) == 1 or any(each.isupper() for each in word[1:])
            known[word] = asset or _known(word, rules, speller)
        start, end = match.span()
        if known[word] or _within(names, start, end) or not passage.typed(start, end):
            continue
        yield Flaw(
            "spelling",
            f"“{word}” is not in the dictionary.",
            passage.span(start, end),
            None,
            (Mend("Add to the words here", learn=("word", word)),),
            word,
        )


def _known(word: str, rules: _Rules, speller: Speller) -> bool:
    return rules.own_word(word) or speller.knows(word.replace("’", "'"))


def nearest(word: str, style: Style, like: Callable[[str], Sequence[str]], most: int = 8) -> list[str]:
    """Corrections of a word, the nearest first: the volume's own words that differ in one place, then what the
    dictionary (``like``) proposes."""
    own = [*style.words, *(part for name in style.names for part in _LETTERS.findall(name))]
    near = [each for each in own if OSA.distance(word.lower(), each.lower()) == 1]
    if word[0].isupper():
        near = [each[0].upper() + each[1:] for each in near]
    return list(dict.fromkeys([*near, *like(word)]))[:most]
