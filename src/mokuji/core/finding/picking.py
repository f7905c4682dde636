"""The sentences that answer a question: which lines of a page are quoted, and what of them is lit up.

Lines are looked through for the beginnings of words first, which is quick; only the few that hold most of them are
read word by word.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from mokuji.core.diff.diff import Piece
from mokuji.core.finding.question import Words
from mokuji.core.finding.terms import Run, Term, fold_text, is_number, read_run, run_pattern
from mokuji.core.finding.told import ADDRESS, CODE, CODE_LINE, FIELD, HEADING, TEXT, Line
from mokuji.core.finding.vector import forms
from mokuji.core.style.sentences import sentences

MOST_LINES = 4
"""Number of sentences of a page that are read word by word, and of lines that hold all that is wanted after which no
more are looked for."""
SHOWN = 2
"""Number of lines of a page that are quoted."""
BEFORE, LONGEST = 90, 240
"""Number of code points that are quoted before the first word that is lit, and in all."""
_NEEDLE = 4
_BESIDE = 3
"""Number of words beside a place by which it is found again."""
_SHORT = 60
_SORTS = {HEADING: 1, CODE_LINE: 2, FIELD: 3, ADDRESS: 3}


@dataclass(frozen=True, slots=True)
class Wanted:
    """A word or phrase that is looked for: what each of its terms may be, and what it is as one word; ``begun`` if the
    last one may go on."""

    terms: tuple[frozenset[str], ...]
    whole: frozenset[str] = frozenset()
    begun: bool = False
    exact: bool = False

    @property
    def needles(self) -> frozenset[str]:
        """One of these stands in every line that holds it."""
        first = self.terms[0] if self.terms else frozenset()
        return frozenset(form[:_NEEDLE] for form in {*first, *self.whole})


@dataclass(frozen=True, slots=True)
class Quoted:
    """A line that is quoted: the anchor of the section where it stands, its words with those that were found as changed
    pieces, some words of it by which it is found on the page as it is shown, and the heading over it."""

    anchor: str
    pieces: tuple[Piece, ...]
    near: str
    section: str = ""


@dataclass(frozen=True, slots=True)
class _Read:
    """A line read word by word, as far as its letters say that something wanted may stand there: those runs of it; its
    terms there with their run and their place in it, by their number in the line; which of these begin as something
    that is wanted does."""

    line: Line
    runs: tuple[Run, ...]
    terms: Mapping[int, tuple[Term, Run, int]]
    likely: list[int]


@dataclass(frozen=True)
class Candidates:
    """The lines of a page that may answer, read word by word; ``words`` are those of which stems are needed."""

    lines: Sequence[_Read]
    words: frozenset[str] = field(default_factory=frozenset)
    sections: Mapping[str, str] = field(default_factory=dict)
    """The words of headings by their anchors."""


def candidates(lines: Iterable[Line], wanted: Sequence[Wanted]) -> Candidates:
    """The lines that hold most of what is wanted, as far as their letters say."""
    needles = [each.needles for each in wanted]
    whole = 0
    sections: dict[str, str] = {}
    found: list[tuple[int, int, int, Line]] = []
    for nth, line in enumerate(lines):
        if line.sort == HEADING:
            sections[line.anchor] = line.words.replace(CODE, "").replace(TEXT, "")
        hits = _held(line.words, needles)
        if hits:
            found.append((-hits, _SORTS.get(line.sort, 0), nth, line))
            whole += hits == len(needles) and line.sort not in _SORTS
        if whole == MOST_LINES:
            break
    found.sort(key=lambda each: each[:3])
    best: list[tuple[int, int, int, Line]] = []
    whole = 0
    for _, sort, nth, line in found[:MOST_LINES]:
        if whole >= MOST_LINES:
            break  # none of a later line would stand before these
        for sentence in _sentences(line.words) if len(line.words) > LONGEST else (line.words,):
            held = _held(sentence, needles)
            if held and len(best) < 4 * MOST_LINES:
                best.append((-held, sort, nth, line._replace(words=sentence)))
                whole += held == len(needles)
    best.sort(key=lambda each: each[:3])
    beginnings = _Beginnings.of(wanted)
    read = [_read(line, beginnings) for *_, line in best[:MOST_LINES]]
    likely = (each.terms[at][0] for each in read for at in each.likely)
    words = {word for term in likely if term.word for word in (term.word, term.plain)}
    return Candidates(read, frozenset(words), sections)


def beginning(lines: Iterable[Line]) -> tuple[Quoted, ...]:
    """What a page begins with, where nothing of its text answers: its first words."""
    for line in lines:
        if line.sort not in _SORTS:
            words = line.words if len(line.words) <= LONGEST else line.words[: _word_end(line.words, LONGEST)]
            more = [Piece(" …", False)] if len(words) < len(line.words) else []
            return (Quoted(line.anchor, (*_piece(words, changed=False), *more), ""),)
    return ()


@dataclass(frozen=True, slots=True)
class _Beginnings:
    """What a term begins with that may be wanted; ``anywhere`` finds them, and what is wanted as one word."""

    each: tuple[str, ...]
    anywhere: re.Pattern[str]

    @classmethod
    def of(cls, wanted: Sequence[Wanted]) -> _Beginnings:
        each = {form[:_NEEDLE] for one in wanted for term in one.terms for form in term}
        whole = {form[:_NEEDLE] for one in wanted for form in one.whole}
        beginnings = sorted(each | whole)
        return cls(tuple(each), re.compile("|".join(map(re.escape, beginnings))))


def _read(line: Line, beginnings: _Beginnings) -> _Read:
    words = line.words
    # Letters of ASCII stand where they stood when they are folded, so most words need not be read at all.
    letters = fold_text(words) if words.isascii() else ""
    read: list[Run] = []
    terms: dict[int, tuple[Term, Run, int]] = {}
    at = 0
    for found in run_pattern(words).finditer(words):
        if letters and not beginnings.anywhere.search(letters, *found.span()):
            at += 1
            continue
        made, whole, spaceless = read_run(found[0])
        if made:
            run = Run(made, whole, *found.span(), spaceless)
            read.append(run)
            for nth, term in enumerate(_without_last(run)):
                terms[at] = term, run, nth
                at += 1
    likely = [
        at
        for at, (term, _, _) in terms.items()
        if term.forms[0].startswith(beginnings.each) or term.forms[-1].startswith(beginnings.each)
    ]
    return _Read(line, tuple(read), terms, likely)


def _held(words: str, needles: Sequence[frozenset[str]]) -> int:
    """How much of what is wanted some words may hold, as far as their letters say."""
    letters = fold_text(words)
    return sum(any(needle in letters for needle in each) for each in needles)


def _sentences(words: str) -> list[str]:
    """The sentences of a long line; a short one goes with the next."""
    found: list[str] = []
    for start, end in sentences(words):
        sentence = words[start:end]
        if found and len(found[-1]) < _SHORT:
            found[-1] += f" {sentence}"
        else:
            found.append(sentence)
    return found


def quote(found: Candidates, wanted: Sequence[Wanted], stems: Mapping[str, str]) -> tuple[Quoted, ...]:
    """The lines that are quoted: the one that holds most, then one that holds what that lacks, or the next best."""
    lit: list[tuple[frozenset[int], Line, list[tuple[int, int]]]] = []
    for read in found.lines:
        held, places = _found_in(read, wanted, stems)
        if held:
            lit.append((held, read.line, places))
    chosen: list[tuple[frozenset[int], Line, list[tuple[int, int]]]] = []
    seen: frozenset[int] = frozenset()
    while lit and len(chosen) < SHOWN:
        best = max(lit, key=lambda each: (len(each[0] - seen), len(each[0]), -_SORTS.get(each[1].sort, 0)))
        if chosen and not best[0] - seen and best[1].sort != chosen[0][1].sort:
            break
        lit.remove(best)
        chosen.append(best)
        seen |= best[0]
    return tuple(_quoted(line, places, found.sections) for _, line, places in chosen)


def _found_in(
    read: _Read, wanted: Sequence[Wanted], stems: Mapping[str, str]
) -> tuple[frozenset[int], list[tuple[int, int]]]:
    """Which of what is wanted a line holds, and where."""
    said = {at: forms(read.terms[at][0], stems) for at in read.likely}
    held: set[int] = set()
    places: list[tuple[int, int]] = []
    for nth, each in enumerate(wanted):
        goes_on = _goes_on(each)
        for at in read.likely:
            end = _ends(each, said, at, goes_on)
            if end:
                held.add(nth)
                places.append((_place(read.terms[at])[0], _place(read.terms[end - 1])[1]))
        if each.whole:
            for run in read.runs:
                if run.whole in each.whole or (each.begun and run.whole.startswith(tuple(each.whole))):
                    held.add(nth)
                    places.append((run.start, run.end))
    return frozenset(held), _merged(places)


def _goes_on(wanted: Wanted) -> tuple[str, ...]:
    """What the last term of something may begin with, beside being one of its forms."""
    last = wanted.terms[-1] if wanted.terms else frozenset()
    if wanted.begun:
        return tuple(last)
    return tuple(f"{form}." for form in last if is_number(form) and not wanted.exact)


def _place(found: tuple[Term, Run, int]) -> tuple[int, int]:
    """Where a term stands: of a run of several as far as its letters are as many as they are typed, else all of it."""
    _, run, nth = found
    terms = _without_last(run)
    if run.spaceless:
        return run.start + nth, min(run.start + nth + 2, run.end)
    letters = sum(len(term.plain) for term in terms)
    signs = run.end - run.start - letters
    if len(terms) == 1 or not 0 <= signs < len(terms):
        return run.start, run.end
    # Either a sign stands between any two of them, or between none.
    step = 1 if signs == len(terms) - 1 else 0
    if signs != step * (len(terms) - 1):
        return run.start, run.end
    start = run.start + sum(len(term.plain) + step for term in terms[:nth])
    return start, start + len(terms[nth].plain)


def _without_last(run: Run) -> Sequence[Term]:
    return run.terms[:-1] if run.spaceless and len(run.terms) > 1 else run.terms


def _ends(wanted: Wanted, said: Mapping[int, Sequence[str]], at: int, goes_on: tuple[str, ...]) -> int:
    """Where the terms that are wanted end if they begin here; 0 if they do not."""
    last = len(wanted.terms) - 1
    for nth, term in enumerate(wanted.terms):
        here = said.get(at + nth, ())
        if term.isdisjoint(here) and not (
            nth == last and goes_on and any(form.startswith(goes_on) for form in here)
        ):
            return 0
    return at + last + 1


def _merged(places: list[tuple[int, int]]) -> list[tuple[int, int]]:
    found: list[tuple[int, int]] = []
    for start, end in sorted(places):
        if found and start <= found[-1][1]:
            found[-1] = found[-1][0], max(end, found[-1][1])
        else:
            found.append((start, end))
    return found


def _quoted(line: Line, places: Sequence[tuple[int, int]], sections: Mapping[str, str]) -> Quoted:
    words = line.words
    first = places[0][0]
    low = _word_start(words, first - BEFORE) if first > BEFORE else 0
    high = _word_end(words, low + LONGEST) if low + LONGEST < len(words) else len(words)
    pieces: list[Piece] = [Piece("… ", False)] if low else []
    at = low
    for start, end in places:
        if end > high:
            break
        pieces += _piece(words[at:start], changed=False)
        pieces += _piece(words[start:end], changed=True)
        at = end
    pieces += _piece(words[at:high], changed=False)
    if high < len(words):
        pieces.append(Piece(" …", False))
    section = "" if line.sort == HEADING else sections.get(line.anchor, "")
    return Quoted(line.anchor, tuple(pieces), _near(words, places[0]), section)


def _piece(words: str, *, changed: bool) -> list[Piece]:
    shown = words.replace(CODE, "").replace(TEXT, "")
    return [Piece(shown, changed)] if shown else []


def _word_start(words: str, at: int) -> int:
    space = words.find(" ", at)
    return space + 1 if 0 <= space < at + 30 else at


def _word_end(words: str, at: int) -> int:
    space = words.rfind(" ", at - 30, at)
    return space if space > 0 else at


def _near(words: str, place: tuple[int, int]) -> str:
    """Some words around a place that stand together as typed: nothing in them is shown otherwise than it is kept."""
    breaks = (CODE, TEXT, " · ")
    low = max((at + len(sign) for sign in breaks if (at := words.rfind(sign, 0, place[0])) >= 0), default=0)
    high = min((at for sign in breaks if (at := words.find(sign, place[1])) >= 0), default=len(words))
    before = words[low : place[0]].rsplit(" ", _BESIDE + 1)
    after = words[place[1] : high].split(" ", _BESIDE + 1)
    return "".join(
        (
            " ".join(before[-_BESIDE - 1 :] if len(before) > _BESIDE + 1 else before),
            words[place[0] : place[1]],
            " ".join(after[: _BESIDE + 1]),
        )
    ).strip()


def wanted_of(words: Words, forms_of: Mapping[Term, Iterable[str]], whole: Iterable[str] = ()) -> Wanted:
    """What a word or phrase of a question is looked for as, by what each of its terms may be."""
    terms = [term for run in words.runs for term in _without_last(run)]
    single = words.runs[-1].spaceless and len(words.runs[-1].terms) == 1
    return Wanted(
        tuple(frozenset(forms_of[term]) for term in terms),
        frozenset(whole),
        words.begun or single,
        words.exact,
    )
