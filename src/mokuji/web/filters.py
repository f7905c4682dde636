"""What stands beside the hits of a question: each filter with its number, and the line that adds it or takes it away.

A filter is a piece of the line, so that what is chosen here can be typed, kept and changed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from urllib.parse import quote

from mokuji.core.base.phrases import counted
from mokuji.core.finding.picking import Quoted
from mokuji.core.finding.question import All, Question, Words, quoted
from mokuji.core.finding.ranking import Tier
from mokuji.services.reading.searching import Answer, Found
from mokuji.web import addresses

PLACES = {
    "title": "Titles",
    "alias": "Other names",
    "heading": "Headings",
    "text": "Text",
    "code": "Code",
}
REASONS = {
    Tier.TITLE: "called so",
    Tier.SAME_TITLE: "called so",
    Tier.ALIAS: "also called so",
    Tier.NEAR_NAME: "near spelling",
    Tier.ALMOST: "near spelling",
    Tier.IN_TITLE: "in its title",
    Tier.IN_ALIAS: "in its other names",
    Tier.IN_HEADING: "in a heading",
    Tier.IN_TEXT: "in its text",
    Tier.PUT_IN: "",
}


@dataclass(frozen=True, slots=True)
class Filter:
    """A filter: what it is called, how many hits it leaves (None: that was not counted), the line with it, or without
    it if it is ``chosen``."""

    label: str
    number: int | None
    line: str
    chosen: bool = False


@dataclass(frozen=True, slots=True)
class Group:
    """Filters of one sort."""

    heading: str
    filters: tuple[Filter, ...]


def groups(answer: Answer) -> list[Group]:
    """All filters of an answer, but for volumes."""
    line = answer.question.typed
    days = ("Last 7 days", "Last 30 days", "This year")
    counts = answer.counts
    found: list[tuple[str, Iterator[Filter]]] = [
        ("Where", _places(answer)),
        ("Category", _filters(line, (("category", name, name, n) for _, name, n in counts.categories))),
        (
            "Field",
            _filters(
                line, (("field", f"{key}={said}", f"{key}: {said}", n) for key, said, n in counts.fields)
            ),
        ),
        ("Changed by", _filters(line, (("by", key, name, n) for key, name, n in counts.people))),
        (
            "Changed",
            _filters(
                line,
                (
                    ("changed", f"{day}..", label, n)
                    for (day, _, n), label in zip(counts.since, days, strict=False)
                ),
            ),
        ),
    ]
    made = [Group(heading, tuple(filters)) for heading, filters in found]
    return [group for group in made if group.filters]


def _filters(line: str, asked: Iterable[tuple[str, str, str, int]]) -> Iterator[Filter]:
    for name, value, label, number in asked:
        piece = f"{name}:{quoted(value)}"
        if piece in _pieces(line):
            yield Filter(label, number, _without(line, piece), chosen=True)
        elif number:
            yield Filter(label, number, f"({line}) {piece}" if _has_or(line) else f"{line} {piece}")


def _pieces(line: str) -> list[str]:
    """The pieces of a line, those in quotation marks whole."""
    pieces: list[str] = []
    for word in line.split(" "):
        if pieces and pieces[-1].count('"') % 2:
            pieces[-1] += f" {word}"
        else:
            pieces.append(word)
    return pieces


def _without(line: str, piece: str) -> str:
    return " ".join(each for each in _pieces(line) if each != piece)


def _has_or(line: str) -> bool:
    return any(each.lower() == "or" for each in _pieces(line))


def _places(answer: Answer) -> Iterator[Filter]:
    """Words of one place each, or of all: a question that is more than that says itself where it looks."""
    question = answer.question
    parts = question.part.parts if isinstance(question.part, All) else (question.part,)
    words = [part for part in parts if isinstance(part, Words)]
    chosen = {part.place for part in words}
    if question.problem or len(words) != len(parts) or len(chosen) != 1:
        return
    place = chosen.pop()
    if place:
        bare = " ".join(each.removeprefix(f"{place}:") for each in _pieces(question.typed))
        yield Filter(PLACES[place], None, bare, chosen=True)
        return
    for name, label in PLACES.items():
        number = answer.places.get(name)
        if number or (number is None and question.plain):
            yield Filter(label, number, " ".join(f"{name}:{each}" for each in _pieces(question.typed)))


def reason(found: Found, question: Question) -> str:
    """Why a page stands where it does."""
    said = f"put in from “{found.through.title}”" if found.through else REASONS[found.hit.tier]
    if not any(question.words()):
        said = ""
    led = found.hit.led
    leading = f"{counted(led, 'page')} lead{'s' if led == 1 else ''} here" if led else ""
    return " · ".join(each for each in (said, leading) if each)


def place(found: Found, said: Quoted) -> str:
    """Straight to a sentence: to its section, and there to its words, which a browser lights up (the text directive of
    URL Fragment Text Directives, W3C Community Group)."""
    address = addresses.page(found.volume.key, found.hit.head.key, said.anchor)
    words = quote(said.near, safe="").replace("-", "%2D")
    sign = "" if "#" in address else "#"
    return f"{address}{sign}:~:text={words}" if said.near else address
