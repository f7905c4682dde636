"""Places in the contents: what each placing does, that it can be taken back, and how few a rearrangement needs."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.model.contents import LAST, Placing, Put, Rekey, Row, Take, place, rearrange

VOLUME = 7


def rows_of(listed: str) -> tuple[Row, ...]:
    """Rows from “A(B(C) D) E”: what stands in brackets stands below."""
    rows: list[Row] = []
    depth = 0
    for word in listed.replace("(", " ( ").replace(")", " ) ").split():
        if word in "()":
            depth += 1 if word == "(" else -1
        else:
            rows.append(Row.of(depth, word))
    return tuple(rows)


def listed(rows: tuple[Row, ...]) -> str:
    """The other way round."""
    said, depth = "", 0
    for row in rows:
        said += "(" * (row.depth - depth) + ")" * (depth - row.depth) + " " + row.title
        depth = row.depth
    return (said + ")" * depth).replace("( ", "(").strip()


PLACINGS: list[tuple[str, Placing, str]] = [
    ("A(B C) D", Put(VOLUME, "b", "B", None, "a"), "A(C) B D"),
    ("A(B(X) C) D", Put(VOLUME, "b", "B", "d", LAST), "A(C) D(B(X))"),
    ("A(B C) D", Put(VOLUME, "c", "C", "a", None), "A(C B) D"),
    ("A(B C) D", Put(VOLUME, "new", "New", "a", "b"), "A(B New C) D"),
    ("A(B C) D", Put(VOLUME, "new", "New", "nowhere", LAST), "A(B C) D New"),
    ("A(B) D", Put(VOLUME, "b", "B", "d", LAST, new_only=True), "A(B) D"),
    ("A(B(C)) D", Put(VOLUME, "a", "A", "c", LAST), "A(B(C)) D"),
    ("A(B(C) D) E", Take(VOLUME, "b"), "A(C D) E"),
    ("A B", Take(VOLUME, "nowhere"), "A B"),
    ("A(B) C", Rekey(VOLUME, "a", "neu", "Neu"), "Neu(B) C"),
    ("A(B) C(D)", Rekey(VOLUME, "a", "c", "C"), "C(B D)"),
    ("C(A(B) D)", Rekey(VOLUME, "a", "c", "C"), "C(B D)"),
]


@pytest.mark.parametrize(("before", "placing", "after"), PLACINGS)
def test_a_placing_moves_a_name_with_its_branch_and_can_be_taken_back(
    before: str, placing: Placing, after: str
) -> None:
    rows = rows_of(before)
    done, back = place(rows, [placing])
    assert listed(done) == after
    again, _ = place(done, back)
    assert again == rows


names_ = st.sampled_from("ABCDEFGH")


@st.composite
def contents(draw: st.DrawFn) -> tuple[Row, ...]:
    titles = draw(st.lists(names_, unique=True, max_size=8))
    rows: list[Row] = []
    for title in titles:
        deepest = rows[-1].depth + 1 if rows else 0
        rows.append(Row.of(draw(st.integers(0, deepest)), title))
    return tuple(rows)


@given(contents(), contents())
def test_a_rearrangement_gives_what_was_wished_and_can_be_taken_back(
    rows: tuple[Row, ...], wished: tuple[Row, ...]
) -> None:
    placings = rearrange(VOLUME, rows, wished)
    done, back = place(rows, placings)
    assert done == wished
    again, _ = place(done, back)
    assert again == rows


@given(contents())
def test_nothing_moves_when_nothing_is_wished_otherwise(rows: tuple[Row, ...]) -> None:
    assert rearrange(VOLUME, rows, rows) == []


def test_one_name_that_changes_its_order_is_one_placing() -> None:
    rows, wished = rows_of("A B C D E F"), rows_of("B C D E A F")
    assert rearrange(VOLUME, rows, wished) == [Put(VOLUME, "a", "A", None, "e")]


def test_other_words_for_the_same_name_change_the_row_alone() -> None:
    wished = (Row(0, "a", "a"), *rows_of("A B")[1:])
    assert rearrange(VOLUME, rows_of("A B"), wished) == [Rekey(VOLUME, "a", "a", "a")]
