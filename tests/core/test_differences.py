"""What differs between texts, the sentence around a reference, and line ends from a browser."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.diff.diff import Piece, changed_lines, compare, near, without
from mokuji.core.diff.line_ends import restore
from mokuji.core.language.excerpt import excerpt, fragment


def _side(lines: tuple[tuple[Piece, ...], ...]) -> list[str]:
    return ["".join(piece.words for piece in line) for line in lines]


@given(st.text(alphabet="ab \n", max_size=80), st.text(alphabet="ab \n", max_size=80))
def test_a_comparison_holds_both_texts_whole(before: str, after: str) -> None:
    passages = compare(before, after)
    old = [line for p in passages for line in (_side(p.after) if p.kind == "same" else _side(p.before))]
    new = [line for p in passages for line in _side(p.after)]
    assert (old, new) == (before.splitlines(), after.splitlines())


def test_changed_words_are_marked_on_both_sides() -> None:
    (passage,) = compare("the old pump", "the new pump")
    assert [p.words for p in passage.before[0] if p.marked] == ["old"]
    assert [p.words for p in passage.after[0] if p.marked] == ["new"]


def test_texts_too_large_for_a_table_are_compared_all_the_same() -> None:
    before, after = "\n".join(map(str, range(4000))), "\n".join(f"{n}x" for n in range(4000))
    assert len(compare(before, after)) == 1


def test_the_lines_of_a_plan_mark_the_whole_reference() -> None:
    text = "one\n| [[Pump|x]] | [[Pump]] |\n"
    edits = [Edit(Span(8, 12), "Cell"), Edit(Span(21, 25), "Cell")]
    (line,) = changed_lines(text, edits)
    assert (line.line, line.where) == (2, "table cell")
    assert [p.words for p in line.before if p.marked] == ["[[Pump|x]]", "[[Pump]]"]
    assert "".join(p.words for p in line.after) == "| [[Cell|x]] | [[Cell]] |"


def test_a_long_line_is_cut_down_to_what_is_near_its_marks() -> None:
    words = "word " * 60
    cut = near((Piece(words, False), Piece("[[Pump]]", True), Piece(words, False)))
    assert cut[1] == Piece("[[Pump]]", True)
    assert cut[0].words.startswith("…") and cut[2].words.endswith("…")
    assert len(cut[0].words) < 70


@pytest.mark.parametrize(
    ("text", "before", "words", "after"),
    [
        ("One. Open the [[well lid|lid]] now. Two.", "Open the ", "lid", " now."),
        ("- [ ] (A) Check **all** of [[Pump]]\n- other", "(A) Check all of ", "Pump", ""),
        ("---\nsummary: x\n---\nAt the [[Pump]]\n\nNext", "At the ", "Pump", ""),
        ("You may **not** open the [[Well]]: no.", "You may not open the ", "Well", ": no."),
        ("| a | see [[Pump]] | c |\n", "a · see ", "Pump", " · c"),
        ("## Water in the [[Pump#Limits]]\n\ntext", "Water in the ", "Pump § Limits", ""),
        ("> Quoted [[Pump]] and [[Well|the well]].\n", "Quoted ", "Pump", " and the well."),
    ],
)
def test_a_backlink_shows_its_sentence_without_markup(text: str, before: str, words: str, after: str) -> None:
    start = text.index("[[")
    found = excerpt(text, Span(start, text.index("]]") + 2))
    assert (found.before, found.words, found.after) == (before, words, after)


def test_a_fragment_of_a_text_is_plain_words() -> None:
    text = "position report]] |\n|---|---|\n| stops | \x02cells\x03 | [[Battery#Low|the battery]] |"
    assert fragment("the ![cut \x02picture\x03 words") == "the cut \x02picture\x03 words"
    assert fragment("words](well.svg) then \x02it\x03") == "words then \x02it\x03"
    assert (
        fragment("[[=Safety notice | risk: \x02hot\x03 lamp | avoid: wait]] and")
        == "\x02hot\x03 lamp · wait and"
    )
    assert fragment("risk: \x02hot\x03 | avoid: wait]] after") == "\x02hot\x03 · wait after"
    assert fragment("[[=T | a: see [[Well|the well]] now\n| b: 2\n]] x") == "see the well now · 2 x"
    assert fragment("[[=* | category: \x02Sensors\x03 | sh") == ""
    assert fragment('red \x02lamp\x03 | " | "" | see [[Field guide/Bio') == "red \x02lamp\x03 · see Bio"
    assert fragment("| note: \x02one\x03 | two |") == "note: \x02one\x03 · two"
    assert fragment(text) == "position report · stops · \x02cells\x03 · the battery"


@given(
    st.lists(
        st.tuples(st.text(alphabet="ab ", max_size=6), st.sampled_from(["\n", "\r\n", "\r"])), max_size=12
    ),
    st.text(alphabet="ab", max_size=4),
)
def test_a_text_that_came_back_from_a_form_unchanged_is_unchanged(
    lines: list[tuple[str, str]], last: str
) -> None:
    text = "".join(line + end for line, end in lines) + last
    submitted = text.replace("\r\n", "\n").replace("\r", "\n").replace("\n", "\r\n")
    assert restore(text, submitted) == text


def test_a_new_line_gets_the_line_end_of_the_others() -> None:
    assert restore("a\r\nb\r\n", "a\r\nnew\r\nb\r\n") == "a\r\nnew\r\nb\r\n"
    assert restore("a\nb\n", "a\r\nnew\r\nb\r\n") == "a\nnew\nb\n"
    assert restore("", "a\r\nb") == "a\nb"


TEXTS = st.lists(
    st.sampled_from(["a", "b", "c", "", "long line of words", "page\x0cbreak", "another"]), max_size=12
).flatmap(
    lambda lines: st.sampled_from(["\n".join(lines), "\n".join([*lines, ""]), "\r\n".join([*lines, ""])])
)


@given(TEXTS, TEXTS, st.sets(st.integers(0, 5)))
def test_passages_go_back_one_by_one_or_all(before: str, after: str, chosen: set[int]) -> None:
    number = sum(run.kind != "same" for run in compare(before, after))
    chosen = {nth for nth in chosen if nth < number}
    assert without(before, after).splitlines() == before.splitlines()
    assert without(before, after, ()).splitlines() == after.splitlines()
    some = without(before, after, chosen)
    # What was put back first and the rest afterwards is the whole.
    assert without(before, some).splitlines() == before.splitlines()
    if before.count("\r") == after.count("\r") == 0:
        assert "\r" not in some


def test_a_last_line_without_an_end_gets_one_where_others_follow() -> None:
    assert without("a\nb", "c\nb2\nd\n", [0]).endswith("\n") or without("a\nb", "c\nb2\nd\n") == "a\nb"
    assert without("x", "y\nx\n", [0]) == "x\n"
    assert without("one\ntwo", "one\nthree\nfour\n") == "one\ntwo"
