"""What a plan shows line by line is what will stand there: put together, its lines are the texts that are written."""

from __future__ import annotations

from collections import Counter

from hypothesis import example, given
from hypothesis import strategies as st

from mokuji.core.base.edits import Edit, apply, arrange
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import ChangedLine, changed_lines

_WORDS = st.lists(
    st.sampled_from(
        ["[[", "]]", "[[A]]", "[[A|b]]", "|", "#", "x", "é", " ", "\n", "\r\n", "[[=A | s: [[B]]]]", "\n\n"]
    ),
    max_size=24,
).map("".join)


@st.composite
def _edited(draw: st.DrawFn) -> tuple[str, tuple[Edit, ...]]:
    text = draw(_WORDS)
    # No edit parts the two characters of a line end.
    places = [n for n in range(len(text) + 1) if text[n - 1 : n + 1] != "\r\n"]
    at = sorted(draw(st.lists(st.sampled_from(places), max_size=8)))
    edits: list[Edit] = []
    for start, end in zip(at[::2], at[1::2], strict=False):
        if not edits or start > edits[-1].span.end:
            edits.append(
                Edit(Span(start, end), draw(st.sampled_from(["", "|B", "New", "[[C]]", "\n", "y\nz"])))
            )
    return text, arrange(edits)


def _side(lines: list[ChangedLine], side: str) -> Counter[str]:
    shown = ("".join(piece.words for piece in getattr(line, side)).strip() for line in lines)
    return Counter(each for each in shown if each)


def _lines(text: str) -> Counter[str]:
    return Counter(line.strip() for line in text.splitlines() if line.strip())


LABELLED = "See [[Battery well]] and [[Battery well#Limits]]."


@given(_edited())
@example(
    (LABELLED, (Edit(Span(6, 18), "Cell"), Edit(Span(18, 18), "|Battery well"), Edit(Span(27, 39), "Cell")))
)
def test_the_lines_of_a_plan_are_those_that_are_written(case: tuple[str, tuple[Edit, ...]]) -> None:
    text, edits = case
    shown = changed_lines(text, edits)
    before, after = _lines(text), _lines(apply(text, edits))
    was, will = _side(shown, "before"), _side(shown, "after")
    assert not was - before, "what is said to stand there stands there"
    assert before - was + will == after
