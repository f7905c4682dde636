"""Marks: where a ``#word`` files its passage, and where it is only text."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.language.scan import scan
from mokuji.core.syntax.marks import spelt

CASES = [
    ("Tried at sea #sea-trial in May.", [("sea-trial", "Tried at sea #sea-trial in May.")]),
    ("#one, (#two) “#three” *#four* [#five]", ["one", "two", "three", "four", "five"]),
    ("- a\n- b #x\n  - c\n- d", [("x", "- b #x\n  - c")]),
    ("- a #x\n  - b #y", [("x", "- a #x\n  - b #y"), ("y", "- b #y")]),
    ("| a | b |\n|---|---|\n| #x | c |\n| d | e |", [("x", "| #x | c |")]),
    ("One.\n\nTwo #x\nthree.\n\nFour.", [("x", "Two #x\nthree.")]),
    ("> said #x\n\nb", [("x", "said #x")]),
    ("#Ärger #a_b #a-1 #a#b", ["Ärger", "a_b", "a-1", "a"]),
    ("a#b https://x.example/#c \\#d &#35;e # f #1 #1a {#g} ##h", []),
    ("`#a` $#b$ <b title='#c'>d</b> [e](#f) [#g](h) ![#i](j)", []),
    ("## About #x\n\n```\n#y\n```\n\n<div>\n#z\n</div>", []),
    ("#x[[Pump]] [[Pump]]#y [[Pump|#z]]", ["x"]),
    ("---\ncategories: [\"#x\"]\n---\n\ufeff#y", []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "found"), CASES)
def test_a_mark_files_the_passage_that_it_stands_in(text: str, found: list[object]) -> None:
    marks = scan(text).marks
    pairs = [(mark.word, mark.passage.of(text)) for mark in marks]
    assert (pairs if found and isinstance(found[0], tuple) else [word for word, _ in pairs]) == found
    assert all(mark.span.of(text) == f"#{mark.word}" for mark in marks)


@pytest.mark.parametrize(
    ("name", "mark"),
    [
        ("Sea trial", "Sea-trial"),
        ("sensors", "sensors"),
        ("a_b", "a_b"),
        ("3 bolts", None),
        ("A/B", None),
        ("C#", None),
    ],
)
def test_a_category_is_spelt_as_a_mark_where_it_can_be(name: str, mark: str | None) -> None:
    assert spelt(name) == mark


@given(st.text(min_size=1, max_size=30))
def test_what_is_spelt_is_read_back(name: str) -> None:
    mark = spelt(name)
    if mark is not None:
        (found,) = scan(f"x #{mark}.").marks
        assert found.key == names.key(name)


@given(st.text(alphabet="#ab-_ *`[]()|>\n{}\\é1", max_size=80))
def test_no_mess_breaks_it_and_every_mark_lies_in_its_passage(text: str) -> None:
    for mark in scan(text).marks:
        assert mark.span.of(text) == f"#{mark.word}"
        assert mark.passage.start <= mark.span.start and mark.span.end <= mark.passage.end
