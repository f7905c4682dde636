"""Quick ways of reading: what they come to is what the ways that look at everything do, which are their oracles."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from mokuji.core.base.spans import Span
from mokuji.core.language import scan as scanning
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import scan
from mokuji.core.style.flaws import in_events, may_count_or_draw, may_say_twice
from mokuji.core.syntax.front_matter import by_yaml, plainly
from tests.outside.jargon import jargon_wiki

_WORDS = (
    "[[a]] [[a|b]] [[=a|x: y]] [[a#s]] [[a/b|c]] [[a]](x) ![[a]] [[a ` `` ``` | a | b |x|y| |-|-| --- - > * _ ** ~~ "
    "$ $$ <a> </a> < > (x) [x] [x]: ]: [^n] [^n]: [^ \\ ! # ## {#i} &amp; & <div> </div> <!-- --> <http://a "
    "http://a.b @wenna due:2027-03-01 : é a]]"
)
PIECES = [*_WORDS.split(), " ", "  ", "    ", "\t", "\n", "\n", "\n\n", "- [ ] ", "1. ", ": "]
"""What has a meaning in a text, and references between."""


@given(st.lists(st.sampled_from(PIECES), max_size=30).map("".join))
@settings(max_examples=600, suppress_health_check=[HealthCheck.too_slow])
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


SAID = [
    "the the",
    "The\n",
    "the",
    "THE",
    "a.",
    "i) ",
    "b. ",
    "2. ",
    "3) ",
    "![](x)",
    "$\\a{$",
    "\r",
    "> ",
    "é É",
]


@given(st.lists(st.sampled_from([*PIECES, *SAID]), max_size=20).map("".join))
@settings(max_examples=600, suppress_health_check=[HealthCheck.too_slow])
def test_where_signs_say_that_there_is_no_flaw_the_events_show_none(text: str) -> None:
    page = Page(PageHead(1, 1, "p", "P"), text)
    typed = text[page.content.front_matter.span.end :]
    codes = {flaw.code for flaw in in_events(page.body())}
    if not may_say_twice(typed):
        assert "word_twice" not in codes
    if not may_count_or_draw(typed):
        assert codes <= {"word_twice"}


FRONT = [
    *("title", "aliases", "a-b", "1", ": ", ":", ":  ", " ", '"', "'", "[", "]", ", ", ",", "#", " #", "- "),
    *(
        "\n",
        "\n",
        "\r\n",
        "\r",
        "\t",
        "\\",
        "\\n",
        "x",
        "é",
        "部",
        "no",
        "2027-01-01",
        "~",
        "|",
        ">",
        "{",
        "}",
    ),
    *(
        "=",
        "<<",
        "!",
        "%",
        "@",
        "`",
        "---",
        "...",
        "?",
        "\x85",
        "\u2028",
        "\ufeff",
        "\U0001f600",
        "\x00",
        "\xa0",
    ),
    *("&a", "*a", "\u3000", "title: ", "\naliases: [a, b]\n", '\ntitle: "x"\n', "\nsummary: "),
]


@given(st.lists(st.sampled_from(FRONT), max_size=14).map("".join))
@settings(max_examples=900, suppress_health_check=[HealthCheck.too_slow])
def test_front_matter_that_is_read_plainly_says_what_yaml_says(inner: str) -> None:
    plain = plainly(inner)
    whole = by_yaml(inner, Span(0, 0), 0)
    if plain is not None:
        assert not whole.problems
        assert list(plain.items()) == list(whole.fields.items())


def test_most_front_matter_is_read_plainly() -> None:
    inner = 'title: The "left" pump, [2]\naliases: [Left pump, LP-1]\nsummary: "About: it"\nlanguage: en\n'
    assert plainly(inner) == {
        "title": 'The "left" pump, [2]',
        "aliases": ["Left pump", "LP-1"],
        "summary": "About: it",
        "language": "en",
    }
    assert plainly(inner + "mass: 2 kg # of it\n") is None
