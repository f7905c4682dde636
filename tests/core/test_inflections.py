"""The forms of a term are proposed as its other words are formed, and read as they are typed."""

from __future__ import annotations

import pytest

from mokuji.core.finding.inflections import like, pairs, read, written

STEMS = {"pump": "pump", "pumps": "pump", "pumping": "pump", "pumpkin": "pumpkin"}


@pytest.mark.parametrize(
    ("word", "form", "other", "like_that"),
    [
        ("pump", "pumps", "valve", "valves"),
        ("pump", "pumps", "battery", "batteries"),
        ("battery", "batteries", "cell", "cells"),
        ("cell", "cells", "switch", "switches"),
        ("pump", "pumping", "seal", "sealing"),
        ("pumpe", "pumpen", "ventile", "ventilen"),
    ],
)
def test_another_word_is_formed_as_one_is(word: str, form: str, other: str, like_that: str) -> None:
    assert like(word, form, other) == like_that


def test_only_words_of_one_stem_are_forms() -> None:
    assert pairs("Oil pump", "Oil valve", STEMS, STEMS) == [
        ("Oil pump", "Oil valve"),
        ("Oil pumping", "Oil valveing"),
        ("Oil pumps", "Oil valves"),
    ]


def test_what_is_written_is_read_again_and_what_is_none_is_passed_over() -> None:
    found = [("oil pump", "oil valve"), ("pumps", "valves")]
    assert read(written(found).splitlines()) == found
    assert read(["no pair", " = x", "gone ="]) == [("gone", "")]
