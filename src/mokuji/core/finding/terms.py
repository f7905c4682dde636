"""The words of a text as they are found, however they are typed: without accents, capitals, hyphens.

A *term* is one word as it is looked up. What belongs together without a space (``K-GA-0131``, ``maxDepth``,
``24.0V``) is a *run* of several terms, found whole and in part. Scripts that set no spaces between words give pairs of
their characters (bigrams, common practice for them). Stems are not made here: the caller has them from dictionaries.

Sources: NFKC and NFKD from UAX #15, full case folding from CaseFolding.txt, both as Python carries them; the letters
in ``_LETTERS``, which no decomposition of Unicode takes apart, after ISO 9 and the transliterations of Unicode CLDR
(Latin-ASCII), from memory.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

MOST_PARTS = 6
"""Longer runs (keys, hashes) are one term each."""
LONGEST = 80
"""Number of code points of a term; a longer one is cut."""

_SPACELESS = (
    "\u0e00-\u0eff\u1000-\u109f\u1780-\u17ff\u3040-\u30ff\u31f0-\u31ff\u3400-\u4dbf\u4e00-\u9fff\uac00-\ud7af"
    "\uf900-\ufaff\uff66-\uff9f\U00020000-\U0003ffff"
)
# Marks that belong to the letter before them, which Python does not count among the letters; and joiners.
_MARKS = (
    "\u00ad\u0300-\u036f\u0483-\u0487\u0591-\u05c7\u0610-\u061a\u064b-\u065f\u0670\u0900-\u0963"
    "\u0966-\u0dff\u200c\u200d"
)
_LETTER = rf"(?:(?![{_SPACELESS}_])[\w{_MARKS}])"
_RUN = re.compile(rf"[{_SPACELESS}]+|{_LETTER}++(?:[-_‐‑'’·./:@,]?+{_LETTER}++)*+(?:\+\+|#(?!\w))?")
_ASCII_RUN = re.compile(r"[A-Za-z0-9]++(?:[-_'./:@,]?+[A-Za-z0-9]++)*+(?:\+\+|#(?!\w))?")
_APART = re.compile(r"[-_‐‑'’·/:@]|(?<!\d)[.,]|[.,](?!\d)")
_CAMEL = re.compile(
    r"(?<=[a-zà-öø-ÿ])(?=[A-ZÀ-ÖØ-Þ])|(?<=[A-Z])(?=[A-Z][a-z])|(?<=\d)(?=[^\W\d_])|(?<=[^\W\d_])(?=\d)"
)
_SIGNED = re.compile(r"[^\W\d_]{1,3}(?:\+\+|#)")
_ACCENTS = re.compile("[\u0300-\u036f\u00ad\u200c\u200d]")
_ACCENTS_UNSEEN = re.compile("[\u00ad\u200c\u200d]")
_LETTERS = str.maketrans(
    {
        "ø": "o",
        "ł": "l",
        "đ": "d",
        "ð": "d",
        "þ": "th",
        "æ": "ae",
        "œ": "oe",
        "ı": "i",
        "ħ": "h",
        "ŋ": "n",
        "ŧ": "t",
    }
)
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue"})
_NAME_SIGNS = re.compile(r"(?:(?!\+\+|(?<=\w)#)[\W_](?<!\+))+")
_NUMBER = re.compile(r"\d+(?:\.\d+)*")


class Term(NamedTuple):
    """A word as it is looked up: ``forms`` are what it is found as, the first one without accents; ``word`` is it in
    small letters with them, which dictionaries of stems know (empty: it has no stem)."""

    forms: tuple[str, ...]
    word: str = ""

    @property
    def plain(self) -> str:
        """It without accents."""
        return self.forms[0]


class Run(NamedTuple):
    """What stands together in a text: its terms in order, what it is as one word (empty: its only term), and its place
    in code points. ``spaceless`` runs are pairs of characters."""

    terms: tuple[Term, ...]
    whole: str
    start: int
    end: int
    spaceless: bool = False


def runs(text: str) -> Iterator[Run]:
    """The words of a text in order. Linear in its length."""
    for found in run_pattern(text).finditer(text):
        terms, whole, spaceless = read_run(found[0])
        if terms:
            yield Run(terms, whole, found.start(), found.end(), spaceless)


def run_pattern(text: str) -> re.Pattern[str]:
    """What finds the runs of a text."""
    return _ASCII_RUN if text.isascii() else _RUN


@lru_cache(maxsize=65_536)
def _kept(typed: str) -> tuple[tuple[Term, ...], str, bool]:
    return _read(typed)


def read_run(typed: str) -> tuple[tuple[Term, ...], str, bool]:
    """The terms of a run, what it is as one word, and whether it is of pairs; as ``Run`` has them."""
    return _kept(typed) if len(typed) <= LONGEST else _read(typed)


def _read(typed: str) -> tuple[tuple[Term, ...], str, bool]:
    if not typed.isascii():
        typed = unicodedata.normalize("NFC", typed)
    if is_spaceless(typed):
        return _pairs(typed), "", True
    pieces: list[str] = []
    for piece in _APART.split(typed):
        if _SIGNED.fullmatch(piece):
            pieces.append(piece)
        else:
            parts = _CAMEL.split(piece.rstrip("+#")[:LONGEST])
            pieces += parts if len(parts) <= MOST_PARTS else [piece[:LONGEST]]
    terms = tuple(term for piece in pieces if (term := _term(piece)) is not None)
    whole = "".join(term.plain for term in terms) if 1 < len(terms) <= MOST_PARTS else ""
    return terms, whole if len(whole) <= LONGEST else "", False


def is_spaceless(typed: str) -> bool:
    """Whether a run is of a script that sets no spaces between words."""
    return _OF_THESE.match(typed) is not None


_OF_THESE = re.compile(rf"[{_SPACELESS}]")


def _pairs(typed: str) -> tuple[Term, ...]:
    characters = fold(typed)
    if len(characters) < 2:
        return (Term((characters,)),) if characters else ()
    # The last one stands alone, too, so that a single character is found as the beginning of some term everywhere.
    pairs = [characters[at : at + 2] for at in range(len(characters) - 1)]
    return tuple(Term((pair,)) for pair in [*pairs, characters[-1]])


def _term(piece: str) -> Term | None:
    if piece.isascii() and piece.isalpha():
        word = piece.lower()
        return Term((word,), word)
    word = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", piece).casefold()).replace(",", ".")
    # One sign may be many once it is folded (U+FDFA is eighteen).
    plain = fold(piece)[:LONGEST]
    if not plain:
        return None
    word = _ACCENTS_UNSEEN.sub("", word)[:LONGEST]
    umlauts = word.translate(_UMLAUTS)
    forms = (plain,) if umlauts == word else (plain, fold(umlauts)[:LONGEST])
    return Term(forms, "" if any(map(str.isdigit, word)) or _SIGNED.fullmatch(word) else word)


def fold_text(typed: str) -> str:
    """Words as they are compared: small, without accents; what is not a letter or a digit in them stays (``c++``,
    ``24.0``), a decimal comma becomes a point."""
    if typed.isascii():
        return typed.lower().replace(",", ".")
    folded = unicodedata.normalize("NFKC", typed).casefold().translate(_LETTERS)
    plain = unicodedata.normalize("NFC", _ACCENTS.sub("", unicodedata.normalize("NFKD", folded)))
    return unicodedata.normalize("NFKC", plain).replace(",", ".").replace("\x00", "")


@lru_cache(maxsize=131_072)
def fold(word: str) -> str:
    """The same of one word, which is kept."""
    return fold_text(word)


def folded_name(name: str) -> str:
    """A whole name as it is compared: its words without accents and signs, one space between; of signs alone, the
    signs."""
    folded = fold_text(name)
    return " ".join(_NAME_SIGNS.sub(" ", folded).split()) or " ".join(folded.split())


def is_number(term: str) -> bool:
    """Whether a term is digits, with or without points."""
    return _NUMBER.fullmatch(term) is not None
