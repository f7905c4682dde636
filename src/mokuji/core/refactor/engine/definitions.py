"""Link definitions and footnotes when texts are parted or united, so that what reads them reads the same.

Parted: what a passage needs goes with it, or is copied where both need it.
United: labels that both texts define get others in one of them, and brackets
that were text stay text.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import count

from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.language.page import Page
from mokuji.core.language.scan import scan
from mokuji.core.refactor.engine.composing import Carried, Part, Words, gap_behind
from mokuji.core.syntax.definitions import Definition, Definitions, Key, Usage, key_of

_LINE_END = r"(?:\r\n|\n|\r)"


@dataclass(frozen=True, slots=True)
class Needs:
    """What one side of a parted text needs at its end: ``moved`` from the other side, or ``copied``."""

    moved: tuple[Definition, ...] = ()
    copied: tuple[Definition, ...] = ()


@dataclass(frozen=True, slots=True)
class Parted:
    """A text of which a passage goes elsewhere: what the passage and the rest need of each other."""

    passage: Needs
    rest: Needs


def part(page: Page, passage: Span) -> Parted:
    """What is to be carried along when a passage leaves its page.

    A definition goes where it is used; used on both sides it is copied; used on
    none it stays with the lines around it. Refused if a note that must go stands
    inside a list or quotation, or a later definition of the same label would count.
    """
    definitions = page.content.definitions
    sides = _sides(definitions, passage)
    moved: dict[bool, list[Definition]] = {True: [], False: []}
    copied: dict[bool, list[Definition]] = {True: [], False: []}
    again = {(each.key, passage.holds(each.span.start)) for each in definitions.again}
    for definition in definitions.defined:
        here = passage.holds(definition.span.start)
        wanted = sides.get(definition.key) or {here}
        if (definition.key, not here) in again:
            raise Refused(
                f"“{page.head.title}” defines “{definition.label.of(page.text)}” twice, in this section and outside "
                "of it. The first one counts; take the other out, so that it cannot count by itself.",
                code="defined_twice",
                named=[page.head.volume],
            )
        if here not in wanted and not definition.nested:
            moved[not here].append(definition)
        elif (not here) in wanted:
            if definition.nested and definition.key.note:
                raise Refused(
                    f"The note “{definition.label.of(page.text)}” on “{page.head.title}” stands inside a list or "
                    "quotation, so it cannot go along. Move it out of there first.",
                    code="nested",
                    named=[page.head.volume],
                )
            copied[not here].append(definition)
    return Parted(*(Needs(tuple(moved[side]), tuple(copied[side])) for side in (True, False)))


def _sides(found: Definitions, passage: Span) -> dict[Key, set[bool]]:
    """On which sides each key is needed: in the passage (True), in the rest (False). What a note uses is needed
    wherever the note is."""
    notes = [definition for definition in found.defined if definition.key.note]
    sides: dict[Key, set[bool]] = {}
    within: dict[Key, set[Key]] = {}
    starts = [definition.span.start for definition in notes]
    for usage in found.used:
        at = bisect_right(starts, usage.span.start) - 1
        if at >= 0 and notes[at].span.holds(usage.span.start):
            within.setdefault(notes[at].key, set()).add(usage.key)
        else:
            sides.setdefault(usage.key, set()).add(passage.holds(usage.span.start))
    open_ = [definition.key for definition in notes]
    for definition in notes:
        sides.setdefault(definition.key, {passage.holds(definition.span.start)})
    while open_:
        note = open_.pop()
        for key in within.get(note, ()):
            known = sides.setdefault(key, set())
            if not sides[note] <= known:
                known |= sides[note]
                if key.note:
                    open_.append(key)
    return sides


def without(page: Page, span: Span, gone: Iterable[Definition]) -> list[Part]:
    """A passage of a page without some definitions, nor the empty lines that only they needed."""
    parts: list[Part] = []
    at = span.start
    for definition in gone:
        if span.holds(definition.span.start):
            cut = _lines(page.text, definition.span, span)
            parts.append(Carried(page.head.id, Span(at, max(at, cut.start))))
            at = cut.end
    parts.append(Carried(page.head.id, Span(at, span.end)))
    return [each for each in parts if isinstance(each, Words) or each.span.start < each.span.end]


def _lines(text: str, span: Span, within: Span) -> Span:
    """The lines of a definition; with the empty ones before it where others follow anyhow."""
    start = max(text.rfind("\n", within.start, span.start), text.rfind("\r", within.start, span.start)) + 1
    start = max(start, within.start)
    ended = re.compile(rf"[ \t]*{_LINE_END}?").match(text, span.end)
    end = min(ended.end() if ended else span.end, within.end)
    if end >= within.end or re.compile(rf"[ \t]*{_LINE_END}").match(text, end):
        at = start
        while at > within.start and text[at - 1] in " \t\r\n":
            at -= 1
        # The line end behind the last words stays.
        last = re.compile(rf"[ \t]*{_LINE_END}").match(text, at)
        start = min(start, last.end() if last and at > within.start else at)
    return Span(start, end)


def at_end(page: Page, before: str, needs: Needs, copy: int) -> list[Part]:
    """What stands at the end of a text for its needs; ``before`` is that text, ``copy`` the id of a source that
    is a copy of the page."""
    end = front_edit.line_end(page.text)
    parts: list[Part] = []
    gap = gap_behind(before, end)
    last: Definition | None = None
    moved = set(needs.moved)
    for definition in sorted((*needs.moved, *needs.copied), key=lambda each: each.span):
        if last is not None:
            gap = end * (2 if definition.key.note or last.key.note else 1)
        parts.append(Words(gap))
        if definition in moved:
            parts.append(Carried(page.head.id, definition.span))
        elif definition.nested:
            # Its lines may begin with the marks of what it stands in.
            parts.append(Words(re.sub(rf"({_LINE_END})[ \t>]+", r"\1", definition.span.of(page.text))))
        else:
            parts.append(Carried(copy, definition.span))
        last = definition
    return [*parts, Words(end)] if parts else []


def copy_of(page: Page, id_: int) -> Page:
    """A page as a source of its own, for what stands in two places afterwards."""
    copied = Page(replace(page.head, id=id_), page.text)
    copied.__dict__["content"] = page.content
    return copied


def unite(into: Page, page: Page) -> tuple[tuple[Edit, ...], tuple[Edit, ...]]:
    """The edits in two texts that become one: first those in ``into``, then those in ``page``.

    Where both define a label differently, that of ``page`` becomes another.
    """
    theirs, ours = into.content.definitions, page.content.definitions
    clashing = _clashing(into, page, theirs, ours)
    taken = _in_brackets(into.text) | _in_brackets(page.text)
    labels: dict[Key, str] = {}
    for key in clashing:
        labels[key] = _free(key, taken)
        taken |= _in_brackets(f"[{labels[key]}]")
    edits: dict[Span, Edit] = {}
    for definition in (*ours.defined, *ours.again):
        if definition.key in labels:
            edits[definition.label] = Edit(definition.label, labels[definition.key])
    for usage in ours.used:
        if usage.key in labels:
            words = usage.before + labels[usage.key] + usage.behind
            edits[usage.label] = Edit(usage.label, words)
    renamed = {key_of(labels.get(key, key.label), note=key.note) for key in (d.key for d in ours.defined)}
    for edit in _escapes(page, ours, {each.key for each in theirs.defined} - {d.key for d in ours.defined}):
        edits[edit.span] = edit
    escapes = _escapes(into, theirs, renamed - {each.key for each in theirs.defined})
    return tuple(sorted(escapes)), tuple(sorted(edits.values()))


def _clashing(into: Page, page: Page, theirs: Definitions, ours: Definitions) -> list[Key]:
    """The keys that both define: notes always, links if they say something else."""
    there = {definition.key: definition.span.of(into.text) for definition in theirs.defined}

    def alike(key: Key, words: str) -> bool:
        if key in theirs.says and key in ours.says:
            return theirs.says[key] == ours.says[key]
        return words.split() == there[key].split()

    return [
        definition.key
        for definition in ours.defined
        if definition.key in there
        and (definition.key.note or not alike(definition.key, definition.span.of(page.text)))
    ]


def _in_brackets(text: str) -> set[str]:
    """All that stands in brackets, as keys have it: no label made anew may be one of these, defined or not."""
    return {" ".join(found.lstrip("^").split()).casefold() for found in re.findall(r"\[([^\[\]]+)\]", text)}


def _free(key: Key, taken: set[str]) -> str:
    if key.label.isdecimal():
        return next(each for number in count(int(key.label) + 1) if (each := str(number)) not in taken)
    return next(each for number in count(2) if (each := f"{key.label}-{number}") not in taken)


def _escapes(page: Page, found: Definitions, keys: Iterable[Key]) -> list[Edit]:
    """Backslashes before brackets that are text, and would not be if these keys were defined."""
    lead = "".join(f"[{'^' if key.note else ''}{key.label}]: x\n\n" for key in sorted(keys, key=repr))
    if not lead:
        return []
    start = page.content.front_matter.span.end
    text = lead + page.text[start:]
    known = {(each.key, each.span.start) for each in found.used}
    edits: dict[Span, Edit] = {}
    for usage in scan(text).definitions.used:
        at = usage.span.start - len(lead) + start
        if at >= start and (usage.key, at) not in known:
            for bracket in _brackets(text, usage):
                span = Span(bracket, bracket + 1).moved(start - len(lead))
                edits[span] = Edit(span, "\\[")
    return list(edits.values())


def _brackets(text: str, usage: Usage) -> set[int]:
    """The brackets without which this is text: the first, and that of a label of its own. One alone would not
    do: the parser takes ``[a]\\[b]`` for a link."""
    own = usage.label.start < usage.label.end
    return {
        text.index("[", usage.span.start),
        *([usage.label.start - 1] if own and not usage.key.note else []),
    }
