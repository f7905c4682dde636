"""Look-alikes and bare mentions: which names meet, which words count."""

from __future__ import annotations

import re
from itertools import pairwise

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.reports.bare_mentions import (
    Finder,
    _plain_at_a_glance,
    _plain_by_parsing,
    bare_mentions,
)
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
from mokuji.core.reports.repeats import Repeat, repeats
from mokuji.core.reports.sections import broken_sections
from tests.wikis import wiki_of


def _named(*titles: str) -> list[Named]:
    return [Named(names.key(each), each, n, Sort.PAGE) for n, each in enumerate(titles, 1)]


@pytest.mark.parametrize(
    ("one", "other", "reason"),
    [
        ("Depth sensor", "Depth sensors", "singular and plural"),
        ("Battery", "Batteries", "singular and plural"),
        ("Switch", "Switches", "singular and plural"),
        ("Gasket, lid", "Lid gasket", "the same words in another order"),
        ("Sea trial", "Seatrial", "the same letters, parted otherwise"),
        ("Charge regulator", "Charge regulater", "one letter differs"),
        ("Isolator", "Isoaltor", "one letter differs"),
        ("Seals of lids", "Lid of seal", "singular and plural, in another order"),
    ],
)
def test_names_that_look_alike_are_paired_with_a_reason(one: str, other: str, reason: str) -> None:
    (pair,) = look_alikes(_named(one, other))
    assert pair.reason == reason and 0 < pair.confidence <= 1
    assert look_alikes(_named(one, other), [(pair.one.key, pair.other.key)]) == []


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("Tern 3", "Tern 4"),
        ("Sensor 12", "Sensor 13"),
        ("Mast", "Mask"),
        ("Hull", "Bull"),
        ("Bus", "Bu"),
        ("Class", "Clas"),
        ("Pump", "Well"),
        ("T4-0180 hull", "T4-0181 hull"),
    ],
)
def test_names_that_only_resemble_each_other_are_not(one: str, other: str) -> None:
    assert look_alikes(_named(one, other)) == []


def test_names_of_one_page_are_no_look_alikes() -> None:
    pair = [Named("seal", "Seal", 1, Sort.PAGE), Named("seals", "Seals", 1, Sort.ALIAS)]
    assert look_alikes(pair) == []
    waiting = [Named("seal", "Seal", 0, Sort.UNWRITTEN), Named("seals", "Seals", 0, Sort.UNWRITTEN)]
    assert len(look_alikes(waiting)) == 1


def _mentions(text: str, **pages: str) -> list[str]:
    titles = {names.key(key.replace("_", " ")): n for n, key in enumerate(pages, 10)}
    page = Page(PageHead(1, 1, "here", "Here"), text)
    return [each.span.of(text) for each in bare_mentions(titles, [page]).found]


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("The battery well is dry.", ["battery well"]),
        ("Battery-well; BATTERY WELL", ["Battery-well", "BATTERY WELL"]),
        ("a battery\nwell, a battery  well", ["battery\nwell", "battery  well"]),
        ("the batterywell and battery wells", ["battery"]),
        ("[[battery well]] and [battery well](x) `battery well` <b title='battery well'>", []),
        ("## Battery well\n\n```\nbattery well\n```\n", []),
        ("![battery well](battery-well.png)", []),
        ("| battery well | x |\n|---|---|\n| the **battery** | well |\n", ["battery well", "battery"]),
        ("é battery well ﬁne", ["battery well"]),
        ("[[Page|about the battery well]]", []),
        ("---\nsummary: battery well\n---\nx", []),
        ("See https://docs.example/battery-well and #battery-well, battery-well.", ["battery-well"]),
        ("*battery* well, battery *well*, _battery_ well", ["battery"] * 3),
        ("- battery\n- well\n\n1. battery well\n\n> battery\n> well", ["battery", "battery well", "battery"]),
        ("battery\r\nwell", ["battery\r\nwell"]),
        ("\\[[battery]] and [battery] and \\[battery\\]", []),
        ("the battery-box, a dry_battery, gel‑battery; battery - box", ["battery"]),
        ("battery-, -battery and (battery)", ["battery"] * 3),
    ],
)
def test_whole_words_longest_first_and_only_in_plain_text(text: str, found: list[str]) -> None:
    assert _mentions(text, battery_well="", battery="") == found


# Parted by spaces; “·” stands for one, and what begins with “¶” for a line end before it.
PIECES = [
    each.replace("·", " ").replace("¶", "\n").replace("»", "\t")
    for each in r"""aaa·bbb aaa bbb · ¶ ¶¶ ¶···· ` `` ``` ~~~ [[aaa]] [[x|aaa·bbb]] [[ ]] [ ](x) ![ <b> </b> <!--·
    --> \ $ #· ##· -· 1.· >· > === --- * ** _ » aaa-bbb &amp; {#a} :· [^a] [^a]:· ]:· | |·aaa·| |---| ~~ x¶= ¶-· ¶>·
    ¶#· # aaa¶bbb""".split()
]


def test_what_its_paragraph_links_already_is_offered_last() -> None:
    text = (
        "The [[Battery]] is a battery.\n\nNo battery is the [[well]] here.\n\n[[/Guide/Battery|it]]: battery"
    )
    page = Page(PageHead(1, 1, "here", "Here"), text)
    found = [each.span.start for each in bare_mentions({"battery": 2}, [page]).found]
    first, second, third = (at.start() for at in re.finditer("battery", text))
    assert found == [second, first, third]


@given(st.lists(st.sampled_from(PIECES), max_size=14).map("".join))
@settings(max_examples=400)
def test_at_a_glance_the_same_is_plain_text_as_the_parser_says(text: str) -> None:
    candidates = Finder({"aaa": 2, "bbb": 3, "aaa bbb": 4}).candidates(text)
    seen = _plain_at_a_glance(text, candidates)
    if seen is not None:
        event("at a glance")
        assert seen == _plain_by_parsing(Page(PageHead(1, 1, "here", "Here"), text), candidates)


def test_a_page_does_not_mention_itself_and_common_words_are_held_back() -> None:
    pages = [Page(PageHead(n, 1, f"p{n}", f"P{n}"), "the well and the pump house") for n in range(1, 31)]
    mentions = bare_mentions({"well": 1, "pump house": 2}, pages)
    assert mentions.held_back == {"well": 29}
    assert {each.key for each in mentions.found} == {"pump house"}
    assert 2 not in {each.page for each in mentions.found}
    wanted = bare_mentions({"well": 1}, pages, also={"well"})
    assert len(wanted.found) == 29 and not wanted.held_back


@given(st.text("ab -_\né[](`", max_size=60))
def test_what_is_found_says_the_name(text: str) -> None:
    page = Page(PageHead(1, 1, "here", "Here"), text)
    for each in bare_mentions({"a b": 2, "aé b": 3, "aba": 4}, [page]).found:
        assert names.key(each.span.of(text)) == each.key
        before, after = text[: each.span.start][-1:], text[each.span.end :][:1]
        assert not before.isalnum() and not after.isalnum()


def test_a_section_that_a_page_does_not_have_is_found_and_others_are_not() -> None:
    wiki = wiki_of(
        {
            "Guide": {
                "Pump": "## Limits {#lim}\n\n## See [[Well]]\n\n[[#Limits]] [[#gone]]",
                "Well": "[[Pump#limits]] [[Pump#lim]] [[Pump#See Well]] [[Pump#Old]] [[No page#Old]] [[Pump#]]",
            }
        }
    )
    brokens = list(broken_sections(wiki, wiki.pages_by_id.values()))
    assert [(broken.page.title, broken.reference.section, broken.target.title) for broken in brokens] == [
        ("Pump", "gone", "Pump"),
        ("Well", "Old", "Pump"),
    ]


# ---- repeated text --------------------------------------------------------------------

LONG = "Vent the well for ten minutes, and keep a second person within call while the lid is off."
OTHER = "Write the hour of the start into the log of the buoy, then set the main isolator to OFF."


def _repeats(**texts: str) -> list[Repeat]:
    return repeats(wiki_of({"Guide": texts}).pages_by_id.values())


def test_what_stands_in_several_places_is_told_with_what_saying_it_once_would_save() -> None:
    (repeat,) = _repeats(
        A=f"---\nsummary: x\n---\n{LONG}\n\n- own\n",
        B=f"own words\n\n> {LONG}\n",
        C=LONG.replace(", and", ",\nand"),
        D=f"{LONG}\r\n\r\n{LONG}",
    )
    stands = [(page.title, span.start) for page, span in repeat.places]
    # In the quotation it is another block; in C the same words are on two lines.
    assert stands == [("A", 19), ("C", 0), ("D", 0), ("D", 93)]
    assert (repeat.words, repeat.lines, repeat.saved) == (LONG, 2, 2)


def test_only_the_longest_passages_are_told_and_what_saves_most_first() -> None:
    both = f"{LONG}\n\n## Then\n\n{OTHER}"
    first, second = _repeats(A=f"x\n\n{both}", B=f"{both}\n\ny", C=f"{both}\n", D=f"z\n\n{OTHER}")
    assert (first.words, len(first.places), first.saved) == (both, 3, 7)
    assert (second.words, len(second.places), second.saved) == (OTHER, 4, 2)


@pytest.mark.parametrize(
    "text",
    [
        "Short words.",
        "[[=Safety notice | hazard: the lid drops when its last bolt comes out of the rim of the well]]",
        "## A heading that is as long as a passage would have to be, and then some more words",
        "| | |\n|---|---|",
    ],
)
def test_what_is_short_or_no_text_is_no_passage(text: str) -> None:
    assert _repeats(A=text, B=text, C=text) == []


def test_code_with_empty_lines_is_one_passage() -> None:
    code = f"```\n{LONG}\n\n{OTHER}\n```"
    (repeat,) = _repeats(A=code, B=f"x\n\n{code}\n", C=code)
    assert repeat.words == code


@given(
    st.lists(st.lists(st.sampled_from([LONG, OTHER, "## h", "own", LONG + OTHER]), max_size=5), max_size=4)
)
def test_every_repeated_block_is_in_a_passage_that_stands_where_it_says(pages: list[list[str]]) -> None:
    texts = {f"P{n}": "\n\n".join(blocks) for n, blocks in enumerate(pages)}
    by_title = {f"P{n}": texts[f"P{n}"] for n in range(len(pages))}
    found = _repeats(**texts)
    for repeat in found:
        assert len(repeat.places) > 1 and repeat.saved > 0
        assert all(span.of(by_title[page.title]) == repeat.words for page, span in repeat.places)
    for block in (LONG, OTHER):
        count = sum(blocks.count(block) for blocks in pages)
        alone = 2 * (count - 1) - count > 0 and not any(
            one == other == block for blocks in pages for one, other in pairwise(blocks)
        )
        assert not alone or any(block in each.words for each in found), (block, count)
