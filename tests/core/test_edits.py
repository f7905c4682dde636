"""Ranges and edits: exact, never overlapping, nothing else touched."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import Back, Edit, Shift, apply, arrange, compose
from mokuji.core.base.errors import Overlap
from mokuji.core.base.spans import CodePoints, Lines, Position, Span


@st.composite
def texts_and_edits(draw: st.DrawFn) -> tuple[str, list[Edit]]:
    text = draw(st.text(max_size=60))
    edges = sorted(draw(st.lists(st.integers(0, len(text)), max_size=12)))
    pairs = zip(edges[::2], edges[1::2], strict=False)
    return text, [Edit(Span(a, b), draw(st.text(max_size=5))) for a, b in pairs]


@given(texts_and_edits())
def test_outside_the_edits_every_character_stays_where_it_belongs(made: tuple[str, list[Edit]]) -> None:
    text, edits = made
    ordered = arrange(edits)
    after, shift = apply(text, edits), Shift(edits)
    inside = {at for edit in ordered for at in range(*edit.span)}
    for at, char in enumerate(text):
        if at not in inside:
            assert after[shift(at)] == char
    assert len(after) == len(text) + sum(len(e.words) - len(e.span.of(text)) for e in ordered)


@given(texts_and_edits(), st.data())
def test_edits_of_edits_are_one_step_that_gives_the_same_and_keeps_what_both_keep(
    made: tuple[str, list[Edit]], data: st.DataObject
) -> None:
    text, first = made
    middle = apply(text, first)
    edges = sorted(data.draw(st.lists(st.integers(0, len(middle)), max_size=8)))
    then = [
        Edit(Span(a, b), data.draw(st.text(max_size=5)))
        for a, b in zip(edges[::2], edges[1::2], strict=False)
    ]
    whole = compose(len(text), first, then)
    assert apply(text, whole) == apply(middle, then)
    shift, later = Shift(first), Shift(then)
    kept = set(range(len(text))) - {at for edit in whole for at in range(*edit.span)}
    for at in range(len(text)):
        by_both = not any(e.span.start <= at < e.span.end for e in first)
        by_both = by_both and not any(e.span.start <= shift(at) < e.span.end for e in then)
        assert (at in kept) == by_both
        if by_both:
            assert Shift(whole)(at) == later(shift(at))


@given(texts_and_edits(), st.data())
def test_a_range_of_the_new_text_is_found_in_the_old_one_if_it_was_kept(
    made: tuple[str, list[Edit]], data: st.DataObject
) -> None:
    text, edits = made
    after, back, shift = apply(text, edits), Back(len(text), edits), Shift(edits)
    start = data.draw(st.integers(0, len(after)))
    span = Span(start, data.draw(st.integers(start, len(after))))
    was = back(span)
    if was is not None:
        assert was.of(text) == span.of(after)
    inside = {at for edit in edits for at in range(*edit.span)}
    for at in set(range(len(text))) - inside:
        assert back(Span(shift(at), shift(at) + 1)) == Span(at, at + 1)


def test_no_edit_is_the_identity() -> None:
    assert apply("as it was", []) == "as it was"


def test_edits_that_overlap_are_a_fault() -> None:
    with pytest.raises(Overlap):
        apply("abcdef", [Edit(Span(0, 3), "x"), Edit(Span(2, 4), "y")])


def test_edits_that_touch_are_made_in_order() -> None:
    assert apply("abcd", [Edit(Span(2, 4), "y"), Edit(Span(0, 2), "x")]) == "xy"


@pytest.mark.parametrize(
    ("text", "offset", "place"),
    [
        ("one\ntwo", 4, Position(2, 1)),
        ("one\r\ntwo", 5, Position(2, 1)),
        ("one\rtwo", 4, Position(2, 1)),
        ("\n\n", 2, Position(3, 1)),
        ("😀a", 1, Position(1, 2)),
    ],
)
def test_lines_and_columns_count_from_one_in_code_points(text: str, offset: int, place: Position) -> None:
    assert Lines(text).position(offset) == place


def test_a_line_is_given_with_its_end() -> None:
    lines = Lines("a\r\nbc")
    assert [lines.line_span(n) for n in (1, 2)] == [Span(0, 3), Span(3, 5)]


@given(st.text(st.characters(codec="utf-8")))
def test_byte_offsets_become_code_points(text: str) -> None:
    data = text.encode()
    offsets = {len(text[:n].encode()): n for n in range(len(text) + 1)}
    points = CodePoints(data)
    assert {offset: points.at(offset) for offset in offsets} == offsets


def test_byte_offsets_of_a_long_text_become_code_points() -> None:
    text = "aé😀\u2028" * 700
    points = CodePoints(text.encode())
    at = 0
    for n, character in enumerate(text):
        assert points.at(at) == n
        at += len(character.encode())
    assert points.at(at) == len(text)
