"""The note that is proposed for a change says what changed, and where."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.language.page import Page, PageHead
from mokuji.core.refactor.proposal import LONGEST, proposed_note

TEXT = """---
summary: Cells
---
Intro here.

## Limits

| a | b |
|---|---|
| volt | 24.0 V |

## Lamp

One. Two.
"""


def _note(before: str, after: str) -> str:
    head = PageHead(1, 1, "p", "P")
    return proposed_note(Page(head, before), Page(head, after), frozenset())


CASES = [
    (("24.0", "24.5"), "“24.0” is now “24.5” in “Limits”"),
    (("here.", "there."), "“here” is now “there”"),
    (("One. ", ""), "“One.” taken out in “Lamp”"),
    (("One. Two.", "One. And two more. Two."), "“And two more.” added in “Lamp”"),
    (("| volt | 24.0 V |\n", "| volt | 24.0 V |\n| amp | 3 |\n"), "1 row added in “Limits”"),
    (("One. Two.\n", "One. Two.\n\nNew.\n\nNewer.\n"), "2 lines added in “Lamp”"),
    (("Lamp", "Lamps"), "“Lamp” is now “Lamps”"),
    (("## Lamp\n\nOne. Two.\n", ""), "“Lamp” removed"),
    (("One. Two.\n", "One. Two.\n\n## A\n\n## B\n\n## C\n\n## D\n"), "“A”, “B”, “C” and 1 more added"),
    (("## Lamp", "### Lamp"), "“Lamp” on another level"),
    (("summary: Cells", "summary: All cells\ncategories: [Power]"), "Summary, categories changed"),
    (("\n\n## Lamp", "\n\n\n## Lamp"), "Only spaces and line ends"),
    (("", ""), ""),
]


@pytest.mark.parametrize(("change", "note"), CASES)
def test_a_change_is_said_in_words(change: tuple[str, str], note: str) -> None:
    assert _note(TEXT, TEXT.replace(*change) if change[0] else TEXT) == note


def test_several_changes_are_said_one_after_the_other() -> None:
    after = (
        TEXT.replace("Intro here.", "Another introduction.").replace("24.0 V", "another one") + "\n## New\n"
    )
    assert _note(TEXT, after) == "“New” added; introduction and “Limits” reworded"


def test_the_first_text_of_a_page_is_said_to_be_that() -> None:
    assert _note("", TEXT) == "First text"


_lines = st.lists(
    st.sampled_from(
        ["## A", "## B", "### C", "words", "| a | b |", "|---|---|", "", "---", "summary: x", "[[A]]"]
    ),
    max_size=9,
).map("\n".join)


@given(_lines, _lines)
def test_there_is_a_note_for_every_change_and_none_for_none(before: str, after: str) -> None:
    note = _note(before, after)
    assert bool(note) == (before != after)
    assert len(note) <= LONGEST and "\n" not in note
