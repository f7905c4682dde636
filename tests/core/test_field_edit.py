"""Fields of a front matter: set, added and taken away where they stand, with nothing else changed."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import apply
from mokuji.core.base.errors import BadName, Refused
from mokuji.core.edit.field_edit import set_field
from mokuji.core.syntax import front_matter

HEAD = """---
# who keeps it
owner: Wenna   # since May
status:   'draft'
tags: [a, b]
parts:
  - one   # first
  - two
empty:
deep: {a: {b: c}}
---
Text.
"""


def _after(text: str, name: str, value: str | list[str] | None) -> str:
    return apply(text, set_field(text, name, value, "P"))


@pytest.mark.parametrize(
    ("name", "value", "old", "new"),
    [
        ("owner", "Jonas", "owner: Wenna   # since", "owner: Jonas   # since"),
        ("owner", "a: b # c", "owner: Wenna   # since", 'owner: "a: b # c"   # since'),
        ("status", "it's", "'draft'", "'it''s'"),
        ("status", "", "'draft'", '""'),
        ("status", None, "status:   'draft'\n", ""),
        ("owner", None, "owner: Wenna   # since May\n", ""),
        ("empty", "now", "empty:\n", "empty: now\n"),
        ("empty", None, "empty:\n", ""),
        ("tags", ["b", "c"], "[a, b]", "[b, c]"),
        ("parts", ["one", "three"], "  - two\n", "  - three\n"),
        ("parts", "all", "parts:\n  - one   # first\n  - two\n", "parts: all\n"),
        ("tags", "x", "[a, b]", "x"),
        ("new", "yes", "---\nText", "new: yes\n---\nText"),
        ("new", ["p", "q r"], "---\nText", "new: [p, q r]\n---\nText"),
    ],
)
def test_a_field_is_set_where_it_stands(name: str, value: str | list[str] | None, old: str, new: str) -> None:
    assert _after(HEAD, name, value) == HEAD.replace(old, new)


def test_a_text_without_front_matter_gets_one_and_one_on_a_line_stays_so() -> None:
    assert _after("Text.\r\n", "status", "draft") == "---\r\nstatus: draft\r\n---\r\nText.\r\n"
    assert _after("---\n{a: b, c: d}\n---\n", "a", None) == "---\n{c: d}\n---\n"
    assert _after("---\n{a: b, c: d}\n---\n", "e", "f") == "---\n{a: b, c: d, e: f}\n---\n"
    assert _after("---\n---\nx", "a", "b") == "---\na: b\n---\nx"


def test_what_changes_nothing_is_no_edit() -> None:
    assert set_field(HEAD, "owner", "Wenna", "P") == ()
    assert set_field(HEAD, "nothing", None, "P") == ()


def test_what_is_more_than_words_or_no_yaml_is_not_touched() -> None:
    with pytest.raises(Refused):
        set_field(HEAD, "deep", "x", "P")
    with pytest.raises(Refused):
        set_field("---\na: [b\n---\n", "a", "x", "P")
    for name in ("", "a:b", "1st", "#x", "a\nb"):
        with pytest.raises(BadName):
            set_field(HEAD, name, "x", "P")


@given(
    st.dictionaries(st.sampled_from(["a", "b c", "owner"]), st.text(max_size=12), max_size=3),
    st.sampled_from(["a", "b c", "owner", "new"]),
    st.one_of(
        st.none(), st.text(max_size=20), st.lists(st.text(min_size=1, max_size=8), max_size=3, unique=True)
    ),
)
def test_a_field_says_what_it_was_given_and_the_others_what_they_said(
    told: dict[str, str], name: str, value: str | list[str] | None
) -> None:
    import json

    head = "".join(f"{key}: {json.dumps(words)} # stays\n" for key, words in told.items())
    text = f"---\n{head}---\nText.\n"
    before = front_matter.read(text)
    try:
        after = _after(text, name, value)
    except Refused:
        return
    now = front_matter.read(after)
    if value is None:
        assert name not in now.fields
    else:
        assert now.fields[name] == value
    assert {k: v for k, v in now.fields.items() if k != name} == {
        k: v for k, v in before.fields.items() if k != name
    }
    assert after.endswith("---\nText.\n") and after.count("# stays") >= len(told) - 1
