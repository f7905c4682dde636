"""Titles, keys, addresses: what makes two titles the same page."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.base.errors import BadName
from mokuji.core.base.names import Name
from mokuji.core.syntax.reference import Reference, read


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("Sea trial", "sea-trial"),
        ("Sea Trial", "  sea   trial "),
        ("sea_trial", "Sea‐trial"),
        ("Straße", "STRASSE"),
        ("ＦＵＬＬ", "full"),
        ("e\u0301te\u0301", "Été"),
        ("ﬁlter", "Filter"),
    ],
)
def test_spellings_of_one_name_have_one_key(one: str, other: str) -> None:
    assert names.key(one) == names.key(other)


@pytest.mark.parametrize(
    ("one", "other"), [("C", "C#"), ("seatrial", "sea trial"), ("No 1", "No 2"), ("a–b", "a-b")]
)
def test_different_names_have_different_keys(one: str, other: str) -> None:
    assert names.key(one) != names.key(other)


@given(st.text())
def test_the_key_of_a_key_is_itself(name: str) -> None:
    assert names.key(names.key(name)) == names.key(name)


@given(st.text(min_size=1, max_size=200))
def test_an_escaped_title_is_read_back_as_a_reference_to_it(title: str) -> None:
    try:
        title = names.check_title(title)
    except BadName:
        return
    reference = read(f"[[{names.escape(title)}]]", 0)
    assert isinstance(reference, Reference)
    assert reference.name == Name(names.key(title))
    assert names.key(reference.title_typed(f"[[{names.escape(title)}]]")) == names.key(title)


@given(st.text(min_size=1, max_size=60))
def test_an_escaped_section_is_read_back(section: str) -> None:
    if any(char in section for char in "\r\n") or not section.strip():
        return
    section = section.strip()
    reference = read(f"[[Page#{names.escape_section(section)}]]", 0)
    assert isinstance(reference, Reference)
    assert reference.section == names.unescape(names.escape_section(section))


@pytest.mark.parametrize(
    ("title", "said"),
    [
        ("", "empty"),
        (" \t", "empty"),
        ("x" * 201, "201 characters"),
        ("a\x07b", "U+0007"),
        ("a\u2028b", "U+2028"),
        ("..", "cannot be a title"),
        ("---", "cannot be a title"),
        ("ﷺ" * 20, "longer than 200"),
    ],
)
def test_what_cannot_be_a_title_is_said(title: str, said: str) -> None:
    with pytest.raises(BadName, match=said.replace("+", r"\+")):
        names.check_title(title)


@pytest.mark.parametrize("title", ["Guide/Pump", "a／b", "api", "Healthz"])
def test_what_cannot_be_a_volume_is_refused(title: str) -> None:
    with pytest.raises(BadName):
        names.check_volume_title(title)


def test_an_address_says_what_the_key_says() -> None:
    assert names.address("field guide", "storm mooring") == "/field-guide/storm-mooring"
    assert names.address("öl", "a/b?") == "/%C3%B6l/a%2Fb%3F"


@pytest.mark.parametrize(
    ("typed", "old", "new", "written"),
    [
        ("battery well", "Battery well", "Battery compartment", "battery compartment"),
        ("Battery well", "Battery well", "Battery compartment", "Battery compartment"),
        ("battery well", "Battery well", "ROV bay", "ROV bay"),
        ("battery well", "Battery well", "Éclair", "éclair"),
        ("BATTERY WELL", "Battery well", "Cell", "Cell"),
        ("eBuoy", "eBuoy", "Tern", "Tern"),
    ],
)
def test_a_small_first_letter_is_kept_where_the_new_name_allows_it(
    typed: str, old: str, new: str, written: str
) -> None:
    assert names.like_typed(typed, old, new) == written


@pytest.mark.parametrize(
    ("name", "plain"), [("Battery well", True), ("T4 0180", True), ("a-b", False), ("a  b", False)]
)
def test_plain_names_are_letters_digits_and_single_spaces(name: str, plain: bool) -> None:
    assert names.is_plain(name) is plain
