"""Parts: what of a page is inserted, marked by comments that stand alone on their lines.

``<!-- part -->`` … ``<!-- /part -->``, or ``<!-- part: name -->`` for one with a
name. Markers count outside of code, lists and quotations, and are not nested.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.findings import Problem
from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import tag_name

MOST = 500
"""Maximum number of parts of a page."""
_MARKER = re.compile(r"[ \t]*<!--[ \t]*(/?)part(?:[ \t]*:[ \t]*([^\r\n]*?))?[ \t]*-->[ \t]*(?:\r\n|\n|\r|\Z)")


@dataclass(frozen=True, slots=True)
class Part:
    """A part: its name (None: it has none), what it holds, and its markers with their line ends; the last one is
    empty if the part runs to the end of the page."""

    name: str | None
    inner: Span
    opening: Span
    closing: Span

    @property
    def key(self) -> str:
        """What its name is found by; empty without one."""
        return names.key(self.name or "")


@dataclass(frozen=True, slots=True)
class Parts:
    """The parts of a page in order, and what is wrong with their markers."""

    parts: tuple[Part, ...] = ()
    problems: tuple[Problem, ...] = ()

    @property
    def unnamed(self) -> list[Part]:
        """Those that are inserted with the page."""
        return [part for part in self.parts if part.name is None]

    def named(self, name: str) -> Part | None:
        """The first part of a name."""
        key = names.key(name)
        return next((part for part in self.parts if key and part.key == key), None)


def parts(body: Body) -> Parts:
    """The parts of a page."""
    text = body.text
    if "<!--" not in text or "part" not in text:
        return Parts()
    markers = _markers(body)
    found: list[Part] = []
    problems: list[Problem] = []
    open_: tuple[str | None, Span] | None = None
    seen: set[str] = set()

    def say(code: str, message: str, span: Span) -> None:
        problems.append(Problem(code, message, span))

    for closes, name, span in markers:
        if closes and open_ is None:
            say("part_not_open", "No part is open here that this marker could close. Take it out.", span)
        elif closes and open_ is not None:
            found.append(Part(open_[0], Span(open_[1].end, span.start), open_[1], span))
            open_ = None
        elif open_ is not None:
            say("part_nested", "A part begins inside another one. Close the first with <!-- /part -->.", span)
        elif len(found) >= MOST:
            say("parts_many", f"More than {MOST} parts are marked; this one is not read.", span)
        else:
            key = names.key(name or "")
            if name is not None and not key:
                say("part_name", "After “part:” a name is needed.", span)
            elif key in seen:
                say("part_twice", f"A part “{name}” stands further up; the first one counts.", span)
            seen |= {key} - {""}
            open_ = (name if key else None, span)
    if open_ is not None:
        end = len(text)
        found.append(Part(open_[0], Span(open_[1].end, end), open_[1], Span(end, end)))
        say("part_unclosed", "This part is not closed by <!-- /part -->, so it runs to the end.", open_[1])
    return Parts(tuple(found), tuple(problems))


def _markers(body: Body) -> list[tuple[bool, str | None, Span]]:
    text = body.text
    starts: list[int] = []
    depth = 0
    for kind, value, start, _ in body.events:
        if kind == "Start":
            if depth == 0 and tag_name(value) == "HtmlBlock":
                starts.append(start)
            depth += 1
        elif kind == "End":
            depth -= 1
    found: list[tuple[bool, str | None, Span]] = []
    for start in starts:
        at = body.at(start)
        line = max(text.rfind("\n", 0, at), text.rfind("\r", 0, at)) + 1
        marker = _MARKER.match(text, max(line, body.offset))
        if marker is not None:
            found.append((bool(marker[1]), marker[2], Span(*marker.span())))
    return found
