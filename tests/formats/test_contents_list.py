"""Contents as a list that people type: read, written, and kept in step with acts."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.model.contents import Row
from mokuji.formats.contents import keep_in_step, read_contents, write_contents

TITLES = ["Pump", "Depth sensor", "A | B", "Lid #2", "Guide/Rope", "[x] y", "3.7 V", "Ärger", "back\\slash"]


@st.composite
def trees(draw: st.DrawFn) -> tuple[Row, ...]:
    """Rows of different names, each at most one level below the one before it."""
    rows: list[Row] = []
    for title in draw(st.lists(st.sampled_from(TITLES), unique=True)):
        deepest = rows[-1].depth + 1 if rows else 0
        rows.append(Row.of(draw(st.integers(0, deepest)), title))
    return tuple(rows)


@given(trees())
def test_a_list_that_was_written_is_read_back(rows: tuple[Row, ...]) -> None:
    assert read_contents(write_contents(rows), strict=True) == ([(r.depth, r.title) for r in rows], [])


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("- [[Pump]]\n  - [[Lid]]\n- [[Well]]", [(0, "Pump"), (1, "Lid"), (0, "Well")]),
        ("* [[Pump]]\n\t* [[Lid]]", [(0, "Pump"), (1, "Lid")]),
        ("1. [[Pump]]\n   1) [[Lid]]\n      + [[Well]]", [(0, "Pump"), (1, "Lid"), (2, "Well")]),
        ("  - [[Pump]]\n      - [[Lid]]\n   - [[Well]]", [(0, "Pump"), (1, "Lid"), (1, "Well")]),
        ("- [[Pump]]\r\n- [[Lid|label]] and more\r\n", [(0, "Pump"), (0, "Lid")]),
        ("# Parts\n\n- [[Pump]]\n- see [[Lid]]\n- [[=Well]]\n", [(0, "Pump")]),
        ("```\n- [[Pump]]\n```", []),
        ("", []),
    ],
)
def test_depth_is_that_of_the_nested_list_whatever_its_marks(text: str, rows: list[tuple[int, str]]) -> None:
    assert read_contents(text)[0] == rows


def test_what_is_no_item_and_what_stands_twice_is_said_with_its_line() -> None:
    kept, problems = read_contents("- [[Pump]]\nsome words\n\n- [[PUMP]]\n- [[Lid]]", strict=True)
    assert kept == [(0, "Pump"), (0, "Lid")]
    assert problems == [
        "Line 2 is not “- [[Title]]”: “some words”.",
        "“PUMP” has two places in the contents (the second is line 4); the first one counts.",
    ]


KEPT = [
    ("- [[Pump]]\n- [[Lid]]\n", ["Sump", "Lid"], "- [[Sump]]\n- [[Lid]]\n"),
    ("1. [[Pump]] first\r\n2. [[Lid]]", ["Sump", "Lid"], "1. [[Sump]] first\r\n2. [[Lid]]"),
    (
        "Parts\n\n- [[Pump]]\n\nLids\n\n- [[Lid]]\n\nEnd",
        ["Lid", "Pump"],
        "\nLids\n\n- [[Lid]]\nParts\n\n- [[Pump]]\n\nEnd",
    ),
    ("- [[Pump]]\n- [[Lid]]\n", ["Pump", "Lid", "Well"], "- [[Pump]]\n- [[Lid]]\n- [[Well]]\n"),
    ("- [[Pump]]\n- [[Lid]]\n", ["Lid"], "- [[Lid]]\n"),
    (
        "Lead\n\n* [[Pump|the pump]] – brass\n\nOn lids:\n\n* [[Lid]] of it\n* [[Well]]: deep\n",
        ["Pump", "Well"],
        "Lead\n\n* [[Pump|the pump]] – brass\n\nOn lids:\n\n* [[Well]]: deep\n",
    ),
    (
        "1. [[Pump]] (a)\n2. [[Lid]] (b)\n   and more of it\n3. [[Well]]\n",
        ["Well", "Pump", "Lid"],
        "   and more of it\n3. [[Well]]\n1. [[Pump]] (a)\n2. [[Lid]] (b)\n",
    ),
    ("- [[Pump]] one\n- [[Lid]] two\n", ["Tank", "Pump"], "- [[Tank]] two\n- [[Pump]] one\n"),
]


@pytest.mark.parametrize(("text", "wished", "after"), KEPT)
def test_a_list_stays_as_it_was_typed_where_nothing_moves(text: str, wished: list[str], after: str) -> None:
    rows = [Row.of(depth, title) for depth, title in read_contents(text)[0]]
    assert keep_in_step(text, rows, [Row.of(0, title) for title in wished]) == after


@given(trees(), trees(), st.sampled_from(["", "Some words\n\n", "Über\r\n"]))
def test_whatever_acts_make_of_a_list_is_what_it_says_afterwards(
    rows: tuple[Row, ...], wished: tuple[Row, ...], lead: str
) -> None:
    text = lead + write_contents(rows) + "\nAt the end.\n"
    after = keep_in_step(text, rows, wished)
    assert [(d, names.key(t)) for d, t in read_contents(after)[0]] == [(r.depth, r.key) for r in wished]
    assert after.endswith("\nAt the end.\n")
