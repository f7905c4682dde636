"""Words as PostgreSQL is asked for them: the text of a ``tsquery`` (PostgreSQL 15, 8.11.2)."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy import Connection

from mokuji.core.finding.question import All, Fact, Part, Without, Words
from mokuji.core.finding.terms import Run, Term, fold, is_number, runs
from mokuji.core.finding.vector import HEAD, NAME, OTHER, PROSE, forms
from mokuji.store import page_words

MOST_FORMS = 80
"""Maximum number of forms under which one word is looked for."""
WEIGHTS = {"text": PROSE, "code": OTHER}
"""Weights of the terms of a page, by the place in which a word is looked for."""
NAMES = {"title": NAME, "alias": HEAD, "heading": PROSE}
"""The same of those of its names and headings."""
BOTH_NAMES = NAME + HEAD


@dataclass(frozen=True)
class Sought:
    """What words are looked for as: ``stems`` of each language that pages are written in, and ``also`` what is meant by
    a word besides: longer words that hold it, or those that exist of one that does not."""

    stems: Sequence[Mapping[str, str]] = ()
    also: Mapping[str, Collection[str]] = field(default_factory=dict)

    def forms(self, term: Term) -> list[str]:
        """Everything that a term is looked for as."""
        found = dict.fromkeys(term.forms)
        for each in self.stems:
            found |= dict.fromkeys(forms(term, each))
        found |= dict.fromkeys(self.also.get(term.plain, ()))
        return list(found)[:MOST_FORMS]

    def fewest(self, term: Term) -> list[str]:
        """As few forms as every place of them has: where all is stemmed alike, the stem stands with every form."""
        if len(self.stems) != 1 or not (stem := self.stems[0].get(term.word)):
            return self.forms(term)
        found = dict.fromkeys((fold(stem), *self.also.get(term.plain, ())))
        return list(found)[:MOST_FORMS]


def sought(connection: Connection, languages: Iterable[str], words: Iterable[Words]) -> Sought:
    """What the words of a question are looked for as, in volumes of these languages."""
    asked = {
        word
        for each in words
        if not each.exact
        for run in each.runs
        for term in run.terms
        if term.word
        for word in (term.word, term.plain)
    }
    named = {page_words.dictionary(language): language for language in languages}
    return Sought([page_words.stems(connection, language, asked) for language in named.values()])


def _quoted(form: str) -> str:
    return "'" + form.replace("\\", "\\\\").replace("'", "''") + "'"


def _one(term: Term, known: Sought, flags: str, *, exact: bool, begun: bool, fewest: bool = False) -> str:
    found = [term.plain] if exact or begun else known.fewest(term) if fewest else known.forms(term)
    marked = f":*{flags}" if begun else f":{flags}" if flags else ""
    asked = [f"{_quoted(form)}{marked}" for form in found]
    if is_number(term.plain) and not exact and not begun:
        # “24” is found in “24.0”, “2.1” in “2.1.3”.
        asked.append(f"{_quoted(term.plain + '.')}:*{flags}")
    return asked[0] if len(asked) == 1 else f"({' | '.join(asked)})"


def words_query(words: Words, known: Sought, weight: str = "", *, fewest: bool = False) -> str:
    """A word or phrase, in the terms of one weight or of any: all terms side by side, or together as one word."""
    terms = [term for run in words.runs for term in _asked_terms(run)]
    last = len(terms) - 1
    single_pair = words.runs[-1].spaceless and len(words.runs[-1].terms) == 1
    pieces = [
        _one(
            term,
            known,
            weight,
            exact=words.exact,
            fewest=fewest,
            begun=nth == last and (words.begun or single_pair),
        )
        for nth, term in enumerate(terms)
    ]
    side_by_side = " <-> ".join(pieces)
    whole = words.runs[0].whole if len(words.runs) == 1 else ""
    if not whole:
        return f"({side_by_side})" if len(pieces) > 1 else side_by_side
    marked = f":*{weight}" if words.begun else f":{weight}" if weight else ""
    also = "".join(
        f" | {_quoted(each)}{f':{weight}' if weight else ''}" for each in known.also.get(whole, ())
    )
    return f"(({side_by_side}) | {_quoted(whole)}{marked}{also})"


def _asked_terms(run: Run) -> Sequence[Term]:
    # The last character of a run of pairs stands alone too, for those who ask for it alone.
    return run.terms[:-1] if run.spaceless and len(run.terms) > 1 else run.terms


def positive(part: Part | None, known: Sought, weight: str = "") -> str:
    """The words that must, or may, be there, as one query: what hits are ranked by; empty if there are none. Words of a
    special place count wherever they stand."""
    if isinstance(part, Words):
        return words_query(part, known, weight, fewest=True)
    if isinstance(part, Fact | Without) or part is None:
        return ""
    found = [query for each in part.parts if (query := positive(each, known, weight))]
    if not found:
        return ""
    joined = (" & " if isinstance(part, All) else " | ").join(found)
    return f"({joined})" if len(found) > 1 else joined


def any_of(words: Iterable[Words], known: Sought) -> str:
    """At least one of some words."""
    return " | ".join(words_query(each, known) for each in words)


def name_query(connection: Connection, languages: Iterable[str], name: str) -> str:
    """All words of a name in any form and order; empty for a name of signs."""
    words = [Words(name, (run,)) for run in runs(name)]
    known = sought(connection, languages, words)
    # In pairs, not side by side: what parts them in a name may be another sign in a text.
    return " & ".join(
        _one(term, known, "", exact=False, begun=run.spaceless and len(run.terms) == 1)
        for each in words
        for run in each.runs
        for term in _asked_terms(run)
    )
