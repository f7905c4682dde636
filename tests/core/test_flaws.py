"""Flaws of structure: what is found where, and that the mend puts it right."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mokuji.core.base.edits import apply
from mokuji.core.language.page import Page, PageHead
from mokuji.core.style.flaws import Flaw, flaws


def _found(text: str) -> list[Flaw]:
    return flaws(Page(PageHead(1, 1, "p", "P"), text))


CASES = [
    ("heading_first_level", "# One\n\nx", "# One", "## One\n\nx"),
    ("heading_first_level", "One\n===\n", "One", None),
    ("heading_skips", "## A\n\n#### B #### {#b}\n", "#### B #### {#b}", "## A\n\n### B #### {#b}\n"),
    ("heading_skips", "---\nsummary: x\n---\n### A\n", "### A", "---\nsummary: x\n---\n## A\n"),
    ("row_short", "| a | b |\n|---|---|\n| é |\n", "| é |", "| a | b |\n|---|---|\n| é | |\n"),
    (
        "row_short",
        "a | b | c\n--|---|--\n[[x|y]]\n\nz",
        "[[x|y]]",
        "a | b | c\n--|---|--\n[[x|y]] | | |\n\nz",
    ),
    ("row_long", "> | a |\n> |---|\n> | 1 | 2 |\n", "> | 1 | 2 |", None),
    ("image_bare", "x ![](wiring.svg) y", "![](wiring.svg)", None),
    ("fence_unclosed", "- x\n  ```sh\n  ls\n", "```sh", "- x\n  ```sh\n  ls\n  ```\n"),
    ("fence_unclosed", "~~~~\n~~~", "~~~~", "~~~~\n~~~\n~~~~\n"),
    ("word_twice", "Open the the lid", "the the", "Open the lid"),
    ("word_twice", "Set it\n\n> it", "", None),
    ("word_twice", "Set 3it\nit", "", None),
    ("word_twice", "_it it_", "it it", "_it_"),
    ("word_twice", "> Set é it\n> it down", "it\n> it", "> Set é it down"),
    ("list_starts", "2. é\n3. b\n", "2.", "1. é\n3. b\n"),
    ("list_starts", "1. a\n\n   4) b\n", "4)", "1. a\n\n   1) b\n"),
    ("list_starts", "1. a\n2. b\n\n![x](y.svg)\n\n3. c\n", "", None),
    ("list_starts", "1. a\n\n## B\n\n2. c\n", "2.", "1. a\n\n## B\n\n1. c\n"),
    (
        "list_letters",
        "é\n\na. one [[x|y]]\nb. two\n",
        "a. one [[x|y]]\nb. two",
        "é\n\n1. one [[x|y]]\n2. two\n",
    ),
    ("list_letters", "a. one\nand more\n", "", None),
    ("part_unclosed", "<!-- part -->\nx", "<!-- part -->\n", "<!-- part -->\nx\n<!-- /part -->\n"),
]


@pytest.mark.parametrize(
    ("code", "text", "at", "mended"), CASES, ids=[f"{c[0]} {n}" for n, c in enumerate(CASES)]
)
def test_a_flaw_is_found_in_its_place_and_mended(code: str, text: str, at: str, mended: str | None) -> None:
    found = [flaw for flaw in _found(text) if flaw.code == code]
    if not at:
        assert found == []
        return
    (flaw,) = found
    assert flaw.span.of(text) == at
    assert (apply(text, flaw.mend.edits) if flaw.mend else None) == mended
    if mended is not None:
        assert code not in {each.code for each in _found(mended)}


@pytest.mark.parametrize(
    "text",
    [
        "## A\n\n### B\n\n## C\n",
        "| a | `x\\|y` |\n|---|---|\n| [[a|b]] | \\| |\n",
        "![A lid](x.svg) ![`c`](y.svg)",
        "```\nthe the\n```\n",
        "`the the` and [[Pump]] [[Pump]]",
        "He said that that had had an end",
        "    ```\n    code\n",
        "$$ a a $$",
        "```\n```",
    ],
)
def test_what_is_as_it_should_be_is_no_flaw(text: str) -> None:
    assert _found(text) == []


@given(
    st.lists(
        st.sampled_from(
            [
                "# ",
                "#### ",
                "| a ",
                "|",
                "\n",
                "|---|---|\n",
                "```",
                "~~~",
                "- ",
                "> ",
                "the ",
                "é ",
                "![](x)",
                "[[P|q]]",
                "${s}",
            ]
        ),
        max_size=25,
    ).map("".join)
)
def test_any_text_is_looked_through_and_every_mend_is_of_its_text(text: str) -> None:
    for flaw in _found(text):
        assert 0 <= flaw.span.start <= flaw.span.end <= len(text)
        if flaw.mend is not None:
            after = apply(text, flaw.mend.edits)
            assert after != text
            before = [each.code for each in _found(text)]
            # One flaw less of this kind, whatever it may uncover.
            assert [each.code for each in _found(after)].count(flaw.code) <= before.count(flaw.code)
