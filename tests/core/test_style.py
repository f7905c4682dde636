"""The house style: what is found where, what mends it, and what is left alone."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import apply
from mokuji.core.language.page import Page, PageHead
from mokuji.core.style.flaws import Flaw
from mokuji.core.style.prose import HELD, passages
from mokuji.core.style.sentences import count_words, sentences
from mokuji.core.style.style import AVOID, Preferred, Style, as_fields, read_style
from mokuji.core.style.style_rules import breaches, nearest


class Few:
    """A dictionary of few words."""

    def __init__(self, *words: str) -> None:
        self._words = set(words)

    def knows(self, word: str) -> bool:
        return word in self._words or (word[0].isupper() and word.lower() in self._words)


WORDS = Few(
    *"fit the battery pump cover on to press and wait for valve open a see turn it off power is".split()
)
WORDS._words.add("Monday")


random_texts = st.lists(
    st.sampled_from(
        [
            *"Fit the teh Pump é 𝛂 ${x} ${x:-a `b`} ![Teh](x) `teh` &amp; \\* *a* #teh".split(),
            *(
                "[[X|Teh Pump]]",
                "[[Pump]]",
                "[[=X | y: teh]]",
                "https://teh.org/a ",
                "---\nslots: [x]\n---\n",
            ),
            *(
                "\n",
                "\n\n",
                " ",
                ". ",
                "! ",
                "## ",
                "1. ",
                "- ",
                "> ",
                "| a | b |\n|---|---|\n| ",
                " | ",
                "\r\n",
            ),
            *(
                "```\n",
                "$",
                "<b>",
                "power  down ",
                "https://teh.org/a ",
                "---\nslots: [x]\n---\n",
                "[^1]",
                "[^1]: ",
            ),
        ]
    ),
    max_size=14,
).map("".join)


def _page(text: str, title: str = "Fit it") -> Page:
    return Page(PageHead(1, 1, "p", title), text)


def _found(text: str, style: Style, title: str = "Fit it") -> list[Flaw]:
    return breaches(_page(text, title), style, WORDS)


SENTENCE_CASE = [
    ("## Fit The Battery", "## Fit the battery"),
    ("## fit the battery", "## Fit the battery"),
    ("Fit The Pump\n===", "Fit the pump\n==="),
    ("## Press “On” on USB and pH *The* valve", "## Press “on” on USB and pH *the* valve"),
    ("## Pump: The valve", None),
    ("## Pump. The valve", None),
    ("## Fit the Tern 4 cover on Monday", None),
    ("## Turn A to B", None),
    ("## `pump` the [[Battery Cover]]", None),
    ("## Open [[Battery Cover|the Cover]]", "## Open [[Battery Cover|the cover]]"),
    ("## 4 valves Off", "## 4 valves off"),
]


@pytest.mark.parametrize(("text", "mended"), SENTENCE_CASE)
def test_a_heading_in_sentence_case_has_one_capital_and_those_of_names(text: str, mended: str | None) -> None:
    flaws = _found(text, Style(headings="sentence", names=("Tern 4",)))
    assert len(flaws) == (mended is not None)
    if mended is not None:
        assert flaws[0].mend is not None
        assert apply(text, flaws[0].mend.edits) == mended


TITLE_CASE = [
    ("## Fit the battery to it", "## Fit the Battery to It"),
    ("## The Pump And The Valve", "## The Pump and the Valve"),
    ("## Turn It Off", None),
    ("## Valve: A Cover for the Pump", None),
]


@pytest.mark.parametrize(("text", "mended"), TITLE_CASE)
def test_a_heading_in_title_case_leaves_minor_words_small(text: str, mended: str | None) -> None:
    flaws = _found(text, Style(headings="title"))
    assert [apply(text, f.mend.edits) for f in flaws if f.mend] == ([mended] if mended else [])


def test_a_word_can_be_taken_up_as_a_name() -> None:
    style = Style(headings="sentence")
    (flaw,) = _found("## Fit the Tern Pump", style)
    assert [mend.learn for mend in flaw.mends] == [None, ("name", "Tern"), ("name", "Pump")]
    assert not _found("## Fit the Tern pump", style.learnt("name", "Tern"))


def test_a_title_is_mended_by_another_title() -> None:
    (flaw,) = _found("", Style(titles="sentence"), title="Fit The Cover")
    assert flaw.mend is not None
    assert (flaw.mend.title, flaw.mend.edits) == ("Fit the cover", ())


def _long(words: int) -> str:
    return " ".join(["Word"] * words) + "."


def test_a_sentence_is_measured_by_where_it_stands() -> None:
    style = Style(step=3, sentence=5)
    text = f"{_long(5)} {_long(6)}\n\n1. {_long(3)} {_long(4)}\n   - {_long(4)}\n\n- {_long(5)}\n\n## {_long(9)}\n"
    assert [flaw.span.of(text) for flaw in _found(text, style)] == [_long(6), _long(4), _long(4)]
    assert [flaw.span.of(text) for flaw in _found(text, Style(sentence=5))] == [_long(6)]


def test_references_code_and_slots_count_as_the_words_that_readers_see() -> None:
    text = "---\nslots: [x]\n---\nSee [[Fit it|the battery cover]] and `a b c` ${x} [[Valve on]] *now* ![a b](c.png).\n"
    (passage,) = (block for block in passages(_page(text)) if block.sort == "text")
    assert passage.words == f"See the battery cover and {HELD} {HELD} Valve on now {HELD}."
    assert count_words(passage.words) == 11


PREFERRED = Style(
    preferred=(
        Preferred("turn off", ("power down", "switch off")),
        Preferred("click on", ("click",)),
        Preferred("", ("simply",)),
    ),
    names=("Power Down Kit",),
)


@pytest.mark.parametrize(
    ("text", "mended"),
    [
        ("Power down it", "Turn off it"),
        ("Now *power  down* it", "Now *turn off* it"),
        ("Now power\ndown it", "Now turn off it"),
        ("> Now power\n> down", "> Now turn off"),
        ("Click the lid", "Click on the lid"),
        ("Click on the lid, double-click", "Click on the lid, double-click on"),
        ("\u017fwitch off it", None),
        ("Powering down, `power down`, [[power down]], Power Down Kit", None),
        ("See [[X|power down]]", "See [[X|turn off]]"),
    ],
)
def test_preferred_words_take_the_place_of_others(text: str, mended: str | None) -> None:
    flaws = _found(text, PREFERRED)
    assert [apply(text, flaw.mend.edits) for flaw in flaws if flaw.mend] == ([mended] if mended else [])


def test_words_to_avoid_have_no_substitute() -> None:
    (flaw,) = _found("Simply fit it", PREFERRED)
    assert (flaw.code, flaw.mend) == ("word_avoided", None)


SPELLING = Style(spelling="xx", words=("bilge", "Hull"), names=("Harbour Lights",))


@pytest.mark.parametrize(
    ("text", "unknown"),
    [
        ("Fit the batery on the pmup", ["batery", "pmup"]),
        ("Fit *bat*tery and *bat*ery", []),
        ("Bilge, bilge's, hull and Hull’s", ["hull"]),
        ("Harbour Lights and Harbour’s lights", ["lights"]),
        ("USB, PowerOn, x1y, 5mm, a_b, teh@post.org, https://teh.org/x, src/teh/x.py, @teh", []),
        ("`teh` [[Teh]] ![teh](x) [teh](y) <span>teh</span>", ["teh", "teh", "teh"]),
        ("    teh\n\n```\nteh\n```\n\n<div>\nteh\n</div>\n\n$teh$ #teh", []),
        ("| teh |\n|---|\n| a |\n\nx[^1]\n\n[^1]: teh\n", ["teh", "teh"]),
        ("---\nsummary: teh\nslots: [teh]\n---\n${teh} ${teh:-teh}", []),
        ("t&eacute;h te\\*h", ["te"]),
        ("[[=X|teh]] [[X#teh|teh]]", ["teh"]),
        ("[[X|*teh*]]", []),
    ],
)
def test_words_that_no_dictionary_knows_are_found_where_they_are_words(text: str, unknown: list[str]) -> None:
    found = [flaw.span.of(text) for flaw in _found(text, SPELLING)]
    assert found == unknown


def test_a_new_word_of_the_volume_is_known_from_then_on() -> None:
    (flaw,) = _found("Fit the gland", SPELLING)
    assert flaw.word == "gland"
    (mend,) = flaw.mends
    assert mend.learn == ("word", "gland")
    assert not _found("Fit the gland", SPELLING.learnt("word", "gland"))


def test_the_own_words_of_a_volume_are_the_nearest_corrections() -> None:
    assert nearest("Bigle", SPELLING, lambda _: ["bugle", "bilge"]) == ["Bilge", "bugle", "bilge"]
    assert nearest("harbor", SPELLING, lambda _: []) == ["Harbour"]
    assert nearest("zzz", SPELLING, lambda _: ["a", "b", "c"], most=2) == ["a", "b"]


def test_no_rule_finds_nothing() -> None:
    assert _found("# Teh Batery " + _long(99), Style(words=("x",), names=("Y",))) == []


def test_a_style_is_the_same_after_it_was_data() -> None:
    style = Style(
        "sentence", "title", ("Tern", "tern"), 20, 25, PREFERRED.preferred, "en-GB", ("bilge", "Hull")
    )
    assert read_style(as_fields(style)) == (style, ())
    assert as_fields(style)["use"][AVOID] == ["simply"]
    assert as_fields(Style()) == {}


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"headings": "loud"}, "“headings” is “sentence” or “title”, not “loud”."),
        ({"longest step": "many"}, "“longest step” is a number of words from 1 to 9999, not “many”."),
        ({"colour": "red"}, "“colour” is no rule of a house style."),
        ({"words": ["x" * 101]}, "“words” is a list of words, each of 100 characters at most."),
        ({"use": ["a"]}, "“use” gives for the words to use those that they replace."),
        ({"spelling": ["en-GB"]}, "“spelling” is one value, no list."),
        ("sentence", "A house style is a mapping of rules."),
    ],
)
def test_what_is_no_rule_is_said_and_the_others_are_kept(fields: object, said: str) -> None:
    style, problems = read_style(fields if isinstance(fields, str) else {"titles": "title", **fields})  # type: ignore[dict-item]
    assert problems == (said,)
    assert style.titles == ("" if isinstance(fields, str) else "title")


@given(random_texts)
def test_every_flaw_stands_in_the_text_and_every_mend_can_be_made(text: str) -> None:
    style = Style("sentence", "title", ("Pump",), 3, 4, PREFERRED.preferred, "xx", ("x",))
    for flaw in _found(text, style):
        assert 0 <= flaw.span.start <= flaw.span.end <= len(text)
        for mend in flaw.mends:
            apply(text, mend.edits)
        if flaw.word:
            assert flaw.span.of(text) == flaw.word


@given(random_texts)
def test_the_words_of_a_passage_that_count_as_typed_stand_in_the_text(text: str) -> None:
    for passage in passages(_page(text)):
        assert "".join(passage.words[p.at : p.at + p.length] for p in passage.pieces) == passage.words
        for piece in passage.pieces:
            if piece.typed:
                assert piece.span.of(text) == passage.words[piece.at : piece.at + piece.length]


@pytest.mark.parametrize(
    ("words", "parted"),
    [
        ("Turn it off. Then wait. ", ["Turn it off.", "Then wait."]),
        ("Use e.g. the valve, approx. 3 mm, see Fig. 4. Wait 5.3 s.", None),
        ("“Is it?” he asked. (Yes.) Good!", ["“Is it?”", "he asked.", "(Yes.)", "Good!"]),
        ("Wait… then go", ["Wait… then go"]),
        ("", []),
    ],
)
def test_sentences_end_where_readers_see_them_end(words: str, parted: list[str] | None) -> None:
    found = [words[start:end] for start, end in sentences(words)]
    assert found == (
        parted or ["Use e.g. the valve, approx. 3 mm, see Fig. 4.", "Wait 5.3 s."] if words else []
    )
