"""What is put in: the cases of tests/cases/inserts.txt, limits, and nothing that a hostile text can do."""

from __future__ import annotations

import re
import time

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mokuji.core.assembly.inserts import MOST, Inserter, Token
from mokuji.core.language.scan import scan
from mokuji.core.syntax.calls import call
from tests.core.casebook import cases, pages_of
from tests.core.showing import shown
from tests.wikis import wiki_of


@pytest.mark.parametrize(("said", "block"), cases("inserts.txt"), ids=[c[0] for c in cases("inserts.txt")])
def test_a_case_comes_out_as_it_says(said: str, block: str) -> None:
    before, _, expected = block.rpartition("\n-->\n")
    volumes = pages_of(before)
    wiki = wiki_of(volumes)
    assert _lines(shown(wiki, wiki.pages_by_id[1]).html) == _lines(expected), said


def _lines(html: str) -> str:
    """Empty lines between blocks say nothing."""
    return re.sub(r"\n\s*\n", "\n", html).strip().replace("<li>\n", "<li>").replace("\n</li>", "</li>")


CALLS = [
    ("[[=T]]", []),
    ("[[=T|a]]", [(None, "a")]),
    ("[[=T | a: b | c : d | e: f|g]]", [("a", "b | c : d"), ("e", "f|g")]),
    ("[[=T | x | a:b | c: d]]", [(None, "x | a:b"), ("c", "d")]),
    ("[[=T | a: `x | b: y` | c: d]]", [("a", "`x | b: y`"), ("c", "d")]),
    (r"[[=T | a: b \| c: d]]", [("a", r"b \| c: d")]),
    ("[[=T | a: [[=U | b: c]] | d: e]]", [("a", "[[=U | b: c]]"), ("d", "e")]),
    ("[[=T | a: | b: ]]", [("a", ""), ("b", "")]),
    ("[[=T |\n  a: one\n  two |\n  b: x\n]]", [("a", "one\n  two"), ("b", "x")]),
    (
        "[[=* | category: Sensors | show: owner, status]]",
        [("category", "Sensors"), ("show", "owner, status")],
    ),
    ("[[T|a: b]]", []),
]


@pytest.mark.parametrize(("text", "values"), CALLS)
def test_values_are_parted_at_bars_before_names(text: str, values: list[tuple[str | None, str]]) -> None:
    references = scan(text).references
    assert [(value.name, value.span.of(text)) for value in call(text, references, 0).values] == values


def test_the_faults_of_a_page_are_said_of_its_own_inserts_whatever_they_lead_to() -> None:
    wiki = wiki_of(
        {"Guide": {"Host": "x [[Pump]]\n\n[[=A]]\n\n[[=B]]", "A": "[[=B]]", "B": "[[=T]]", "T": SLOT}}
    )
    faults = shown(wiki, wiki.pages_by_id[1]).faults
    assert {index: [fault.message for fault in found] for index, found in faults.items()} == {
        1: ["“T” needs a value for “v”."],
        2: ["“T” needs a value for “v”."],
    }


SLOT = "---\nslots: {v: {required: true}}\n---\n${v}"


def test_a_loop_is_said_with_the_whole_chain() -> None:
    wiki = wiki_of({"Guide": {"Host": "[[=A]]", "A": "[[=B]]", "B": "[[=C]]", "C": "[[=A]]"}})
    (fault,) = shown(wiki, wiki.pages_by_id[1]).faults[0]
    assert fault.message == "This insert comes back to itself: “A” → “B” → “C” → “A”."


def test_headings_of_inserts_stand_in_the_list_of_the_page() -> None:
    wiki = wiki_of({"Guide": {"Host": "## One\n\n[[=T]]\n\n## Two", "T": "## In & out\n\n[[Pump|*x*]]\n"}})
    headings = shown(wiki, wiki.pages_by_id[1]).headings
    assert [(heading.level, heading.words, heading.anchor, heading.own) for heading in headings] == [
        (2, "One", "one", True),
        (3, "In & out", "in-&-out", False),
        (2, "Two", "two", True),
    ]


def test_a_nest_that_doubles_at_each_level_stops_within_its_limits() -> None:
    levels = {f"L{n}": f"[[=L{n + 1}]]\n\n[[=L{n + 1}]]" for n in range(11)} | {"L11": "x" * 50}
    wiki = wiki_of({"Guide": {"Host": "[[=L0]]\n\nThe rest stands.", **levels}})
    start = time.perf_counter()
    woven = shown(wiki, wiki.pages_by_id[1])
    assert {fault.code for fault in woven.faults[0]} == {"inserts_many"}
    assert woven.html.endswith("<p>The rest stands.</p>\n")
    assert woven.html.count("x" * 50) < MOST
    assert time.perf_counter() - start < 60, "a view that hangs"


def test_a_flood_of_values_stops_at_the_largest_size() -> None:
    flood = {f"L{n}": f"---\nslots: {{v: }}\n---\n[[=L{n + 1} | v: {'${v}' * 8}]]" for n in range(11)}
    wiki = wiki_of(
        {"Guide": {"Host": "[[=L0 | v: xxxxxxxx]]\n\nend", **flood, "L11": "---\nslots: {v: }\n---\n${v}"}}
    )
    woven = shown(wiki, wiki.pages_by_id[1])
    assert {fault.code for fault in woven.faults[0]} == {"inserts_large"} and woven.html.endswith(
        "<p>end</p>\n"
    )


def test_a_flood_of_lists_stops_too() -> None:
    lists = "\n\n".join("[[=* | category: x]]" for _ in range(30))
    wiki = wiki_of({"Guide": {"Host": f"{lists}\n\n[[=T]]\n\nend", "T": lists}})
    woven = shown(wiki, wiki.pages_by_id[1])
    assert woven.html.count("<list>") == 50 and {f.code for f in woven.faults[30]} == {"lists_many"}


def test_inserts_that_are_too_deep_are_said() -> None:
    levels = {f"L{n}": f"[[=L{n + 1}]]" for n in range(20)} | {"L20": "end"}
    wiki = wiki_of({"Guide": {"Host": "[[=L0]]", **levels}})
    assert {fault.code for fault in shown(wiki, wiki.pages_by_id[1]).faults[0]} == {"inserts_deep"}


TEXTS = st.lists(
    st.sampled_from(
        ["[[=T]]", "[[=T | x: ", "]]", "${x}", "${x:-", "}", "**", "`", "```\n", "\n\n", "- ", "> ", "| a |\n|---|\n| ",
         " |\n", "## ", "<div>", "</div>", "<!-- part -->\n", "<!-- /part -->\n", "[^a]", "\n[^a]: ", "[a](b)", "word",
         "[[Pump|", "[[U]]", "$", "\\", "<!--", "<b>"]
    ),
    max_size=14,
).map("".join)  # fmt: skip


@given(TEXTS, TEXTS, TEXTS)
@settings(max_examples=150)
def test_no_mess_of_texts_breaks_a_view_or_leaves_a_tag_open(host: str, template: str, other: str) -> None:
    slots = "---\nslots: {x: {default: d}}\n---\n"
    wiki = wiki_of({"Guide": {"Host": host, "T": slots + template, "U": slots + other, "Pump": ""}})
    html = re.sub(r"<R[^>]*>|<!\w+>|<list>", "", shown(wiki, wiki.pages_by_id[1]).html)
    assert not re.search(r"q[0-9a-f]{20}x", html), "a stand-in was left in the HTML"
    stack: list[str] = []
    for close, name in re.findall(r"<(/?)([a-z][a-z0-9]*)\b[^>]*>", html):
        if name in {"br", "hr", "input", "wbr", "col"}:
            continue
        if not close:
            stack.append(name)
        else:
            assert stack and stack.pop() == name
    assert not stack


def test_what_was_compiled_once_is_used_again_and_another_value_is_another_text() -> None:
    wiki = wiki_of({"Guide": {"Host": "[[=T | v: a]] [[=T | v: a]] [[=T | v: b]]", "T": SLOT}})
    inserter = Inserter(b"k", wiki.volumes)
    page, template = wiki.pages_by_id[1], wiki.pages_by_id[2]
    made = [inserter.insert(Token(page, n), template)[0] for n in range(3)]
    assert made[0] is not None and made[1] is not None and made[2] is not None
    assert made[0].compiled is made[1].compiled and made[0].compiled is not made[2].compiled
