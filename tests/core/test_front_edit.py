"""Lists in a front matter are changed at exact places: comments, order and style of the YAML stay."""

from __future__ import annotations

import pytest

from mokuji.core.base.edits import apply
from mokuji.core.base.errors import Refused
from mokuji.core.edit.front_edit import add_lists, line_end, names_of, set_names

CASES = [
    # no front matter, one that has other lists, lists in brackets, in lines, a single name
    ("Text\n", ["a"], "---\naliases: [a]\n---\nText\n"),
    ("Text\r\n", ["a"], "---\r\naliases: [a]\r\n---\r\nText\r\n"),
    ("---\nsummary: x  # why\n---\nText", ["a", "b"], "---\nsummary: x  # why\naliases: [a, b]\n---\nText"),
    ("---\naliases: [a, b]  # two\n---\n", ["b"], "---\naliases: [b]  # two\n---\n"),
    ("---\naliases: [ a , b ]\n---\n", ["a", "b", "c"], "---\naliases: [ a , b, c ]\n---\n"),
    ("---\naliases:\n  - a\n  - b # second\n---\n", ["b"], "---\naliases:\n  - b # second\n---\n"),
    ("---\naliases:\n  - a\n---\n", ["a", "b"], "---\naliases:\n  - a\n  - b\n---\n"),
    ("---\naliases: a\n---\n", ["a", "b"], "---\naliases: [a, b]\n---\n"),
    ("---\naliases: []\n---\n", ["2027-01-01"], "---\naliases: [2027-01-01]\n---\n"),
    ("---\naliases: ['it''s']\n---\n", ["it's", "no"], "---\naliases: ['it''s', no]\n---\n"),
]


@pytest.mark.parametrize(("text", "wanted", "after"), CASES)
def test_a_list_is_changed_where_it_stands(text: str, wanted: list[str], after: str) -> None:
    done = apply(text, set_names(text, "aliases", wanted, "Pump"))
    assert list(names_of(done, "aliases")) == wanted
    assert done == after


def test_a_front_matter_that_cannot_be_read_is_not_touched() -> None:
    with pytest.raises(Refused, match="Pump"):
        set_names("---\naliases: [a\n---\n", "aliases", ["b"], "Pump")


def test_several_lists_are_added_to_in_one_go() -> None:
    text = "---\ncategories: [Deck]\n---\nx"
    done = apply(text, add_lists(text, {"aliases": ["sump"], "categories": ["Hull"]}, "Pump"))
    assert names_of(done, "aliases") == ("sump",)
    assert names_of(done, "categories") == ("Deck", "Hull")
    assert done.endswith("---\nx")


@pytest.mark.parametrize(
    ("text", "end"), [("a\r\nb\n", "\r\n"), ("a\nb\r\n", "\n"), ("", "\n"), ("a\rb", "\n")]
)
def test_new_lines_end_as_the_first_one_does(text: str, end: str) -> None:
    assert line_end(text) == end
