"""What a page shows of a result is that result."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from mokuji.web.show import sides

LINES = st.text(st.sampled_from("ab é."), max_size=12)


@given(LINES, LINES)
def test_the_two_sides_of_an_exchange_are_the_lines_and_what_is_not_marked_is_the_same(
    before: str, after: str
) -> None:
    old, new = sides(before, after)
    assert "".join(piece.words for piece in old) == before
    assert "".join(piece.words for piece in new) == after
    assert [p.words for p in old if not p.marked] == [p.words for p in new if not p.marked]


def test_whole_words_are_marked() -> None:
    old, new = sides("The pumps run, and pump.", "The valves run, and pump.")
    assert [piece.words for piece in (*old, *new) if piece.marked] == ["pumps", "valves"]
