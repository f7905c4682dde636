"""What a reference leads to: titles, aliases, volumes, libraries, sections."""

from __future__ import annotations

import pytest

from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import By, Resolution, Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.syntax.reference import Kind, Reference, read
from tests.wikis import wiki_of


def _resolve(wiki: MemoryWiki, typed: str, volume: int = 1) -> Resolution:
    reference = read(typed, 0)
    assert isinstance(reference, Reference) and reference.name is not None
    home = volumes_by_id(wiki)[volume]
    resolver = Resolver.of(wiki, [(home, reference)])
    return resolver.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)


def _page(wiki: MemoryWiki, typed: str, volume: int = 1) -> str | None:
    head = _resolve(wiki, typed, volume).page
    return head.title if head else None


WIKI = wiki_of(
    {
        "Guide": {
            "Pump": "---\naliases: [Bilge, Well]\n---\n",
            "Well": "",
            "Data/Limits": "",
            "Zebra": "---\naliases: [Bilge]\n---\n",
        },
        "Data": {"Limits": "---\naliases: [Bounds]\n---\n", "Sheet": "", "Notice": ""},
        "Öl & Gas": {"Pump": ""},
    },
    {"Guide": ["Data"]},
)


@pytest.mark.parametrize(
    ("typed", "page"),
    [
        ("[[pump]]", "Pump"),
        ("[[Bilge]]", "Pump"),  # of two pages with one alias the first by key counts
        ("[[Well]]", "Well"),  # a title goes before an alias
        ("[[Data/Limits]]", "Data/Limits"),  # a title of this volume goes before another volume
        ("[[/Data/Limits]]", "Limits"),
        ("[[data / bounds]]", "Limits"),
        ("[[Data/Sheet]]", "Sheet"),
        ("[[Data\\/Sheet]]", None),
        ("[[öl & gas/PUMP]]", "Pump"),
        ("[[Sheet]]", None),
        ("[[=Notice]]", "Notice"),  # an insert looks in the libraries
        ("[[Notice]]", None),  # a link does not
    ],
)
def test_names_are_looked_up_in_this_order(typed: str, page: str | None) -> None:
    assert _page(WIKI, typed) == page


def test_an_alias_says_that_it_was_one() -> None:
    assert _resolve(WIKI, "[[Bilge]]").by is By.ALIAS
    assert _resolve(WIKI, "[[Pump]]").by is By.TITLE


@pytest.mark.parametrize(
    ("typed", "place"),
    [
        ("[[New page]]", (1, "new page")),
        ("[[Data/New]]", (2, "new")),
        ("[[/Data/New]]", (2, "new")),
        ("[[Data\\/New]]", (1, "data/new")),
        ("[[Nowhere/New]]", (1, "nowhere/new")),
        ("[[/Nowhere/New]]", (0, "nowhere/new")),
    ],
)
def test_an_unwritten_name_has_a_place_where_it_would_be_written(typed: str, place: tuple[int, str]) -> None:
    resolution = _resolve(WIKI, typed)
    assert not resolution.written
    assert resolution.place == place


def _sections(text: str) -> Sections:
    return Sections.of(Page(PageHead(1, 1, "p", "P"), text), ["guide"])


@pytest.mark.parametrize(
    ("section", "index"),
    [
        ("Limits", 1),
        ("limits", 1),
        ("LIMITS", 1),
        ("Fix", 0),
        ("fixed", 0),
        ("Fixed", 0),
        ("See the pump", 2),
        ("See Pump", None),
        ("Missing", None),
    ],
)
def test_a_section_is_an_identifier_first_then_the_words_of_a_heading(
    section: str, index: int | None
) -> None:
    text = "## Fix {#fixed}\n\n## Limits\n\n### See [[Pump|the pump]]\n\n## Limits\n"
    assert _sections(text).find(section) == index


def test_an_identifier_goes_before_words_wherever_it_stands() -> None:
    assert _sections("## limits\n\n## Other {#limits}\n").find("limits") == 1


def test_a_reference_in_a_heading_counts_as_what_it_shows() -> None:
    text = "## [[Guide/Pump]] and [[Pump#Limits]]\n"
    assert _sections(text).keys == ("pump and pump § limits",)


def test_all_anchors_differ_and_the_first_of_equals_has_the_plain_one() -> None:
    text = "## Limits\n\n## Limits\n\n## Limits-2\n\n## *!*\n\n## Open it {#open}\n"
    anchors = _sections(text).anchors()
    assert anchors[:2] == ("limits", "limits-2")
    assert anchors[-1] == "open"
    assert len(set(anchors)) == len(anchors)


@pytest.mark.parametrize(
    ("text", "words", "level"),
    [
        ("## Plain", "Plain", 2),
        ("## *Em* and `code` {#x}", "Em and code", 2),
        ("Two\nlines\n---", "Two lines", 2),
        ("> ### In a quote", "In a quote", 3),
        ("## Tail ##", "Tail", 2),
        ("# First", "First", 1),
    ],
)
def test_headings_are_read_as_they_are_shown(text: str, words: str, level: int) -> None:
    (heading,) = Page(PageHead(1, 1, "p", "P"), text).content.headings
    assert "".join(part for part in heading.parts if isinstance(part, str)) == words
    assert heading.level == level


def test_a_first_level_heading_is_a_problem() -> None:
    page = Page(PageHead(1, 1, "p", "P"), "# First")
    assert [problem.code for problem in page.content.problems] == ["heading_first_level"]
