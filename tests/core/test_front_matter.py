"""The YAML at the head of a page: read as typed, and never in the way of saving."""

from __future__ import annotations

import pytest

from mokuji.core.language.page import Page, PageHead
from mokuji.core.syntax import front_matter


def _read(text: str) -> front_matter.FrontMatter:
    return front_matter.read(text)


@pytest.mark.parametrize("end", ["\n", "\r\n", "\r"])
@pytest.mark.parametrize("bom", ["", "\ufeff"])
@pytest.mark.parametrize("fence", ["---", "..."])
def test_it_is_found_whatever_the_line_ends_are(end: str, bom: str, fence: str) -> None:
    text = f"{bom}---{end}summary: a pump{end}{fence}{end}Text"
    matter = _read(text)
    assert text[matter.span.end :] == "Text"
    assert matter.words("summary") == "a pump"


@pytest.mark.parametrize(
    "text", ["", "---", "--- no\na: b\n---\n", " ---\na: b\n---\n", "text\n---\na: b\n---\n", "---\na: b\n"]
)
def test_without_both_fences_there_is_none(text: str) -> None:
    assert _read(text).span == (0, 0)
    assert _read(text).fields == {}


def test_names_are_read_as_typed_never_as_dates_numbers_or_truth_values() -> None:
    matter = _read("---\naliases: [2027-01-01, no, 1.50, ~, 0x1F]\n---\n")
    assert matter.names("aliases") == ("2027-01-01", "no", "1.50", "~", "0x1F")


def test_one_name_alone_is_a_list_of_one() -> None:
    assert _read("---\naliases: well lid\n---\n").names("aliases") == ("well lid",)


@pytest.mark.parametrize(
    ("yaml", "code"),
    [
        ("a: [1, 2", "front_matter_broken"),
        ("\tx: 1", "front_matter_broken"),
        ("a: &x 1\nb: *x", "front_matter_broken"),
        ("- a\n- b", "front_matter_no_mapping"),
        ("[" * 50 + "]" * 50, "front_matter_broken"),
        ("a: " + "x" * 70_000, "front_matter_large"),
    ],
)
def test_what_cannot_be_read_is_a_problem_and_the_page_stays(yaml: str, code: str) -> None:
    text = f"---\n{yaml}\n---\nText [[Pump]]"
    page = Page(PageHead(1, 1, "p", "P"), text)
    assert [problem.code for problem in page.content.problems] == [code]
    assert len(page.content.references) == 1


def test_the_alias_keys_of_a_page_are_those_that_can_be_keys_each_once() -> None:
    page = Page(PageHead(1, 1, "p", "P"), "---\naliases: [Well lid, well-lid, '..', '']\n---\n")
    assert page.alias_keys == ("well lid",)
