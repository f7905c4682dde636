"""A text whose references are all simple is read in one go; the long way, by two readings, is its oracle."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from mokuji.core.language import scan as scanning
from mokuji.core.language.scan import scan
from tests.outside.jargon import jargon_wiki

_WORDS = (
    "[[a]] [[a|b]] [[=a|x: y]] [[a#s]] [[a/b|c]] [[a]](x) ![[a]] [[a ` `` ``` | a | b |x|y| |-|-| --- - > * _ ** ~~ "
    "$ $$ <a> </a> < > (x) [x] [x]: ]: [^n] [^n]: [^ \\ ! # ## {#i} &amp; & <div> </div> <!-- --> <http://a "
    "http://a.b @wenna due:2027-03-01 : é a]]"
)
PIECES = [*_WORDS.split(), " ", "  ", "    ", "\t", "\n", "\n", "\n\n", "- [ ] ", "1. ", ": "]
"""What has a meaning in a text, and references between."""


@given(st.lists(st.sampled_from(PIECES), max_size=30).map("".join))
@settings(max_examples=2_000, suppress_health_check=[HealthCheck.too_slow])
@example("|[[a|b]]|\n|-|-|\n|`x|[[c]]`|\n")
@example("> [[a|b]] | c\n> -|-\n> ` | [[c]] `\n")
def test_the_short_way_comes_to_what_the_long_way_does(text: str) -> None:
    assert scan(text) == scan(text, long_way=True), text


def test_real_articles_are_read_the_same_way_and_most_of_them_in_one_go(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    # The Jargon File, from Debian's package (see tests/outside/jargon.py).
    pages = [page.text for page in jargon_wiki().pages_by_id.values()][:600]
    for text in pages:
        assert scan(text) == scan(text, long_way=True), text
    went = Counter[str]()
    settle = scanning._settle

    def counted(*given: Any) -> Any:
        went["long"] += 1
        return settle(*given)

    monkeypatch.setattr(scanning, "_settle", counted)
    for text in pages:
        scan(text)
    assert went["long"] < len(pages) / 2
