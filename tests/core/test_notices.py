"""A paragraph or quotation that begins with a signal word in bold is a notice; nothing else is.

The English words are the signal words of ANSI Z535.6 and note types of DITA 1.3 (``note/@type``); those of other
languages are common practice, written down from memory.
"""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import BadName
from mokuji.core.base.names import check_language
from mokuji.core.html.notices import GRADES, SIGNALS, grade
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import MemoryWiki, Volume
from tests.core.showing import shown


def _html(text: str, language: str = "") -> str:
    page = Page(PageHead(1, 1, "a", "A", 1), text)
    return shown(MemoryWiki([Volume(1, "guide", "Guide", language=language)], [page]), page).html


@pytest.mark.parametrize("word", GRADES)
def test_the_english_words_hold_everywhere_in_any_capitals(word: str) -> None:
    for typed in (word, word.title(), word.upper()):
        for language in ("", "en-GB", "de"):
            assert _html(f"**{typed}** Stand back.", language).startswith(
                f"<p:{word}><strong>{typed}</strong>"
            )


@pytest.mark.parametrize(
    ("text", "html"),
    [
        ("**Warning:** Hot.", "<p:warning><strong>Warning:</strong> Hot.</p>\n"),
        ("**WARNING!** Hot.", "<p:warning><strong>WARNING!</strong> Hot.</p>\n"),
        ("__Note__ Cold.", "<p:note><strong>Note</strong> Cold.</p>\n"),
        (
            "> **Danger** [[Pump]].\n>\n> More.",
            "<blockquote:danger><p><strong>Danger</strong> <R0:[[Pump]]>.</p>\n<p>More.</p>\n</blockquote>\n",
        ),
        ("- a\n\n  **Tip** b", "<ul>\n<li><p>a</p>\n<p:tip><strong>Tip</strong> b</p>\n</li>\n</ul>\n"),
        (
            "> Quoted.\n>\n> **Note** b",
            "<blockquote>\n<p>Quoted.</p>\n<p:note><strong>Note</strong> b</p>\n</blockquote>\n",
        ),
        ("Warning Hot.", "<p>Warning Hot.</p>\n"),
        ("*Warning* Hot.", "<p><em>Warning</em> Hot.</p>\n"),
        ("See: **Warning** Hot.", "<p>See: <strong>Warning</strong> Hot.</p>\n"),
        ("**Warning signs** hang here.", "<p><strong>Warning signs</strong> hang here.</p>\n"),
        ("**Warning *a*** b", "<p><strong>Warning <em>a</em></strong> b</p>\n"),
        ("**Gefahr** Heiß.", "<p><strong>Gefahr</strong> Heiß.</p>\n"),
    ],
)
def test_what_begins_with_a_signal_word_in_bold_is_a_notice(text: str, html: str) -> None:
    assert _html(text) == html


@pytest.mark.parametrize(
    ("language", "typed", "said"),
    [
        ("de", "GEFAHR", "danger"),
        ("de-AT", "Achtung!", "attention"),
        ("fr-CA", "Avertissement :", "warning"),
        ("fr", "Attention", "caution"),
        ("en", "Attention", "attention"),
        ("ja", "警告", "warning"),
        ("zh-Hant", "危險", "danger"),
        ("nn", "Advarsel", "warning"),
        ("pt-BR", "Perigo", "danger"),
    ],
)
def test_words_of_the_volume_s_language_begin_notices_too(language: str, typed: str, said: str) -> None:
    assert _html(f"> **{typed}** …", language).startswith(f"<blockquote:{said}>")


def test_each_language_has_each_word_once_and_folded() -> None:
    for language, words in SIGNALS.items():
        assert check_language(language) == language
        for word, said in words.items():
            assert word == word.casefold() and said in GRADES and grade(word, language) == said
            assert _html(f"**{word}** x", language).startswith(f"<p:{said}>")


def test_a_notice_in_a_template_is_one_where_it_is_put_in() -> None:
    template = Page(PageHead(2, 1, "t", "T", 1), "---\nslots:\n  word: x\n---\n> **${word}** Stand back.")
    page = Page(PageHead(1, 1, "a", "A", 1), "[[=T | Danger]]\n\n[[=T | Hold]]")
    html = shown(MemoryWiki([Volume(1, "guide", "Guide")], [page, template]), page).html
    assert html.count("<blockquote:danger>") == 1 and html.count("<blockquote>") == 1


@pytest.mark.parametrize("deep", [1, 39, 60])
def test_a_notice_deep_in_lists_breaks_nothing(deep: int) -> None:
    html = _html("- " * deep + "a\n\n" + "  " * deep + "**Danger** b")
    assert "q" not in html.replace("blockquote", "") and html.count("<ul>") == html.count("</ul>")


@pytest.mark.parametrize(
    ("typed", "kept"),
    [("de", "de"), (" EN-gb ", "en-GB"), ("zh-hant-tw", "zh-Hant-TW"), ("sl-rozaj-biske", "sl-rozaj-biske"),
     ("de-1996", "de-1996"), ("es-419", "es-419"), ("", "")],
)  # fmt: skip
def test_a_language_is_kept_as_rfc_5646_writes_it(typed: str, kept: str) -> None:
    """RFC 5646, 2.1.1 (capitals) and appendix A (examples of tags)."""
    assert check_language(typed) == kept


@pytest.mark.parametrize("typed", ["german", "d", "de_DE", "de-", "a-DE", "de-419-DE", "<b>", "de\nfr", "ä"])
def test_what_is_no_tag_of_a_language_is_refused_with_examples(typed: str) -> None:
    with pytest.raises(BadName, match="en-GB"):
        check_language(typed)
