"""What a page is found by: its terms with their places and weights, as a full-text index holds them.

A place is a number from 1 to ``PLACES``, counted on from line to line with a gap between, and from 1 again behind the
last: whoever asks whether two terms stand side by side asks for one place and the next.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import chain

from mokuji.core.finding.terms import LONGEST, Term, fold, read_run, run_pattern
from mokuji.core.finding.told import CODE, HEADING, TEXT, WORDS, Line

PLACES = 16_383
"""Places of a term in PostgreSQL's vectors have 14 bits (PostgreSQL 15, 12.11 “Limitations”)."""
MOST_PLACES = 250
"""Number of places that are kept of one term; PostgreSQL keeps 256."""
GAP = 12
"""Number of places between two lines, so that words of both are not near each other."""
LARGEST = 900_000
"""Number of bytes that a vector may come to; PostgreSQL's holds 1 MB at most."""
MOST_WORDS = 20_000
"""Number of different words of a page that are known as words of its volume; a long book has as many."""
NAME, HEAD, PROSE, OTHER = "ABCD"
"""The weights: title and other names, headings, text, and what is no text: code, fields, addresses."""


class PageTerms:
    """The terms of a page, read once. Stems are handed in, for the words that ``words`` gives."""

    def __init__(self, title: str, aliases: Sequence[str], lines: Iterable[Line]) -> None:
        self._names = [_runs(name) for name in (title, *aliases)]
        self._lines = [(weight, _runs(words)) for line in lines for weight, words in _weighed(line)]
        every = set(chain.from_iterable(self._names)).union(*(line for _, line in self._lines))
        # Each run is read once, however often it stands there.
        self._read = {typed: read_run(typed) for typed in every}

    def words(self) -> set[str]:
        """The words that may have a stem: as they are typed in small letters, and without accents."""
        found: set[str] = set()
        for terms, _, _ in self._read.values():
            for term in terms:
                if term.word:
                    found.add(term.word)
                    found.add(term.forms[0])
        return found

    def vocabulary(self) -> set[str]:
        """The words without accents, those of pairs of characters left out; no more than ``MOST_WORDS``."""
        found: set[str] = set()
        for terms, whole, spaceless in self._read.values():
            if len(found) >= MOST_WORDS:
                break
            if not spaceless:
                for term in terms:
                    found.add(term.forms[0])
                if whole:
                    found.add(whole)
        return found

    def vectors(self, stems: Mapping[str, str]) -> tuple[str, str]:
        """All of it, and names and headings alone (in the order of their weights: title, other names, headings), as
        PostgreSQL reads a ``tsvector``. ``stems`` are those of words; one that is not there has none."""
        found_as = self._forms(stems)
        whole = _vector([*((NAME, name) for name in self._names), *self._lines], found_as)
        heads = [(f"{PROSE}{weight[1:]}", line) for weight, line in self._lines if weight[0] == HEAD]
        names = [(HEAD if nth else NAME, name) for nth, name in enumerate(self._names)]
        return whole, _vector([*names, *heads], found_as)

    def _forms(self, stems: Mapping[str, str]) -> Mapping[str, _Forms]:
        return {
            typed: ([forms(term, stems) for term in terms], whole)
            for typed, (terms, whole, _) in self._read.items()
        }


_Forms = tuple[Sequence[Sequence[str]], str]
"""What the terms of a run are found as, one after the other, and the run as one word."""


def _runs(words: str) -> list[str]:
    return run_pattern(words).findall(words)


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
            if stem and (stem := fold(stem)[:LONGEST]) not in found:
                found.append(stem)
    return found


def _vector(parts: Iterable[tuple[str, Sequence[str]]], found_as: Mapping[str, _Forms]) -> str:
    places: dict[str, list[str]] = {}
    size = 0
    at = 0
    for weight, line in parts:
        letter = weight[0]
        for typed in line:
            if size > LARGEST:
                break
            terms, whole = found_as[typed]
            if whole:
                size += _add(places, whole, f"{at % PLACES + 1}{letter}")
            for each in terms:
                place = f"{at % PLACES + 1}{letter}"
                at += 1
                for form in each:
                    size += _add(places, form, place)
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
