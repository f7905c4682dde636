"""The published examples of CommonMark 0.31.2 (spec.txt, from npm's commonmark-spec 0.31.2).

They pass through our own writer, before cleaning: once as bare CommonMark,
where all of them come out as published, and once as our language, where the
ones that differ are listed with the reason.
"""

from __future__ import annotations

import html
import re

import pytest

from mokuji.core.html.writer import Rules, Writer
from mokuji.core.language.scan import scan
from mokuji.core.syntax.parser import events
from tests.outside.packages import npm_file

BARE = Rules(
    title_is_first=False, html_closes=False, addresses=False, pictures=False, decorate=False, typeset=False
)
"""All that differs on purpose switched off."""


def _examples() -> list[tuple[int, str, str]]:
    spec = npm_file("commonmark-spec", "0.31.2", "spec.txt").read_text(encoding="utf-8").replace("→", "\t")
    found = re.findall(r"^`{32} example\n(.*?)^\.\n(.*?)^`{32}$", spec, flags=re.MULTILINE | re.DOTALL)
    return [(number, text, expected) for number, (text, expected) in enumerate(found, 1)]


def _normal(page: str) -> str:
    """What the specification leaves open: white space between tags, how a character is escaped."""
    page = html.unescape(page.replace("&lt;", "&amp;lt;").replace("&gt;", "&amp;gt;"))
    page = re.sub(r"\s*(</?(?:p|li|ul|ol|blockquote|h[1-6]|hr|pre|table|tr|td|th)\b[^>]*>)\s*", r"\1", page)
    return page.strip()


def _written(text: str, rules: Rules, *, commonmark_only: bool) -> str:
    return Writer(rules=rules).write(list(events(text, commonmark_only=commonmark_only)))


def test_there_are_652_examples() -> None:
    assert len(_examples()) == 652


def test_every_published_example_comes_out_as_published() -> None:
    wrong = [
        (number, text, got)
        for number, text, expected in _examples()
        if _normal(got := _written(text, BARE, commonmark_only=True)) != _normal(expected)
    ]
    assert wrong == []


# ---- where our language differs, on purpose ------------------------------------------

REASONS = {
    "first level": "a first-level heading is shown as second level: the title is the first",
    "html": "raw HTML that is not closed in its own block or span is shown as text",
    "address": "a bare web address becomes a link",
    "picture": "pictures are named in words while no file of the wiki stands behind them",
}


def _numbers(listed: str) -> set[int]:
    return {int(number) for number in listed.split()}


DIFFERENT: dict[str, set[int]] = {
    "first level": {
        10,
        141,
        300,
        62,
        66,
        67,
        68,
        72,
        75,
        76,
        78,
        79,
        80,
        81,
        82,
        83,
        84,
        214,
        215,
        227,
        228,
        229,
        230,
        232,
        115,
    },
    "html": {
        642,
        643,
        524,
        148,
        21,
        150,
        151,
        152,
        536,
        155,
        156,
        157,
        158,
        31,
        165,
        167,
        173,
        174,
        175,
        180,
        181,
        182,
        184,
        187,
        188,
        190,
        191,
        201,
        344,
        476,
        477,
        613,
        615,
        491,
        494,
        623,
        630,
        631,
    },
    "address": {602, 608, 611},
    "picture": {
        517,
        520,
        531,
        572,
        573,
        574,
        575,
        576,
        577,
        578,
        579,
        580,
        581,
        582,
        583,
        584,
        585,
        586,
        587,
        588,
        589,
        591,
    },
}


@pytest.mark.parametrize("rule", ["first level", "html", "address", "picture"])
def test_each_difference_is_the_one_of_its_rule(rule: str) -> None:
    switched = {
        "first level": "title_is_first",
        "html": "html_closes",
        "address": "addresses",
        "picture": "pictures",
    }
    rules = Rules(**{name: name == switched[rule] for name in Rules.__slots__})
    different = {
        number
        for number, text, expected in _examples()
        if _normal(_written(text, rules, commonmark_only=True)) != _normal(expected)
    }
    assert different == DIFFERENT[rule], REASONS[rule]


def test_what_our_language_has_beyond_commonmark_changes_no_published_example() -> None:
    """Tables, footnotes, tasks, definition lists, math, strikethrough and identifiers of headings."""
    for number, text, expected in _examples():
        assert _normal(_written(text, BARE, commonmark_only=False)) == _normal(expected), number


# ---- link definitions -----------------------------------------------------------


def test_a_definition_carried_to_the_end_of_its_text_reads_the_same() -> None:
    """In all published examples, by the specification's own renderings: no definition is missed or cut wrongly."""
    carried = 0
    for number, text, expected in _examples():
        definitions = scan(text).definitions
        if definitions.again or any(each.nested for each in definitions.defined):
            continue
        used = {usage.key for usage in definitions.used}
        for definition in definitions.defined:
            if definition.key not in used or definition.key.note:
                continue
            there = definition.span
            moved = text[: there.start] + text[there.end :] + f"\n\n{there.of(text)}\n"
            got = _written(moved, BARE, commonmark_only=True)
            assert _normal(got) == _normal(expected), f"example {number}: {there.of(text)!r}"
            carried += 1
    assert carried > 40
