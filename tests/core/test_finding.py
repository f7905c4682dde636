"""The words of a text as they are found, what a line asks for, and which sentences answer it."""

from __future__ import annotations

import unicodedata
from datetime import date
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.finding import near, picking, told
from mokuji.core.finding.question import All, Either, Fact, Question, Without, Words, quoted, read
from mokuji.core.finding.terms import fold, folded_name, runs
from mokuji.core.finding.vector import PageTerms
from mokuji.core.language.page import Page, PageHead


def _page(text: str) -> Page:
    return Page(PageHead(1, 1, "pump", "Pump"), text)


def _forms(text: str) -> list[list[str]]:
    return [[term.plain for term in run.terms] for run in runs(text)]


@pytest.mark.parametrize(
    ("typed", "terms"),
    [
        ("café Straße naïve Ærø Łódź", [["cafe"], ["strasse"], ["naive"], ["aero"], ["lodz"]]),
        ("cafe\u0301 Ölfilter\u00adwechsel", [["cafe"], ["olfilterwechsel"]]),
        ("K-GA-0131", [["k", "ga", "0131"]]),
        ("C++ C# C", [["c++"], ["c#"], ["c"]]),
        ("24.0 V 24,0V 2.1.3", [["24.0"], ["v"], ["24.0", "v"], ["2.1.3"]]),
        ("E1042 ERR_CONN maxDepth", [["e", "1042"], ["err", "conn"], ["max", "depth"]]),
        ("src/pump.py", [["src", "pump", "py"]]),
        ("水泵过滤", [["水泵", "泵过", "过滤", "滤"]]),
        ("フィルター", [["フィ", "ィル", "ルタ", "ター", "ー"]]),
        ("die 水泵 dort", [["die"], ["水泵", "泵"], ["dort"]]),
        ("हिन्दी", [["हिन्दी"]]),
        ("... — !", []),
    ],
)
def test_words_are_found_however_they_are_typed(typed: str, terms: list[list[str]]) -> None:
    assert _forms(typed) == terms


def test_what_stands_together_is_one_word_too() -> None:
    assert [run.whole for run in runs("e-mail K-GA-0131 maxDepth one")] == [
        "email",
        "kga0131",
        "maxdepth",
        "",
    ]


def test_umlauts_are_found_spelt_out_too() -> None:
    (run,) = runs("Öl")
    assert run.terms[0].forms == ("ol", "oe" + "l")


@given(st.text(max_size=60))
def test_every_run_stands_where_it_says_and_folding_twice_changes_nothing(text: str) -> None:
    found = list(runs(text))
    assert all(0 <= one.end <= other.start for one, other in pairwise(found))
    for run in found:
        assert text[run.start : run.end].strip() == text[run.start : run.end]
        assert all(fold(term.plain) == term.plain for term in run.terms)


@given(st.text(alphabet=st.characters(max_codepoint=0x24F, categories=["L", "N", "Zs"]), max_size=30))
def test_composed_and_decomposed_letters_are_the_same_words(text: str) -> None:
    assert _forms(unicodedata.normalize("NFC", text)) == _forms(unicodedata.normalize("NFD", text))


def test_names_are_compared_without_signs_accents_and_capitals() -> None:
    assert folded_name("That's a Café!") == folded_name("that s a cafe") == "that s a cafe"
    assert folded_name("C++") == "c++" != folded_name("C#") != folded_name("C")
    assert folded_name("?") == "?"


TEXT = """---
aliases: [Bilge pump]
status: draft
---

Before, see [[Battery well|the well]] and [[Guide/Seal]].

## Limits {#limits}

| Value | Limit |
|---|---|
| Voltage | 24.0 V |

The `pump.start()` call, ![a section](a.png) and [a site](https://example.org/x) [^gale].

```python
run(pump)
```

<!-- a remark -->

[[=Callout | text: Mind *the* gap]]
"""


def test_a_page_is_told_line_by_line_as_its_readers_see_it() -> None:
    lines = told.told(_page(TEXT), {"guide"})
    assert [(line.sort, line.anchor, line.words) for line in lines] == [
        ("f", "", "status: draft"),
        ("t", "", "Before, see the well and Seal."),
        ("h", "limits", "Limits"),
        ("t", "limits", "Value · Limit"),
        ("t", "limits", "Voltage · 24.0 V"),
        ("a", "limits", "https://example.org/x"),
        ("t", "limits", "The \x0epump.start()\x0f call, a section and a site ."),
        ("c", "limits", "run(pump)"),
        ("c", "limits", "a remark"),
        ("t", "limits", "Mind the gap"),
    ]
    assert list(told.read_kept(told.kept(lines))) == lines


@given(st.text(max_size=200))
def test_whatever_a_text_holds_its_lines_are_kept_as_they_are(text: str) -> None:
    if any(0xD800 <= ord(sign) < 0xE000 or sign == "\x00" for sign in text):
        return
    lines = told.told(_page(text))
    assert list(told.read_kept(told.kept(lines))) == lines


def test_terms_have_the_weight_of_their_place() -> None:
    lines = told.told(_page("## Seal\n\nA rope with `knot` in it.\n"))
    vector = PageTerms("Pump", ["Bilge"], lines).vectors({"rope": "rop"})[0]
    weights = {term.split(":")[0]: term[-1] for term in vector.split()}
    assert weights["'pump'"] == weights["'bilge'"] == "A"
    assert (weights["'seal'"], weights["'rope'"], weights["'rop'"], weights["'knot'"]) == ("B", "C", "C", "D")


def test_a_page_of_more_words_than_an_index_takes_is_found_by_the_first() -> None:
    many = " ".join(f"w{number}x" for number in range(60_000))
    vector = PageTerms("Pump", [], told.told(_page(many))).vectors({})[0]
    assert "'0'" in vector and len(vector) < 4_000_000


def _asked(typed: str) -> object:
    """A question in short."""

    def short(part: object) -> object:
        match part:
            case Words():
                sign = '"' if part.exact else ""
                return f"{part.place}{':' if part.place else ''}{sign}{part.typed}{sign}"
            case Fact():
                return (part.name, part.value)
            case Without():
                return ("not", short(part.part))
            case All():
                return [short(each) for each in part.parts]
            case Either():
                return {"either": [short(each) for each in part.parts]}
        return None

    question = read(typed)
    assert not question.problem, question.problem
    return short(question.part)


@pytest.mark.parametrize(
    ("typed", "asked"),
    [
        ("pump seal", ["pump", "seal"]),
        ("pump or seal ring", {"either": ["pump", ["seal", "ring"]]}),
        ("(pump OR seal) -ring", [{"either": ["pump", "seal"]}, ("not", "ring")]),
        ('“oil filter” -"old one"', ['"oil filter"', ("not", '"old one"')]),
        ("title:pump code:init* -title:old", ["title:pump", "code:init*", ("not", "title:old")]),
        (
            'category:"Oil filters" by:@wenna field:status=draft',
            [("category", "Oil filters"), ("by", "wenna"), ("field", "status=draft")],
        ),
        ("error:42 12:30", ["error:42", "12:30"]),
        ("f(x) or", None),
        ("K-GA-0131 − –x", ["K-GA-0131", ("not", "x")]),
        ("", None),
    ],
)
def test_a_line_asks_for_what_it_says(typed: str, asked: object) -> None:
    if typed == "f(x) or":
        assert "or" in read(typed).problem
    else:
        assert _asked(typed) == asked


@pytest.mark.parametrize(
    "typed",
    [
        '"pump',
        "(pump",
        "pump or",
        "title: pump",
        "changed:soon",
        "changed:2026-13",
        "(" * 9 + "a",
    ],
)
def test_what_does_not_parse_is_plain_words_and_says_why(typed: str) -> None:
    question = read(typed)
    assert question.problem.endswith(".") and question.part is not None
    assert all(isinstance(each, Words) for each in question.words())


@given(st.text(alphabet='ab "()-:or.*', max_size=40))
def test_any_line_is_read(typed: str) -> None:
    question = read(typed)
    assert isinstance(question, Question)
    assert question.part is not None or not any(runs(typed)) or not question.problem


@pytest.mark.parametrize(
    ("said", "since", "until"),
    [
        ("2026", date(2026, 1, 1), date(2027, 1, 1)),
        ("2026-12", date(2026, 12, 1), date(2027, 1, 1)),
        ("2026-02-28", date(2026, 2, 28), date(2026, 3, 1)),
        ("2026-01..2026-03", date(2026, 1, 1), date(2026, 4, 1)),
        ("2026-11..", date(2026, 11, 1), None),
        ("..2025", None, date(2026, 1, 1)),
    ],
)
def test_days_are_said_as_a_span(said: str, since: date | None, until: date | None) -> None:
    part = read(f"changed:{said}").part
    assert isinstance(part, Fact) and (part.since, part.until) == (since, until)


@given(
    st.text(min_size=1, max_size=20).filter(lambda said: '"' not in said and " ".join(said.split()) == said)
)
def test_a_value_that_is_quoted_is_read_as_itself(value: str) -> None:
    if set("“”„«»\x00") & set(value) or value != value.lstrip("@"):
        return
    part = read(f"category:{quoted(value)}").part
    assert part == Fact("category", value)


def _quotes(text: str, typed: str, stems: dict[str, str] | None = None) -> list[tuple[str, list[str]]]:
    known = stems or {}
    wanted = [
        picking.wanted_of(
            words,
            {
                term: [*term.forms, *filter(None, [known.get(term.word)])]
                for run in words.runs
                for term in run.terms
            },
            [run.whole for run in words.runs if run.whole],
        )
        for words in read(typed).words()
    ]
    found = picking.candidates(told.told(_page(text)), wanted)
    return [
        ("".join(piece.words for piece in each.pieces), [p.words for p in each.pieces if p.marked])
        for each in picking.quote(found, wanted, known)
    ]


def test_the_sentence_that_holds_most_of_the_words_is_quoted_first() -> None:
    text = "The pump is red.\n\nA seal.\n\nThe pump has a seal.\n"
    assert _quotes(text, "pump seal")[0] == ("The pump has a seal.", ["pump", "seal"])
    assert _quotes("Batteries are heavy.", "battery", {"battery": "batteri", "batteries": "batteri"}) == [
        ("Batteries are heavy.", ["Batteries"])
    ]


@pytest.mark.parametrize(
    ("text", "typed", "lit"),
    [
        ("See K-GA-0131 there.", "0131", ["0131"]),
        ("See K-GA-0131 there.", "GA-0131", ["GA-0131"]),
        ("Ein Ölfilter.", "olfilter", ["Ölfilter"]),
        ("更换水泵过滤器。", "水泵", ["水泵"]),
        ("At 24.0 V.", "24", ["24.0"]),
        ("Calibrating it.", "calib*", ["Calibrating"]),
        ("oil pump, oil filter", '"oil filter"', ["oil filter"]),
        ("Use `pump.start()`.", "start", ["start"]),
    ],
)
def test_what_was_asked_for_is_lit_and_nothing_else(text: str, typed: str, lit: list[str]) -> None:
    ((_, marked),) = _quotes(text, typed)
    assert "".join(marked).replace(" ", "") == "".join(lit).replace(" ", "")


def test_a_sentence_is_quoted_with_the_heading_over_it() -> None:
    wanted = [
        picking.wanted_of(words, {t: t.forms for r in words.runs for t in r.terms})
        for words in read("rope").words()
    ]
    lines = told.told(_page("Rope one.\n\n## On `deck`\n\nRope two.\n"))
    quoted = picking.quote(picking.candidates(lines, wanted), wanted, {})
    assert [(each.anchor, each.section) for each in quoted] == [("", ""), ("on-deck", "On deck")]


def test_a_long_line_is_quoted_around_what_was_asked_for() -> None:
    text = "word " * 300 + "needle " + "word " * 300
    ((said, marked),) = _quotes(text, "needle")
    assert marked == ["needle"] and said.startswith("… ") and said.endswith(" …") and len(said) < 300


def test_one_slip_away_is_all_that_one_slip_makes() -> None:
    away = near.one_slip_away("seal")
    assert {"sea", "seals", "seat", "sael", "eal", "xseal"} <= away
    assert "seal" not in away and all(near.slips("seal", each, 1) == 1 for each in away)


def test_a_letter_left_out_is_likelier_than_one_too_many() -> None:
    assert near.nearest("wel", ["well", "we", "gel", "wheel"]) == ["well"]
    assert near.nearest("baattery", ["battery", "batteries"]) == ["battery"]
    assert near.nearest("xy", ["xyz"]) == []


def test_a_compound_is_made_of_words() -> None:
    found = near.longer("wechsel", ["ölwechsel", "wechsel", "wechselstrom", "auswechselbar", "wechsels"])
    known = {"öl", "strom"}
    assert [each.word for each in found if each.is_compound(known)] == ["ölwechsel", "wechselstrom"]
