"""Tasks for other programs: todo.txt read by pytodotxt, calendars by vobject and by the rules of RFC 5545."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime

import pytest
import pytodotxt
import vobject

from mokuji.formats.tasks import TaskLine, calendar, todo_txt

TASK = TaskLine(
    page=7,
    nth=1,
    words="Replace the anode; check, \\ “all”",
    title="Change the anodes",
    volume="Guide",
    href="https://wiki.example/guide/change-the-anodes",
    done=False,
    priority="B",
    due=date(2027, 3, 1),
    people=("wenna", "jonas"),
    categories=("Power, sea", "Service"),
    changed=datetime(2026, 11, 24, 9, 30, tzinfo=UTC),
)


def test_a_task_is_a_line_of_todo_txt() -> None:
    (line,) = todo_txt([TASK]).splitlines()
    read = pytodotxt.Task(line)
    assert (read.priority, read.is_completed, read.projects) == ("B", False, ["Change-the-anodes"])
    assert read.attributes == {"due": ["2027-03-01"], "to": ["wenna", "jonas"]}
    assert read.contexts == []


def test_a_done_task_begins_with_x_and_keeps_its_priority_beside() -> None:
    read = pytodotxt.Task(todo_txt([replace(TASK, done=True)]).strip())
    assert read.is_completed and read.priority is None and read.attributes["pri"] == ["B"]


@pytest.mark.parametrize("words", ["x marks the spot", "(C) is no priority", "2026-01-01 was a day", "x", ""])
def test_words_that_look_like_marks_of_the_format_are_none(words: str) -> None:
    read = pytodotxt.Task(todo_txt([replace(TASK, words=words, priority="")]).strip())
    assert (read.is_completed, read.priority, read.creation_date) == (False, None, None)


def test_a_calendar_is_read_with_all_that_a_task_says() -> None:
    data = calendar([TASK, replace(TASK, page=8, done=True, due=None, priority="Z")], "Tasks of @wenna")
    one, other = vobject.readOne(data.decode()).vtodo_list
    assert one.summary.value == TASK.words
    assert one.due.value == date(2027, 3, 1) and one.priority.value == "2"
    assert one.categories.value == ["Power, sea", "Service"]
    assert one.status.value == "NEEDS-ACTION" and one.url.value == TASK.href
    assert other.status.value == "COMPLETED" and other.priority.value == "9"
    assert one.uid.value != other.uid.value


def test_lines_of_a_calendar_are_folded_and_end_as_they_must() -> None:
    # RFC 5545, section 3.1: lines of at most 75 octets, each ended by CRLF; what goes on begins with a space.
    data = calendar([replace(TASK, words="ö" * 200)], "x")
    assert data.endswith(b"END:VCALENDAR\r\n")
    assert all(len(line) <= 75 for line in data.split(b"\r\n"))
    assert b"\n" not in data.replace(b"\r\n", b"")
    assert vobject.readOne(data.decode()).vtodo.summary.value == "ö" * 200


def test_a_task_is_the_same_one_while_its_words_are() -> None:
    def uid(task: TaskLine) -> str:
        return str(vobject.readOne(calendar([task], "x").decode()).vtodo.uid.value)

    assert uid(TASK) == uid(replace(TASK, due=None, done=True, title="Other"))
    assert (
        len(
            {
                uid(TASK),
                uid(replace(TASK, words="other")),
                uid(replace(TASK, nth=2)),
                uid(replace(TASK, page=9)),
            }
        )
        == 4
    )
