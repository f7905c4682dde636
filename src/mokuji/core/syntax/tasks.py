"""Tasks: ``- [ ] (A) Replace the anode due:2027-03-01 @wenna``, items of lists with a box.

Priority and date are those of todo.txt (its published rules): ``(A)`` to ``(Z)``
first of all, ``due:`` before a day of the calendar. ``@`` names a person here.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from itertools import islice

from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import Event, tag_name
from mokuji.core.syntax.pointers import Handle

MOST = 5_000
"""Maximum number of tasks of one page."""
_PRIORITY = re.compile(r"\s*\(([A-Z])\)(?=\s)")
_BOX = re.compile(rb"\[[\sxX]\]")
_DUE = re.compile(r"(?<!\S)due:(\S+)")
_DAY = re.compile(r"(\d{4})-(\d{2})-(\d{2})[.,;]?\Z")
_NESTED = {"List", "Item", "BlockQuote", "CodeBlock", "Table"}


@dataclass(frozen=True, slots=True)
class Task:
    """A task: whether it is done, its box with the brackets, its words as typed (those of its own lines, without items
    below it), priority (empty: none), day, and where that is typed; ``due_typed`` without ``due`` is no day."""

    done: bool
    box: Span
    words: Span
    priority: str = ""
    due: date | None = None
    due_typed: Span | None = None
    people: tuple[str, ...] = ()


def tasks(body: Body, handles: Sequence[Handle]) -> tuple[Task, ...]:
    """The tasks of a page, in order; ``handles`` are all that it names."""
    if _BOX.search(body.lifted.data) is None:
        return ()
    starts = [handle.span.start for handle in handles]
    found: list[Task] = []
    for done, box_start, box_end, words_end in islice(_collect(body.events), MOST):
        box, words = body.span(box_start, box_end), body.span(box_end, words_end)
        named = handles[bisect_left(starts, words.start) : bisect_left(starts, words.end)]
        found.append(_task(body.text, done, box, words, named))
    return tuple(found)


def _collect(events: Sequence[Event]) -> Iterator[tuple[bool, int, int, int]]:
    """Each task: done, and the bytes where its box begins and ends and its own words end."""
    waiting: tuple[bool, int, int, int] | None = None
    for kind, value, start, end in events:
        if kind == "TaskListMarker":
            if waiting is not None:
                yield waiting
            waiting = (value, start, end, end)
        elif waiting is not None and kind in {"Start", "End"} and tag_name(value) in _NESTED:
            yield waiting
            waiting = None
        elif waiting is not None and kind != "Start":
            waiting = (*waiting[:3], max(waiting[3], end))
    if waiting is not None:
        yield waiting


def _task(text: str, done: bool, box: Span, words: Span, handles: Sequence[Handle]) -> Task:
    """A task of which ``handles`` are those that stand in its words."""
    said = words.of(text).rstrip()
    words = Span(words.start, words.start + len(said))
    priority = _PRIORITY.match(said)
    due = _DUE.search(said)
    typed = Span(words.start + due.start(1), words.start + due.end(1)) if due is not None else None
    people = [handle.key for handle in handles if handle.span.start < words.end]
    return Task(
        done,
        box,
        words,
        priority[1] if priority is not None else "",
        _day(due[1]) if due is not None else None,
        typed,
        tuple(dict.fromkeys(people)),
    )


def _day(typed: str) -> date | None:
    match = _DAY.match(typed)
    if match is None:
        return None
    try:
        return date(int(match[1]), int(match[2]), int(match[3]))
    except ValueError:
        return None


def said(text: str, task: Task) -> str:
    """What a task says, in one line as typed, without priority, day and people."""
    words = task.words.of(text)
    priority = _PRIORITY.match(words)
    words = _DUE.sub("", words[priority.end() :] if priority is not None else words)
    return " ".join(words.split())


def ticked(task: Task, *, done: bool) -> tuple[Span, str]:
    """The box as it is once a task is done, or open again."""
    return Span(task.box.start + 1, task.box.end - 1), "x" if done else " "
