"""Slots: what a template declares, where its text uses them, and what stands there for given values.

The forms are those of POSIX parameter expansion (POSIX.1-2024, Shell Command
Language 2.6.2): ``${x}``, and ``-``, ``?``, ``+`` with or without a colon, as
between double quotes. Only declared names are slots; ``\\${x}`` is literal.
Values are not expanded again. All work is linear, and nothing recurses deeper
than ``DEEPEST``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from mokuji.core.base.findings import Problem
from mokuji.core.base.spans import Span
from mokuji.core.syntax.front_matter import FrontMatter

DEEPEST = 16
"""Maximum number of expansions inside the words of each other; a deeper one stays as typed."""
MOST = 200
"""Maximum number of slots of a template."""
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_TOKEN = re.compile(r"\\[\\$}]|\$\{(?:([A-Za-z_][A-Za-z0-9_]*)(\}|:?[-?+])?)?|\}")
_SAYS_YES = {"true", "yes", "on"}
_SAYS_NO = {"false", "no", "off", ""}


@dataclass(frozen=True, slots=True)
class Slot:
    """A slot as a template declares it; ``default`` is None when there is none."""

    name: str
    required: bool = False
    default: str | None = None
    help: str = ""
    example: str = ""


@dataclass(frozen=True, slots=True)
class Declared:
    """The slots of a page in the order of its front matter; ``template`` says that the page is meant as one."""

    slots: Mapping[str, Slot] = field(default_factory=dict)
    template: bool = False
    problems: tuple[Problem, ...] = ()


NO_SLOTS = Declared()
_MASK = "\x1a"
"""Stands for the ``$`` of a slot while a text is read: one byte, and no mark of Markdown."""


def masked(text: str, slots: Collection[str]) -> str:
    """A text of the same length in which no slot is part of a formula: slots are taken out before Markdown is read."""
    if not slots or "${" not in text:
        return text
    pieces: list[str] = []
    at = 0
    for start in sorted(use.span.start for use in parse(text, slots).uses()):
        pieces += (text[at:start], _MASK)
        at = start + 1
    return "".join(pieces) + text[at:]


def unmasked(words: str) -> str:
    """Words of a masked text as they are typed."""
    return words.replace(_MASK, "$")


def declared(front: FrontMatter) -> Declared:
    """The slots that a front matter declares: a mapping of names, or a list of bare names."""
    value = front.fields.get("slots")
    marked = front.words("template").strip().lower() in _SAYS_YES
    if value is None:
        return Declared(template=marked)
    problems: list[Problem] = []

    def say(code: str, message: str) -> None:
        problems.append(Problem(code, message, front.span))

    given: Sequence[tuple[str, Any]]
    if isinstance(value, dict):
        given = [(name, told) for name, told in value.items() if isinstance(name, str)]
    elif isinstance(value, list):
        given = [(name, "") for name in value if isinstance(name, str)]
    else:
        given = [(value, "")] if isinstance(value, str) and value else []
    slots: dict[str, Slot] = {}
    for name, told in given:
        if not _NAME.fullmatch(name):
            say("slot_name", f"“{name}” cannot be the name of a slot: it takes letters, digits and “_”.")
        elif len(slots) >= MOST:
            say("slots_many", f"More than {MOST} slots are declared; the others are not read.")
            break
        else:
            slots[name] = _slot(name, told, say)
    return Declared(slots, True, tuple(problems))


def _slot(name: str, told: Any, say: Callable[[str, str], None]) -> Slot:
    if isinstance(told, str):
        # ``voltage: Rated supply`` is short for its help.
        return Slot(name, help=told)
    if not isinstance(told, dict):
        say("slot_told", f"Of the slot “{name}” a mapping is said: required, default, help, example.")
        return Slot(name)
    words: dict[str, str] = {}
    for key, value in told.items():
        if key not in {"required", "default", "help", "example"}:
            say(
                "slot_told",
                f"The slot “{name}” has “{key}”: only required, default, help and example are known.",
            )
        elif isinstance(value, str):
            words[key] = value
        else:
            say("slot_told", f"“{key}” of the slot “{name}” is one text, no list.")
    required = words.get("required", "").strip().lower()
    if required not in _SAYS_YES | _SAYS_NO:
        say("slot_told", f"“required” of the slot “{name}” is true or false, not “{required}”.")
    return Slot(
        name, required in _SAYS_YES, words.get("default"), words.get("help", ""), words.get("example", "")
    )


@dataclass(frozen=True, slots=True)
class Use:
    """A slot where a text uses it: ``${name}``, or with an operator and a word. ``span`` is in code points."""

    name: str
    operator: str
    word: tuple[Piece, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Escaped:
    """A ``\\$`` before a brace: the text of it is ``$``, and no slot begins."""

    span: Span


Piece = str | Use | Escaped


@dataclass(frozen=True, slots=True)
class Parsed:
    """A text as words, slots and escapes, in order; together their ranges are the whole."""

    pieces: tuple[Piece, ...]
    problems: tuple[Problem, ...] = ()

    def uses(self) -> list[Use]:
        """All uses, those in words of others behind these."""
        return [use for piece in self.pieces if isinstance(piece, Use) for use in every(piece)]


def every(use: Use) -> list[Use]:
    """A use with those in its word."""
    return [use, *(inner for piece in use.word if isinstance(piece, Use) for inner in every(piece))]


@dataclass(slots=True)
class _Open:
    """An expansion whose end is being looked for; with an empty name one of a name that is no slot, in a word."""

    name: str
    operator: str
    start: int
    word_start: int
    pieces: list[Piece]


def parse(text: str, names: Collection[str]) -> Parsed:
    """The slots that a text uses, of those with these names."""
    problems: list[Problem] = []
    stack: list[_Open] = [_Open("", "", 0, 0, [])]
    at = 0

    def words(end: int) -> None:
        if end > at:
            stack[-1].pieces.append(text[at:end])

    for token in _TOKEN.finditer(text):
        start, end = token.span()
        if token[0][0] == "\\":
            if token[0] == "\\$" and text[end : end + 1] == "{":
                words(start)
                stack[-1].pieces.append(Escaped(Span(start, end)))
                at = end
            elif token[0] == "\\}" and len(stack) > 1:
                words(start)
                stack[-1].pieces.append("}")
                at = end
        elif token[0] == "}":
            if len(stack) > 1:
                words(start)
                at = end
                _close(stack, text, end)
        elif token[1] not in names:
            if len(stack) > 1 and len(stack) <= 4 * DEEPEST and token[2] != "}":
                words(start)
                at = start
                stack.append(_Open("", "", start, start, []))
        elif token[2] == "}":
            words(start)
            stack[-1].pieces.append(Use(token[1], "", (), Span(start, end)))
            at = end
        elif token[2] is None:
            problems.append(_strange(token[1], Span(start, end)))
        elif sum(bool(frame.name) for frame in stack) < DEEPEST:
            words(start)
            at = end
            stack.append(_Open(token[1], token[2], start, end, []))
    words(len(text))
    while len(stack) > 1:
        frame = stack.pop()
        if frame.name:
            said = f"“${{{frame.name}{frame.operator}” is not closed by “}}”."
            problems.append(Problem("slot_unclosed", said, Span(frame.start, frame.word_start)))
            stack[-1].pieces.append(text[frame.start : frame.word_start])
        stack[-1].pieces += frame.pieces
    return Parsed(_joined(stack[0].pieces), tuple(problems))


def _strange(name: str, span: Span) -> Problem:
    said = f"“${{{name}” goes on in a way that no slot can: write ${{{name}}}, or -, ? or + behind the name."
    return Problem("slot_form", said, span)


def _close(stack: list[_Open], text: str, end: int) -> None:
    frame = stack.pop()
    if frame.name:
        use = Use(frame.name, frame.operator, _joined(frame.pieces), Span(frame.start, end))
        stack[-1].pieces.append(use)
    else:
        stack[-1].pieces += [*frame.pieces, "}"]


def _joined(pieces: Sequence[Piece]) -> tuple[Piece, ...]:
    found: list[Piece] = []
    for piece in pieces:
        if isinstance(piece, str) and found and isinstance(found[-1], str):
            found[-1] += piece
        else:
            found.append(piece)
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Result:
    """What stands in the place of a slot; ``faults`` are names of slots that have no value, with what is said."""

    text: str
    faults: tuple[tuple[str, str], ...] = ()


def expand(piece: Piece, values: Mapping[str, str], place: Callable[[str], str] = str) -> Result:
    """A piece of a text with its slots replaced; ``place`` fits a value into where it goes. Words of the text itself
    stand in their place already."""
    if isinstance(piece, str):
        return Result(piece)
    if isinstance(piece, Escaped):
        return Result("$")
    value = values.get(piece.name)
    there = value is not None and (value != "" or ":" not in piece.operator)
    if piece.operator.endswith("+"):
        return _word(piece, values, place) if there else Result("")
    if there or not piece.operator:
        return Result(place(value or ""))
    word = _word(piece, values, place)
    if piece.operator.endswith("-"):
        return word
    said = word.text.strip() or f"The slot “{piece.name}” has no value."
    return Result("", (*word.faults, (piece.name, said)))


def _word(use: Use, values: Mapping[str, str], place: Callable[[str], str]) -> Result:
    results = [expand(piece, values, place) for piece in use.word]
    return Result(
        "".join(result.text for result in results), tuple(f for result in results for f in result.faults)
    )


def given(slots: Mapping[str, Slot], values: Mapping[str, str]) -> dict[str, str]:
    """The values that a template sees: those given for slots it has, and its defaults for the rest."""
    found = {name: slot.default for name, slot in slots.items() if slot.default is not None}
    return found | {name: value for name, value in values.items() if name in slots}
