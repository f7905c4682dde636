"""Who is named by a change, or given a task by it, who was not before.

A text that only moves a name, corrects a task or ticks one names nobody anew.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from mokuji.core.language.scan import PageText
from mokuji.core.syntax.pointers import handles_in
from mokuji.core.syntax.tasks import said


@dataclass(frozen=True, slots=True)
class Named:
    """Handles, as they are kept: of those who are given a task, and of those who are named otherwise."""

    given: frozenset[str] = frozenset()
    named: frozenset[str] = frozenset()

    def __or__(self, other: Named) -> Named:
        return Named(self.given | other.given, self.named | other.named)


def named_in(text: str, content: PageText, old_text: str, old: PageText | None) -> Named:
    """Who is named, and given tasks, more often by a text than by the one before it (None: there was none)."""
    tasks, before = _tasks(text, content), _tasks(old_text, old)
    come, gone = _by_handle(tasks - before), _by_handle(before - tasks)
    # One that comes where another one goes is that one in other words.
    given = {handle for handle, number in come.items() if number > gone[handle]}
    more = _names(content) - _names(old)
    return Named(frozenset(given), frozenset(more.keys() - given))


def named_in_note(note: str) -> Named:
    """Who is named by what somebody says of a change."""
    return Named(named=frozenset(handles_in(note)))


def _names(content: PageText | None) -> Counter[str]:
    return Counter(handle.key for handle in content.handles) if content is not None else Counter()


def _by_handle(tasks: Counter[tuple[str, str]]) -> Counter[str]:
    found: Counter[str] = Counter()
    for (handle, _), number in tasks.items():
        found[handle] += number
    return found


def _tasks(text: str, content: PageText | None) -> Counter[tuple[str, str]]:
    """The tasks of people, done or not, each with the words that it has."""
    if content is None:
        return Counter()
    return Counter(
        (handle.casefold(), " ".join(said(text, task).split()))
        for task in content.tasks
        for handle in task.people
    )
