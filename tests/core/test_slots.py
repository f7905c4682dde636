"""Slots: the forms of POSIX parameter expansion, and values that stand well where they go."""

from __future__ import annotations

import subprocess

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mokuji.core.html.filling import form
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.slots import Escaped, Slot, Use, declared, parse

NAMES = ["x", "y_2", "_z"]
SLOTS = {name: Slot(name) for name in NAMES}


def filled(text: str, **values: str) -> str:
    return form(text, SLOTS, "qq").fill(values).text


def in_shell(texts: list[str], values: dict[str, str]) -> list[str]:
    """What a real sh makes of these texts between double quotes; slots without a value are unset."""
    lines = [f"unset {name}" for name in NAMES]
    lines += [f"{name}='{value}'" for name, value in values.items()]
    lines += [f"printf '%s\\0' \"{text}\"" for text in texts]
    run = subprocess.run(["sh", "-c", "\n".join(lines)], capture_output=True, check=True)
    return run.stdout.decode().split("\0")[:-1]


FORMS = ["${x}", *(f"${{x{colon}{sign}word}}" for colon in ("", ":") for sign in "-+")]
FORMS += [
    f"a ${{x{op}b ${{y_2{other}c d}} e}} f ${{_z}}"
    for op in ("-", ":-", "+", ":+")
    for other in ("-", ":-", "+", ":+")
]
FORMS += ["${x:-${y_2:-${_z:-deep}}}", "${x-}", "${x:+}", r"${x:-a\}b}", "${x}${x}", "${x:-{}", "${x:-a}}"]
VALUES = [
    {},
    {"x": ""},
    {"x": "set"},
    {"x": "", "y_2": "Y"},
    {"x": "${y_2}", "y_2": "Y"},
    {"x": "a b", "_z": "z"},
]


@pytest.mark.parametrize("values", VALUES)
def test_every_form_gives_what_a_shell_gives(values: dict[str, str]) -> None:
    assert [filled(text, **values) for text in FORMS] == in_shell(FORMS, values)


WORDS = st.recursive(
    st.sampled_from(["word", "a b", "", "{", "é"]),
    lambda inner: st.builds(
        lambda a, name, op, word, b: f"{a}${{{name}{op}{word}}}{b}",
        st.sampled_from(["", "w "]),
        st.sampled_from(NAMES),
        st.sampled_from(["-", ":-", "+", ":+"]),
        inner,
        st.sampled_from(["", " v"]),
    ),
    max_leaves=4,
)


@given(
    st.lists(WORDS, min_size=1, max_size=20),
    st.dictionaries(st.sampled_from(NAMES), st.sampled_from(["", "v", "a  b", "${x}"])),
)
@settings(max_examples=60)
def test_nested_words_give_what_a_shell_gives(texts: list[str], values: dict[str, str]) -> None:
    assert [filled(text, **values) for text in texts] == in_shell(texts, values)


def test_a_shell_stops_where_a_value_is_demanded_and_so_does_a_slot_with_the_same_words() -> None:
    for text, values in [("${x:?say why}", {"x": ""}), ("${x?say why}", {}), ("${x:?}", {})]:
        script = "".join(f"{name}='{value}';" for name, value in values.items()) + f': "{text}"'
        run = subprocess.run(["sh", "-c", script], capture_output=True, check=False)
        result = form(text, SLOTS, "qq").fill(values)
        assert run.returncode != 0 and [name for name, _ in result.faults] == ["x"]
        if "why" in text:
            assert b"say why" in run.stderr and result.faults[0][1] == "say why"
    assert form("${x:?no}${x?no}", SLOTS, "qq").fill({"x": "1"}).faults == ()
    assert form("${x?no}", SLOTS, "qq").fill({"x": ""}).faults == ()


def test_only_declared_names_are_slots_and_an_escape_is_literal() -> None:
    text = r"${HOME} ${HOME:-${x}} \${x} $x ${x }"
    assert filled(text, x="v") == r"${HOME} ${HOME:-v} ${x} $x ${x }"
    assert filled("${x:-a ${HOME} b}") == "a ${HOME} b"
    pieces = parse(r"\${x} ${x}", SLOTS).pieces
    assert isinstance(pieces[0], Escaped) and isinstance(pieces[2], Use)


@pytest.mark.parametrize(
    ("text", "code"),
    [
        ("a ${x:-b", "slot_unclosed"),
        ("a ${x=b} c", "slot_form"),
        ("${x:-${y_2}", "slot_unclosed"),
        ("${x", "slot_form"),
    ],
)
def test_what_is_no_slot_stays_as_typed_and_is_said(text: str, code: str) -> None:
    parsed = parse(text, SLOTS)
    assert [problem.code for problem in parsed.problems] == [code]
    assert filled(text.replace("${y_2}", "y")) == text.replace("${y_2}", "y")


@given(st.text(alphabet="${x}:-+?\\ab", max_size=60), st.sampled_from(["", "v", "}"]))
def test_no_mess_of_marks_breaks_it_and_words_beside_slots_stay(text: str, value: str) -> None:
    pieces = parse(text, SLOTS).pieces
    if all(isinstance(piece, str) for piece in pieces):
        assert "".join(map(str, pieces)) == text
    filled(text, x=value)


def test_a_deep_nest_is_taken_without_recursion_and_linear_in_its_length() -> None:
    deep = "${x:-" * 20_000 + "end" + "}" * 20_000
    assert "end" in filled(deep)


PLACES = [
    ("- ${x}\n- end", "one\ntwo", "- one\n  two\n- end"),
    ("1. a\n   - ${x}", "one\n\ntwo", "1. a\n   - one\n     \n     two"),
    ("> ${x}", "one\ntwo", "> one\n> two"),
    ("  ${x}", "one\ntwo", "  one\n  two"),
    ("Words ${x}.", "one\ntwo", "Words one\ntwo."),
    ("| a | ${x} |\n|---|---|\n| ${x} | b |", "p | q\nr", "| a | p \\| q r |\n|---|---|\n| p \\| q r | b |"),
    ("| a |\n|---|\n| ${x} |", r"p \| q", "| a |\n|---|\n| p \\| q |"),
    ("## About ${x}\n\ny", "one\ntwo", "## About one two\n\ny"),
    ("```sh\n${x}\n```\nend", "```\ncode\n```", "````sh\n```\ncode\n```\n````\nend"),
    ("~~~\n${x}\n~~~~", "~~~~~", "~~~~~~\n~~~~~\n~~~~~~~"),
    ("- ```\n  ${x}\n  ```", "a\nb", "- ```\n  a\n  b\n  ```"),
    ("`${x}` and `y`", "a`b", "``a`b`` and `y`"),
    ("${x:-a\nb}", "", "a\nb"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "value", "after"), PLACES)
def test_a_value_stands_well_where_it_goes(text: str, value: str, after: str) -> None:
    assert filled(text, x=value) == after


def test_what_is_declared_is_read_from_the_front_matter() -> None:
    told = declared(
        front_matter.read(
            "---\nslots:\n  volts: {required: true, help: Rated supply, example: 12 V}\n  who: {default: staff}\n"
            "  bare:\n  short: What it says\n---\n"
        )
    )
    assert list(told.slots.values()) == [
        Slot("volts", True, None, "Rated supply", "12 V"),
        Slot("who", default="staff"),
        Slot("bare"),
        Slot("short", help="What it says"),
    ]
    assert told.template and not told.problems
    assert declared(front_matter.read("---\ntemplate: yes\n---\n")).template
    assert not declared(front_matter.read("---\nstatus: x\n---\n")).template


@pytest.mark.parametrize(
    ("yaml", "said"),
    [
        ("slots: {2x: {}}", "“2x” cannot be the name of a slot"),
        ("slots: {x: {defaults: y}}", "has “defaults”"),
        ("slots: {x: {required: maybe}}", "true or false"),
        ("slots: {x: [a]}", "a mapping is said"),
        ("slots: {x: {default: [a]}}", "one text, no list"),
    ],
)
def test_what_cannot_be_declared_is_said(yaml: str, said: str) -> None:
    problems = declared(front_matter.read(f"---\n{yaml}\n---\n")).problems
    assert len(problems) == 1 and said in problems[0].message


def test_a_default_counts_where_no_value_is_given_and_an_empty_value_is_a_value() -> None:
    slots = {"x": Slot("x", default="d")}
    for text, values, after in [
        ("${x}", {}, "d"),
        ("${x}", {"x": ""}, ""),
        ("${x:-w}", {"x": ""}, "w"),
        ("${x:-w}", {}, "d"),
    ]:
        assert form(text, slots, "qq").fill(values).text == after
