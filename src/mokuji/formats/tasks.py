"""Tasks for other programs: todo.txt, and iCalendar (RFC 5545) by the icalendar library.

In todo.txt ``@`` means a context, so a person is ``to:wenna`` there, and the
page a project, ``+Change-the-anodes``; a done task keeps its priority as
``pri:A`` (common practice, for completion drops it).
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from icalendar import Calendar, Todo


@dataclass(frozen=True, slots=True)
class TaskLine:
    """A task with all that other programs are told of it."""

    page: int
    nth: int
    words: str
    title: str
    volume: str
    href: str
    done: bool
    priority: str
    due: date | None
    people: tuple[str, ...]
    categories: tuple[str, ...]
    changed: datetime


def todo_txt(tasks: Iterable[TaskLine]) -> str:
    """Tasks by the rules of todo.txt (“The todo.txt format”), one a line."""
    return "".join(f"{_line(task)}\n" for task in tasks)


def _line(task: TaskLine) -> str:
    words = " ".join(task.words.split()) or "…"
    # What begins like a mark of the format is no such mark here.
    if re.match(r"x(?: |\Z)|\([A-Z]\) |\d{4}-\d{2}-\d{2}(?: |\Z)", words):
        words = f"“{words.split(' ', 1)[0]}” {words.split(' ', 1)[1]}" if " " in words else f"“{words}”"
    project = "+" + re.sub(r"\s+", "-", task.title)
    more = [f"due:{task.due}"] if task.due is not None else []
    more += [f"to:{handle}" for handle in task.people]
    if task.done:
        more += [f"pri:{task.priority}"] if task.priority else []
        return " ".join(["x", words, project, *more])
    lead = [f"({task.priority})"] if task.priority else []
    return " ".join([*lead, words, project, *more])


def calendar(tasks: Iterable[TaskLine], title: str) -> bytes:
    """Tasks as VTODO of one calendar, for programs that look for them by themselves."""
    made = Calendar()
    made.add("prodid", "-//Mokuji//Tasks//EN")
    made.add("version", "2.0")
    made.add("method", "PUBLISH")
    made.add("name", title)
    made.add("x-wr-calname", title)
    for task in tasks:
        todo = Todo()
        todo.add("uid", f"{_identity(task)}@mokuji")
        todo.add("dtstamp", task.changed)
        todo.add("last-modified", task.changed)
        todo.add("summary", " ".join(task.words.split()) or "…")
        people = f" · {', '.join('@' + handle for handle in task.people)}" if task.people else ""
        todo.add("description", f"{task.volume} · {task.title}{people}")
        todo.add("url", task.href)
        if task.due is not None:
            todo.add("due", task.due)
        if task.priority:
            # One to nine there, A to Z here: from I on all are lowest.
            todo.add("priority", min(9, ord(task.priority) - ord("A") + 1))
        if task.categories:
            todo.add("categories", list(task.categories))
        todo.add("status", "COMPLETED" if task.done else "NEEDS-ACTION")
        if task.done:
            todo.add("completed", task.changed)
            todo.add("percent-complete", 100)
        made.add_component(todo)
    return bytes(made.to_ical())


def _identity(task: TaskLine) -> str:
    """What stays the same while a task keeps its words: its page, they themselves, and which it is of those alike."""
    return hashlib.blake2b(f"{task.page}\0{task.words}\0{task.nth}".encode(), digest_size=12).hexdigest()
