"""What is written as CommonMark is read again by markdown-it-py, which is not ours: it reads the same.

The published examples of CommonMark 0.31.2 are the HTML that is written (spec.txt, from npm's commonmark-spec 0.31.2);
those of raw HTML are left out, since what a page shows is clean HTML.
"""

from __future__ import annotations

import html
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml.html import fragment_fromstring, tostring
from markdown_it import MarkdownIt
from mdit_py_plugins.dollarmath import dollarmath_plugin
from mdit_py_plugins.footnote import footnote_plugin

from mokuji.core.html.writer import Writer
from mokuji.core.syntax.parser import events
from mokuji.formats.commonmark_out import commonmark
from tests.outside.test_commonmark import BARE, _examples

RAW_HTML = {*range(148, 192), 21, 31, 308, 309, 344, 475, 491, 524, 536, *range(613, 633), 642, 643}
"""Examples that hold HTML of their own, or comments of it."""
NOWHERE = {200, 485, 486, 487, 567}
"""Links that lead nowhere: their words stay."""
SHORTENED = {144, 196}
"""A language of code that is none, and a title of several lines, which becomes one of one line."""
_reader = MarkdownIt("commonmark").enable(["table", "strikethrough"])


def _normal(page: str) -> str:
    page = page.replace("<!-- -->", "")
    shown: str = tostring(fragment_fromstring(page, create_parent="div"), encoding="unicode")
    shown = shown.replace("</li>", "")  # which an empty item may lack
    shown = re.sub(r'(?:class="language-|data-language=")([^"]*)"', r'language="\1"', shown)
    shown = re.sub(r' style="text-align:(\w+)"', r' align="\1"', shown)
    shown = re.sub(r"\s+", " ", re.sub(r">\s+", ">", re.sub(r"\s+<", "<", shown)))
    # A line that breaks before its first word, or behind its last.
    made: str = re.sub(r"(<(?:p|li|h\d|td|th)>)(?:<br>)+|(?:<br>)+(?=</p>)", r"\1", shown)
    return made


def _with_languages(page: str) -> str:
    """The language of code as pages say it."""
    return re.sub(r'class="language-([^"]*)"', r'data-language="\1"', page)


def _there_and_back(page: str) -> str:
    read: str = _reader.render(commonmark(page))
    return read


def test_the_published_examples_are_written_so_that_they_read_the_same() -> None:
    wrong = []
    for number, _, page in _examples():
        if number in RAW_HTML | NOWHERE | SHORTENED:
            continue
        shown = _with_languages(page)
        if _normal(_there_and_back(shown)) != _normal(shown):
            wrong.append((number, page, commonmark(shown)))
    assert wrong == []


WORDS = st.text(
    st.one_of(
        st.sampled_from("*_`[]()<>#+-=~|!\\&;:.$^{}\"' \n01aé中—"),
        st.characters(blacklist_categories=("Cs", "Cc", "Zl", "Zp", "Zs", "Cf")),
    ),
    min_size=1,
    max_size=30,
).filter(lambda words: words.strip(" \n") != "")


def _text(page: str) -> str:
    words: str = fragment_fromstring(page, create_parent="div").text_content()
    return " ".join(words.split())


@given(WORDS)
def test_words_stay_words_wherever_they_stand(words: str) -> None:
    said = html.escape(words)
    line = html.escape(" ".join(words.split()))
    for page in (
        f"<p>{said}</p>",
        f"<h2>{line}</h2>",
        f"<ul><li>{said}</li>\n<li><p>{said}</p>\n<p>{said}</p></li></ul>",
        f'<ol start="7"><li>{said}</li></ol>',
        f"<blockquote><p>{said}</p></blockquote>",
        f"<p>a<em>{line}</em>b <strong>{line}</strong> <del>{line}</del></p>",
        f'<p><a href="x.md">{line}</a> and <img src="a.png" alt="{line}"></p>',
        f"<table><thead><tr><th>{line}</th></tr></thead>\n<tbody><tr><td>{line}</td></tr></tbody></table>",
    ):
        back = _there_and_back(page)
        assert _text(back) == _text(page), page
        marks = re.compile(r"<(?!/|br|p\b|em\b|strong\b|del\b|s\b)(\w+)")
        assert marks.findall(_normal(back)) == marks.findall(_normal(page)), page


@given(st.text(st.sampled_from("`*_ ab|\\\n<&"), max_size=20))
def test_code_stays_as_it_is(code: str) -> None:
    said = html.escape(code)
    block = f"<pre><code>{said}</code></pre>"
    read = fragment_fromstring(_there_and_back(block), create_parent="div").text_content()
    assert read.rstrip("\n") == code.rstrip("\n")
    line = " ".join(code.split())
    if line:
        for page in (
            f"<p>a <code>{html.escape(line)}</code> b</p>",
            f"<table><thead><tr><th>x</th></tr></thead><tbody><tr><td><code>{html.escape(line)}</code></td></tr></tbody></table>",
        ):
            assert f"<code>{html.escape(line)}</code>" in _there_and_back(page), page


TEXT = st.lists(
    st.sampled_from(
        [
            "*",
            "**",
            "_",
            "`",
            "word",
            " ",
            "\n",
            "\n\n",
            "- ",
            "1. ",
            "> ",
            "    ",
            "[a](b)",
            "~~",
            "# ",
            "|",
            "<b>",
            "\\",
            "é",
            '"',
        ]
    ),
    max_size=25,
).map("".join)


@given(TEXT)
def test_what_was_read_from_markdown_is_written_so_that_it_reads_the_same(typed: str) -> None:
    page = Writer(rules=BARE).write(list(events(typed, commonmark_only=True)))
    page = re.sub(r' class="language-[^"]*"', "", page)
    back, words = _text(_there_and_back(page)), _text(page)
    # Raw HTML may be open where a block ends, so that words stand in no block at all.
    assert back.replace(" ", "") == words.replace(" ", ""), (page, commonmark(page))
    if "<b>" not in typed:
        assert _normal(_there_and_back(page)) == _normal(page), commonmark(page)


def test_what_commonmark_has_no_signs_for_is_written_as_common_practice_has_it() -> None:
    page = (
        '<p>Held<sup class="note"><a id="note-1-from-1" href="#note-1">1</a></sup>, see '
        '<math display="inline"><semantics><mi>x</mi><annotation encoding="application/x-tex">x^2</annotation>'
        "</semantics></math> for $5 H<sub>2</sub>O.</p>"
        '<ul><li><input type="checkbox" disabled checked> done</li></ul>'
        '<table><thead><tr><th align="right">a</th></tr></thead><tbody><tr><td align="right">b|c</td></tr></tbody>'
        "</table>"
        '<div class="notes"><ol><li id="note-1"><p>Two <em>words</em>. <a class="back" href="#note-1-from-1">↑</a></p>'
        "<p>More.</p></li></ol></div>"
    )
    assert commonmark(page) == (
        "Held[^1], see $x^2$ for \\$5 H<sub>2</sub>O.\n\n- [x] done\n\n| a |\n| ---: |\n| b\\|c |\n\n"
        "[^1]: Two *words*.\n\n    More.\n"
    )
    reader = MarkdownIt("commonmark").enable("table").use(footnote_plugin).use(dollarmath_plugin)
    read = reader.render(commonmark(page))
    assert "<em>words</em>" in read and 'class="footnote-item"' in read and 'class="math inline"' in read
    assert "$5" in read and "<sub>2</sub>" in read


@pytest.mark.parametrize("deep", [30, 2_000])
def test_what_is_nested_deeply_is_written_all_the_same(deep: int) -> None:
    page = "<blockquote>" * deep + "<p>in here</p>" + "</blockquote>" * deep
    assert "in here" in commonmark(page)
