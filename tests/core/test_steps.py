"""Of a text that has more parts than are laid out at once a whole number of blocks is laid out, and the rest is there
as typed: a view has a bound in counted steps, and nothing of a page is out of sight."""

from __future__ import annotations

import html
import re

import pytest

from mokuji.core.base.errors import BadText
from mokuji.core.html.html import NOT_LAID_OUT, Compiled, Open, bare, compile_page
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import check_page
from mokuji.core.model.references import Sections
from mokuji.core.model.wiki import MemoryWiki, Volume
from mokuji.core.syntax import steps
from mokuji.services.reading import rendering
from mokuji.services.reading.inserting import inserted

BLOCK = "## Head {n}\n\nSee [[Page {n}]], [[P#S|words {n}]], #mark{n}, [^src{n}] and @who{n}.\n\n- [ ] task {n}\n\n"


@pytest.fixture
def few(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(steps.measured, "__defaults__", (200,))


def _page(text: str) -> Page:
    return Page(PageHead(1, 1, "a", "A", 1), text)


def _whole(text: str) -> tuple[Compiled, str]:
    page = _page(text)
    wiki = MemoryWiki([Volume(1, "guide", "Guide")], [page])
    compiled = compile_page(page, b"key")
    needs = inserted(wiki, wiki.volumes["guide"], page)
    anchors = Sections.of(page, wiki.volumes).anchors()
    return compiled, rendering.render(b"key", page, compiled, anchors, needs, rendering.Addresses()).html


@pytest.mark.usefixtures("few")
def test_what_is_not_laid_out_stands_as_typed_and_says_why() -> None:
    compiled, shown = _whole("".join(BLOCK.replace("{n}", str(n)) for n in range(60)))
    laid_out, rest = shown.split(html.escape(NOT_LAID_OUT))
    heads = [int(n) for n in re.findall(r"<h2[^>]*>Head (\d+)</h2>", laid_out)]
    assert heads == list(range(len(heads))) and 3 < len(heads) < 40
    first = re.search(r"Head (\d+)", rest)
    assert first is not None and int(first[1]) in {len(heads), len(heads) - 1}
    for n in range(len(heads), 60):
        for typed in (f"## Head {n}", f"words {n}", f"#mark{n}", f"[^src{n}]", f"@who{n}", f"- [ ] task {n}"):
            assert typed in rest, typed
    assert sum(isinstance(piece, Open) for piece in compiled.pieces) < 2 * 60
    assert not re.search(r"q[0-9a-f]{6,}|\d+q", rest), "a stand-in is left"


@pytest.mark.usefixtures("few")
@pytest.mark.parametrize(
    "text",
    [
        "a[^n]\n\n" * 200 + "[^n]: the note",
        "[a]: /b\n\n" + "> [a] <b>c</b>\n\n" * 200,
        "<script>alert(1)</script>\n\n" * 200,
        "[[a]]" * 400,
        "> " * 500 + "a",
        "|a" * 50 + "|\n" + "|-" * 50 + "|\n" + "|b\n" * 50,
        "---\nslots:\n  s: x\n---\n" + "${s} [[a]]\n\n" * 200,
        "é日本 [[a]]\n\n" * 200,
    ],
)
def test_any_text_is_cut_between_blocks_and_safe(text: str) -> None:
    _, shown = _whole(text)
    assert html.escape(NOT_LAID_OUT) in shown
    assert "<script" not in shown
    for tag in ("p", "pre", "blockquote", "table", "ul", "div"):
        assert len(re.findall(rf"<{tag}[ >]", shown)) == shown.count(f"</{tag}>"), tag


def test_a_table_whose_short_rows_are_filled_up_is_not_half_a_million_cells() -> None:
    table = "|a" * 500 + "|\n" + "|-" * 500 + "|\n" + "|b\n" * 500
    compiled = compile_page(_page("Before.\n\n" + table), b"key")
    text = "".join(bare(piece) for piece in compiled.pieces)
    assert "<p>Before.</p>" in text and "<td" not in text and len(text) < 2 * len(table)


def test_ordinary_writing_of_the_largest_size_is_laid_out_whole() -> None:
    paragraph = "## Part\n\nA line of ordinary words with one [[Reference]] in it,\nand one more of *those* lines.\n\n"
    text = paragraph * (1_990_000 // len(paragraph))
    found, end = steps.measured(text, "")
    assert end == len(text) and len(found) <= steps.MOST


@pytest.mark.parametrize("line", ["# a\n", "[[a]]", "a\n=\n", "- a\n", "`a` "])
def test_a_page_with_more_parts_than_can_be_read_at_once_is_refused_with_what_to_do(line: str) -> None:
    with pytest.raises(BadText, match="Divide it into several pages"):
        check_page((line * (2_000_000 // len(line) + 1))[:2_000_000])


def test_the_largest_page_of_ordinary_writing_can_be_saved() -> None:
    paragraph = "## Part\n\nA line of ordinary words with one [[Reference]] in it,\nand one more of *those* lines.\n\n"
    check_page(paragraph * (1_990_000 // len(paragraph)))
