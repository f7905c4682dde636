"""Words are replaced where it is wished and nowhere else, and what names something follows as in a rename."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Span
from mokuji.core.edit.replacing import Forms, Replacement, like
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.replace import KINDS, LEFT_OUT, Replaced, places, replace_words
from tests.wikis import page_called, wiki_of

TEXT = """---
status: pump in use
aliases: [Old pump]
tags: [pump, "the pump"]
---

## The pump

The pump, the Pump and the PUMP; no pumps. A long
pump
house [[Seal|pump seal]] [[Pump house]] `pump()` <b class="pump">x</b> [site](https://example.org/pump)
![a pump](pump.png)

```
pump = 1
```

[[=Callout | pump: a pump here [[Pump house]] there]]
"""


def _replaced(kinds: set[str], words: str = "pump", by: str = "valve", text: str = TEXT) -> str:
    wiki = wiki_of({"Guide": {"Page": text, "Seal": "", "Pump house": "", "Callout": ""}})
    page = page_called(wiki, "Page")
    found = places(page, Replacement(words, by), kinds)
    return apply(page.text, [Edit(each.span, each.words) for each in found if each.kind != "title"])


@pytest.mark.parametrize(
    ("kind", "changed"),
    [
        (
            "text",
            {
                "## The valve": "## The pump",
                "The valve, the Valve and the VALVE; no": "The pump, the Pump and the PUMP; no",
                "valve": "pump",
                "[[Seal|valve seal]]": "[[Seal|pump seal]]",
                "![a valve]": "![a pump]",
            },
        ),
        ("code", {"`valve()`": "`pump()`", "valve = 1": "pump = 1"}),
        (
            "field",
            {"status: valve in use": "status: pump in use", '[valve, "the valve"]': '[pump, "the pump"]'},
        ),
        ("value", {"pump: a valve here": "pump: a pump here"}),
    ],
)
def test_words_are_replaced_in_one_sort_of_place_only(kind: str, changed: dict[str, str]) -> None:
    after = _replaced({kind})
    for new, old in changed.items():
        assert new in after
        if old != "pump":
            after = after.replace(new, old)
    if kind == "text":
        after = after.replace("A long\nvalve\nhouse", "A long\npump\nhouse")
    assert after == TEXT


def test_what_names_something_is_never_touched() -> None:
    after = _replaced(set(KINDS))
    for kept in (
        "aliases: [Old pump]",
        "[[Pump house]]",
        'class="pump"',
        "example.org/pump",
        "(pump.png)",
        "| pump:",
    ):
        assert kept in after


def test_words_may_stand_on_two_lines() -> None:
    assert "A long\nhouse" in _replaced({"text"}, "long pump", "long").replace("A long\npump\n", "A long\n")
    assert "A huge\nhouse" in _replaced({"text"}, "long pump", "huge")


@pytest.mark.parametrize(
    ("found", "by", "written"),
    [("pump", "valve", "valve"), ("Pump", "valve", "Valve"), ("PUMP", "valve", "VALVE"), ("P", "valve", "Valve"),
     ("pump", "eBuoy", "eBuoy"), ("Pump", "eBuoy", "EBuoy"), ("12", "v", "v")],
)  # fmt: skip
def test_capitals_are_kept(found: str, by: str, written: str) -> None:
    assert like(found, by) == written


@pytest.mark.parametrize(
    "asked",
    [
        Replacement("", "x"),
        Replacement("   ", "x"),
        Replacement("a*", "x", pattern=True),
        Replacement("(?=a)", "x", pattern=True),
        Replacement("(", "x", pattern=True),
        Replacement(r"(a)\1", "x", pattern=True),
        Replacement("(a)", r"\2", pattern=True),
        Replacement("a", "[[b]]"),
        Replacement("a", "two\nlines"),
        Replacement("a" * 501, "x"),
    ],
)
def test_what_cannot_be_looked_for_is_refused_with_a_reason(asked: Replacement) -> None:
    with pytest.raises(Refused) as fault:
        asked.check()
    assert fault.value.message.endswith(".")


def test_a_pattern_that_fits_nothing_is_refused_where_it_does() -> None:
    with pytest.raises(Refused):
        list(Replacement(r"\b", "x", pattern=True, whole=False).found_in("a b", 0, 3))


@given(
    st.text(alphabet="ab é\n-_", max_size=40),
    st.sampled_from(["a", "ab", "é", "a b"]),
    st.booleans(),
    st.booleans(),
)
def test_plain_words_are_found_as_a_plain_search_finds_them(
    text: str, words: str, whole: bool, exact: bool
) -> None:
    joined = r"(?:[ \t]+|[ \t]*\r?\n[ \t]*)".join(map(re.escape, words.split()))
    pattern = re.compile(joined, 0 if exact else re.IGNORECASE)
    expected = [
        found.span()
        for found in pattern.finditer(text)
        if not whole
        or not (
            (found.start() and text[found.start() - 1].isalnum() | (text[found.start() - 1] == "_"))
            or (found.end() < len(text) and text[found.end()].isalnum() | (text[found.end()] == "_"))
        )
    ]
    made = Replacement(words, "zz", whole=whole, exact=exact)
    assert [(low, high) for low, high, _ in made.found_in(text, 0, len(text))] == expected


def _wiki() -> MemoryWiki:
    return wiki_of(
        {
            "Guide": {
                "Pump": "## Pump limits\n\nA pump.",
                "House": "See [[Pump]], [[Pump#Pump limits]] and [[Pump|the pump]]. A pump.",
                "Valve house": "",
                "Pump house": "A pump house.",
            }
        }
    )


def _plan(wiki: MemoryWiki, kinds: set[str], *left: str, words: str = "pump", by: str = "valve") -> Plan:
    return replace_words(wiki, list(wiki.pages_by_id), Replacement(words, by), kinds, left=left)


def _after(plan: Plan) -> dict[str, str]:
    return {change.title: change.after for change in plan.change_set.changes}


def test_a_title_and_a_heading_are_renamed_and_references_follow() -> None:
    plan = _plan(_wiki(), {"text", "title"})
    after = _after(plan)
    assert after["Valve"] == "## Valve limits\n\nA valve."
    assert after["House"] == "See [[Valve]], [[Valve#Valve limits]] and [[Valve|the valve]]. A valve."
    assert isinstance(plan.facts, Replaced) and plan.facts.left == 1
    (left,) = [row for row in plan.rows if row.kind == LEFT_OUT]
    assert (left.page.title, "another page" in left.after) == ("Pump house", True)
    assert "Pump house" not in after


def test_headings_alone_carry_references_to_them_along() -> None:
    after = _after(_plan(_wiki(), {"text"}))
    assert "[[Pump#Valve limits]]" in after["House"] and "[[Pump]]" in after["House"]


def test_a_place_that_is_left_out_stays_as_it_is() -> None:
    wiki = _wiki()
    rows = _plan(wiki, {"text"}).rows
    house = [row.id for row in rows if row.page.title == "House"]
    after = _after(_plan(wiki, {"text"}, house[-1]))
    assert after["House"].endswith("[[Pump|the valve]]. A pump.")
    assert _plan(wiki, {"text"}).digest != _plan(wiki, {"text"}, house[-1]).digest


@given(st.lists(st.sampled_from(["pump", "pump house", "pumps", "and", "the pump,"]), max_size=12))
def test_several_forms_at_once_are_exchanged_as_one_after_the_other_with_marks_between(
    said: list[str],
) -> None:
    text = " ".join(said)
    forms = [("pump house", "1"), ("pumps", "2"), ("pump", "3")]
    together = Forms(tuple(Replacement(old, new) for old, new in reversed(forms)))
    found = together.found_in(text, 0, len(text))
    slowly = text
    for old, new in forms:
        slowly = re.sub(rf"\b{old}\b", new, slowly)
    assert apply(text, [Edit(Span(start, end), words) for start, end, words in found]) == slowly


def test_of_a_long_line_only_what_is_near_is_shown() -> None:
    wiki = wiki_of({"Guide": {"Page": "a pump turns, " * 1_000}})
    plan = replace_words(wiki, [page_called(wiki, "Page").head.id], Replacement("pump", "valve"), KINDS)
    middle = plan.rows[500]
    assert len(plan.rows) == 1_000
    assert middle.before.startswith("…")
    assert middle.before.endswith("…")
    assert sum(len(row.before) + len(row.after) for row in plan.rows) < 1_000 * 2 * 700


def test_a_head_that_could_not_be_read_any_more_is_left_out_and_named() -> None:
    wiki = wiki_of({"Guide": {"One": "---\nstatus: good\n---\n\ngood\n", "Two": "good"}})
    plan = _plan(wiki, {"text", "field"}, words="good", by="a: b")
    assert _after(plan) == {"Two": "a: b"}
    assert [(row.page.title, row.kind) for row in plan.rows if row.kind == LEFT_OUT] == [("One", LEFT_OUT)]


@pytest.mark.parametrize("words", ["nowhere", "Seal"])
def test_nothing_to_replace_is_said(words: str) -> None:
    with pytest.raises(Refused, match="stand nowhere"):
        _plan(_wiki(), {"text"}, words=words)
