"""Look-alikes and bare mentions: which names meet, which words count."""

from __future__ import annotations

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from mokuji.core import names
from mokuji.core.reports.bare_mentions import (
    Finder,
    _plain_at_a_glance,
    _plain_by_parsing,
    bare_mentions,
)
from mokuji.core.reports.look_alikes import Named, Sort, look_alikes
from mokuji.core.reports.sections import broken_sections
from mokuji.core.wiki import Page, PageHead
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
    found = bare_mentions({"well": 1, "pump house": 2}, pages)
    assert found.held_back == {"well": 29}
    assert {each.key for each in found.found} == {"pump house"}
    assert 2 not in {each.page for each in found.found}
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
    found = list(broken_sections(wiki, wiki.pages_by_id.values()))
    assert [(each.page.title, each.reference.section, each.target.title) for each in found] == [
        ("Pump", "gone", "Pump"),
        ("Well", "Old", "Pump"),
    ]
