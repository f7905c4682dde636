"""What a page is found by: its terms with their places and weights, as a full-text index holds them.

A place is a number from 1 to ``PLACES``, counted on from line to line with a gap between, and from 1 again behind the
last: whoever asks whether two terms stand side by side asks for one place and the next.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from mokuji.core.finding.terms import Term, fold, read_run, run_pattern
from mokuji.core.finding.told import CODE, HEADING, TEXT, WORDS, Line

PLACES = 16_383
"""Places of a term in PostgreSQL's vectors have 14 bits (PostgreSQL 15, 12.11 “Limitations”)."""
MOST_PLACES = 250
"""Number of places that are kept of one term; PostgreSQL keeps 256."""
GAP = 12
"""Number of places between two lines, so that words of both are not near each other."""
LARGEST = 900_000
"""Number of bytes that a vector may come to; PostgreSQL's holds 1 MB at most."""
NAME, HEAD, PROSE, OTHER = "ABCD"
"""The weights: title and other names, headings, text, and what is no text: code, fields, addresses."""

_Read = tuple[tuple[Term, ...], str, bool]


class PageTerms:
    """The terms of a page, read once. Stems are handed in, for the words that ``words`` gives."""

    def __init__(self, title: str, aliases: Sequence[str], lines: Iterable[Line]) -> None:
        self._names = [_runs(name) for name in (title, *aliases)]
        self._lines = [(weight, _runs(words)) for line in lines for weight, words in _weighed(line)]

    def words(self) -> set[str]:
        """The words that may have a stem: as they are typed in small letters, and without accents."""
        found: set[str] = set()
        for terms, _, _ in self._every():
            for term in terms:
                if term.word:
                    found.add(term.word)
                    found.add(term.forms[0])
        return found

    def vocabulary(self) -> set[str]:
        """The words without accents, those of pairs of characters left out."""
        found: set[str] = set()
        for terms, whole, spaceless in self._every():
            if not spaceless:
                found.update(term.forms[0] for term in terms)
                if whole:
                    found.add(whole)
        return found

    def vector(self, stems: Mapping[str, str]) -> str:
        """All of it, as PostgreSQL reads a ``tsvector``. ``stems`` are those of words; one that is not there has
        none."""
        parts = [(NAME, name) for name in self._names] + self._lines
        return _vector(parts, stems)

    def names(self, stems: Mapping[str, str]) -> str:
        """The names alone: the title with the highest weight, other names with the next."""
        return _vector(((HEAD if nth else NAME, name) for nth, name in enumerate(self._names)), stems)

    def _every(self) -> Iterator[_Read]:
        for name in self._names:
            yield from name
        for _, line in self._lines:
            yield from line


def _runs(words: str) -> list[_Read]:
    return [read_run(typed) for typed in run_pattern(words).findall(words)]


def _weighed(line: Line) -> Iterator[tuple[str, str]]:
    """The pieces of a line with their weights: code in a text is apart, and stays beside it."""
    if line.sort not in {HEADING, WORDS}:
        yield OTHER, line.words
        return
    weight = HEAD if line.sort == HEADING else PROSE
    if CODE not in line.words:
        yield weight, line.words
        return
    for piece in line.words.split(CODE):
        code, ends, rest = piece.partition(TEXT)
        if ends:
            yield f"{OTHER}+", code
            yield f"{weight}+", rest
        else:
            yield f"{weight}+", piece


def forms(term: Term, stems: Mapping[str, str]) -> list[str]:
    """Everything that a term is found as: without accents, with umlauts spelt out, and its stems."""
    found = list(term.forms)
    if term.word:
        for word in (term.word, term.forms[0]):
            stem = stems.get(word)
            if stem and (stem := fold(stem)) not in found:
                found.append(stem)
    return found


def _vector(parts: Iterable[tuple[str, Sequence[_Read]]], stems: Mapping[str, str]) -> str:
    places: dict[str, list[str]] = {}
    size = 0
    at = 0
    known: dict[Term, list[str]] = {}
    for weight, line in parts:
        letter = weight[0]
        for terms, whole, _ in line:
            if size > LARGEST:
                break
            first = at % PLACES + 1
            for term in terms:
                place = f"{at % PLACES + 1}{letter}"
                at += 1
                for form in known.get(term) or known.setdefault(term, forms(term, stems)):
                    size += _add(places, form, place)
            if whole:
                size += _add(places, whole, f"{first}{letter}")
        # Code in a line follows its text without a gap.
        at += 0 if weight[1:] else GAP
    return " ".join(f"'{term}':{','.join(where)}" for term, where in places.items())


def _add(places: dict[str, list[str]], term: str, place: str) -> int:
    """Adds a place of a term; how many bytes that takes at most."""
    where = places.get(term)
    if where is None:
        places[term] = [place]
        return len(term.encode()) + 8
    if len(where) < MOST_PLACES:
        where.append(place)
        return 2
    return 0
