"""Sources: read from a form, told in a line, found to be nearly the same; cited in texts."""

from __future__ import annotations

import calendar

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import apply
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import scan
from mokuji.core.model import sources
from mokuji.core.model.assets import Asset, renaming
from mokuji.core.model.sources import as_text, formatted, free_name, near, with_words, words_of
from tests.core.showing import shown_text

ITEM = {
    "type": "article-journal",
    "title": "Wear <of> chain",
    "author": [{"family": "Quist", "given": "Mirela"}, {"literal": "Sea trials"}],
    "container-title": "Buoys",
    "volume": "3",
    "issue": "2",
    "page": "1-9",
    "issued": {"date-parts": [[2021, 11, 5]]},
    "DOI": "10.1000/x",
    "URL": "https://e.org/a",
    "accessed": {"date-parts": [[2026, 5]]},
}


def test_a_source_reads_in_one_line_with_all_that_is_known() -> None:
    assert as_text(ITEM) == (
        "Quist, Mirela; Sea trials: “Wear <of> chain”. Buoys, 3(2), p. 1–9. 5 Nov 2021. doi: 10.1000/x. "
        "https://e.org/a (read May 2026)."
    )
    assert "<of>" not in formatted(ITEM) and "&lt;of&gt;" in formatted(ITEM)


def test_an_address_that_is_none_leads_nowhere() -> None:
    assert "href" not in formatted({"title": "x", "URL": "javascript:alert(1)"})


def test_a_form_changes_what_it_asks_for_and_keeps_the_rest() -> None:
    fields = {field: words_of(ITEM, field) for field in sources.FIELDS}
    assert with_words(ITEM, fields) == (dict(ITEM), {}), "a form that is sent back as it came changes nothing"
    made, wrong = with_words(ITEM, {**fields, "author": "Thole, Jonas\nHarbour Office", "issued": "2022-01"})
    assert not wrong
    assert made["author"] == [{"family": "Thole", "given": "Jonas"}, {"literal": "Harbour Office"}]
    assert made["issued"] == {"date-parts": [[2022, 1]]}
    assert made["volume"] == "3"


@pytest.mark.parametrize(
    ("typed", "read"),
    [
        ("10.1000/abc", {"DOI": "10.1000/abc"}),
        ("https://doi.org/10.1000/abc", {"DOI": "10.1000/abc"}),
        ("978-0-306-40615-7", {"ISBN": "978-0-306-40615-7"}),
        ("SR-21-04", {"number": "SR-21-04"}),
    ],
)
def test_an_identifier_is_what_it_looks_like(typed: str, read: dict[str, str]) -> None:
    made, _ = with_words({"title": "x"}, {"identifier": typed})
    assert {key: value for key, value in made.items() if key != "title"} == read
    assert words_of(made, "identifier") == read[next(iter(read))]


@pytest.mark.parametrize(
    ("field", "typed"), [("issued", "2021-13"), ("accessed", "2023-02-29"), ("URL", "e.org"), ("title", " ")]
)
def test_what_cannot_be_is_said_at_its_field(field: str, typed: str) -> None:
    _, wrong = with_words({"title": "x"}, {"title": "x", field: typed})
    assert set(wrong) == {field}


@given(st.dates())
def test_days_are_those_of_the_calendar(day: object) -> None:
    made, wrong = with_words({"title": "x"}, {"issued": str(day)})
    assert (not wrong and words_of(made, "issued") == str(day).lstrip("0")) or str(day) < "1000"


def test_months_have_their_days() -> None:
    for year in (1900, 2000, 2023, 2024):
        for month in range(1, 13):
            assert sources._days(year, month) == calendar.monthrange(year, month)[1]


def test_sources_that_may_be_one_are_found_with_the_reason() -> None:
    def item(title: str, year: int = 2018, **more: str) -> dict[str, object]:
        return {"title": title, "issued": {"date-parts": [[year]]}, **more}

    pairs = near(
        {
            "a": item("Gel batteries at sea: a handbook"),
            "b": item("Gel Batteries at Sea. A handbook"),
            "c": item("Gel batteries at sea: a handbook", 2019),
            "d": item("Something else", DOI="10.1000/X"),
            "e": item("Quite different", 2001, DOI="10.1000/x"),
            "f": item("Third", URL="https://e.org/a/"),
            "g": item("Fourth", URL="https://e.org/a"),
        }
    )
    assert [(p.one, p.other, p.reason) for p in pairs] == [
        ("a", "b", "nearly the same title in the same year"),
        ("d", "e", "the same DOI"),
        ("f", "g", "the same address"),
    ]


def test_a_source_without_a_name_gets_a_free_one() -> None:
    assert free_name(ITEM, ()) == "quist-2021"
    assert free_name(ITEM, ["Quist-2021", "quist-2021-2"]) == "quist-2021-3"
    assert free_name({"title": "Über die See"}, ()) == "uber"
    assert free_name({"title": "的"}, ()) == "source"


def test_a_source_is_cited_where_the_page_has_no_such_footnote() -> None:
    text = "ö[^s-one] [^own] `[^code]` \\[^not] **[^S-One]**\n\n[^own]: Mine.\n\n## Head [^head]\n"
    assert [(c.name, c.span.of(text)) for c in scan(text).cites] == [
        ("s-one", "[^s-one]"),
        ("S-One", "[^S-One]"),
    ]
    html = shown_text(text)
    assert html.count('href="#note-1"') == 2, "both lead to one entry"
    assert '<li id="note-1">Source s-one' in html and '<li id="note-2"><p>Mine.' in html


def test_a_place_in_a_source_is_shown_behind_its_number_and_stays_when_the_source_is_renamed() -> None:
    text = "One[^s-one, p. 5] two[^S-One] three[^a,b] four[^none,  ch. 2] [^x, [[P]]]\n"
    cites = scan(text).cites
    assert [(c.name, c.place) for c in cites] == [
        ("s-one", "p. 5"),
        ("S-One", ""),
        ("a,b", ""),
        ("none", "ch. 2"),
    ]
    html = shown_text(text)
    assert '#note-1">1</a></sup><sup class="cited-at">, p. 5</sup> two<sup' in html
    page = Page(PageHead(1, 1, "p", "P"), text)
    edits = renaming(page, Asset("source", 1, 0, "none"), "other")
    assert apply(text, edits) == text.replace("[^none,", "[^other,")


def test_a_source_that_is_not_in_the_list_is_shown_as_typed() -> None:
    assert ">[^none]</span>" in shown_text("So[^none].")


def test_people_are_named_where_a_word_begins() -> None:
    text = "Ask @wenna, (@Jonas) or a@b.org `@code` [@link](x) [[P]]@no @x[[P]]."
    assert [h.name for h in scan(text).handles] == ["wenna", "Jonas", "x"]
    assert "<@wenna>, (<@Jonas>)" in shown_text(text)
