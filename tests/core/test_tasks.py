"""Tasks in a text: which there are, what they say, and what ticking one changes."""

from __future__ import annotations

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.language.scan import scan
from mokuji.core.syntax.tasks import said, ticked
from tests.core.showing import shown_text
from tests.wikis import VOLUMES, Outline, texts


def test_a_task_has_priority_day_and_people() -> None:
    text = (
        "é\n\n- [ ] (A) Replace the [[anode]] due:2027-03-01 @Wenna, with @jonas\n  and more\n  - [x] sub\n"
    )
    one, other = scan(text).tasks
    assert (one.done, one.priority, one.due, one.people) == (False, "A", date(2027, 3, 1), ("wenna", "jonas"))
    assert one.box.of(text) == "[ ]" and other.box.of(text) == "[x]" and other.done
    assert said(text, one) == "Replace the [[anode]] @Wenna, with @jonas and more"
    assert said(text, other) == "sub"


@pytest.mark.parametrize(
    ("typed", "priority", "due"),
    [
        ("(B) x", "B", None),
        ("(b) x", "", None),
        ("x (B)", "", None),
        ("(AB) x", "", None),
        ("x due:2024-02-29", "", date(2024, 2, 29)),
        ("x due:2024-02-29.", "", date(2024, 2, 29)),
        ("x overdue:2024-01-01", "", None),
    ],
)
def test_priority_stands_first_and_the_day_where_a_word_begins(
    typed: str, priority: str, due: date | None
) -> None:
    (task,) = scan(f"- [ ] {typed}\n").tasks
    assert (task.priority, task.due) == (priority, due)


@pytest.mark.parametrize("day", ["2027-02-29", "2027-13-01", "tomorrow", "2027-3-1"])
def test_a_day_that_is_none_is_a_problem_at_its_place(day: str) -> None:
    text = f"ö\n\n* [ ] x due:{day}\n"
    (problem,) = scan(text).problems
    assert problem.code == "task_due" and problem.span.of(text) == day


def test_boxes_in_code_and_outside_of_lists_are_none() -> None:
    assert not scan("[ ] x\n\n```\n- [ ] x\n```\n\n`- [ ] x`\n").tasks
    (task,) = scan("> 1. [X] quoted\n").tasks
    assert task.done


def test_the_published_examples_of_task_items_are_tasks() -> None:
    # GitHub Flavored Markdown 0.29, section 5.3, examples 279 and 280.
    assert [t.done for t in scan("- [ ] foo\n- [x] bar\n").tasks] == [False, True]
    text = "- [x] foo\n  - [ ] bar\n  - [x] baz\n- [ ] bim\n"
    assert [(said(text, t), t.done) for t in scan(text).tasks] == [
        ("foo", True),
        ("bar", False),
        ("baz", True),
        ("bim", False),
    ]


@given(texts(Outline({VOLUMES[0]: ["Pump", "C#"]}), VOLUMES[0]), st.booleans())
def test_ticking_changes_the_box_of_that_task_and_nothing_else(text: str, done: bool) -> None:
    text += "\n\n- [ ] one\n- [x] two\n"
    before = scan(text).tasks
    for n, task in enumerate(before):
        span, mark = ticked(task, done=done)
        after = text[: span.start] + mark + text[span.end :]
        assert len(after) == len(text)
        now = scan(after).tasks
        assert [t.done for t in now] == [done if m == n else t.done for m, t in enumerate(before)]


def test_only_boxes_of_the_page_itself_can_be_ticked() -> None:
    html = shown_text("- [ ] a\n- [x] b\n")
    assert 'data-task="0"> a' in html and 'data-task="1" checked> b' in html
