"""Pages of HTML, saved from a browser or out of a folder of a site, and tables as CSV, made into Markdown.

What is read is the text and nothing around it: no navigation, script or form. HTML is read by lxml as browsers do, and
written as Markdown by markdownify; where that leaves something open that means something in a page here, it is escaped.
"""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections import Counter
from collections.abc import Iterable
from typing import Any

from bs4 import BeautifulSoup, Tag
from lxml.html import HTMLParser, document_fromstring
from markdownify import MarkdownConverter

from mokuji.core.base.errors import BadFile

MOST_ROWS, MOST_COLUMNS = 5_000, 50
"""Of a table; what has more is no page to be read."""
_AROUND = (
    "script style nav header footer aside form noscript template iframe object embed svg button input select"
).split()
_LANGUAGE = re.compile(r"(?:language|lang)-([\w+#.-]+)")
_MEANS = re.compile(r"\[(?=\[)|\](?=[\[(:])|(?<![\w&])[#@](?=\w)|\$")
_ID = re.compile(r"[A-Za-z][\w.:-]*")
_HEADINGS = ["h1", "h2", "h3", "h4", "h5", "h6"]
_PARTS = ("ul", "ol", "table", "dl", "div", "section")
_LINKED = 0.8
"""Part of the characters of navigation that are links, at least."""
_LONGEST_LINKS = 20_000
_PAGES_OF_A_SITE = 3
"""From so many pages on that have the same part it is navigation, if they are half of all."""
_NO_BAR = re.compile(r"(?<!\\)\|")
_NO_SLUG = re.compile(r"[^\w\- ]")


class _Converter(MarkdownConverter):
    """Writes what means something in a page here as words."""

    def escape(self, text: str, parent_tags: Any) -> str:
        escaped = str(super().escape(text, parent_tags))  # type: ignore[misc]
        return _MEANS.sub(lambda found: f"\\{found[0]}", escaped)

    def convert_a(self, el: Tag, text: str, parent_tags: Any) -> str:
        href = str(el.get("href") or "")
        words = " ".join(text.split())
        if words.startswith("["):
            words = f"\\{words}"  # two brackets would begin a reference
        return f"[{words}]({_destination(href)})" if href and words else text

    def convert_raw(self, el: Tag, text: str, parent_tags: Any) -> str:
        """Markdown that was put there by ``_signs``."""
        return str(el.get_text())

    def convert_img(self, el: Tag, text: str, parent_tags: Any) -> str:
        alt = " ".join(str(el.get("alt") or "").replace("[", "\\[").replace("]", "\\]").split())
        source = str(el.get("src") or "")
        return f"![{alt}]({_destination(source)})" if source and not source.startswith("data:") else alt

    def convert_note(self, el: Tag, text: str, parent_tags: Any) -> str:
        """The text of a footnote."""
        label = re.sub(r"\W", "", str(el.get("id") or ""))
        return (
            f"\n\n[^{label}]: "
            + "\n".join(f"    {line}" if line else "" for line in text.strip().split("\n"))[4:]
            + "\n\n"
        )

    def convert_td(self, el: Tag, text: str, parent_tags: Any) -> str:
        return str(super().convert_td(el, _NO_BAR.sub(r"\|", text), parent_tags))  # type: ignore[misc]

    def convert_th(self, el: Tag, text: str, parent_tags: Any) -> str:
        return str(super().convert_th(el, _NO_BAR.sub(r"\|", text), parent_tags))  # type: ignore[misc]

    def convert_hN(self, n: int, el: Tag, text: str, parent_tags: Any) -> str:
        words = " ".join(text.split())
        if not words:
            return ""
        id_ = str(el.get("id") or "")
        named = f" {{#{id_}}}" if _ID.fullmatch(id_) and id_ != slug(el.get_text()) else ""
        return f"\n\n{'#' * n} {words}{named}\n\n"


def slug(words: str) -> str:
    """What a heading is called in addresses, without an identifier of its own (common practice of the hosts of such
    folders)."""
    composed = unicodedata.normalize("NFC", " ".join(words.split()))
    return _NO_SLUG.sub("", composed.lower()).replace(" ", "-")


def _destination(address: str) -> str:
    return f"<{address}>" if re.search(r"[\s()]", address) and not re.search(r"[<>\n]", address) else address


def repeated(pages: Iterable[bytes]) -> frozenset[str]:
    """What most pages of a site have and what is nearly all links: its navigation, by its words, which ``read_html``
    leaves out."""
    number = 0
    found: Counter[str] = Counter()
    for data in pages:
        number += 1
        root = document_fromstring(data, parser=HTMLParser(encoding="utf-8")) if data.strip() else None
        parts = root.iter(*_PARTS) if root is not None else ()
        found.update(
            {_as_links(each.text_content(), (a.text_content() for a in each.iter("a"))) for each in parts}
        )
    most = max(_PAGES_OF_A_SITE, number / 2)
    return frozenset(words for words, times in found.items() if words and times >= most)


def _as_links(text: str, links: Iterable[str]) -> str:
    """The words of a part that is nearly all links; empty for any other."""
    words = " ".join(text.split())
    linked = sum(len("".join(each.split())) for each in links)
    return (
        words if len(words) <= _LONGEST_LINKS and linked >= _LINKED * len(words.replace(" ", "")) > 0 else ""
    )


def read_html(data: bytes, path: str, navigation: frozenset[str] = frozenset()) -> tuple[str, str]:
    """Title (empty if it has none) and text as Markdown, without parts that are ``navigation``. BadFile for
    what is nested too deeply to be read."""
    try:
        soup = BeautifulSoup(data, "lxml")
        title = " ".join(soup.title.get_text().split()) if soup.title is not None else ""
        main = _main(soup)
        for each in main.find_all(_PARTS) if navigation else ():
            if not each.decomposed and " ".join(each.get_text().split()) in navigation:
                each.decompose()
        _signs(soup, main)
        _tidy(main)
        heading = main.find(_HEADINGS)
        if isinstance(heading, Tag) and heading.name == "h1":
            title = " ".join(heading.get_text().split()) or title
        made = _Converter(
            heading_style="atx",
            bullets="-",
            escape_misc=False,
            table_infer_header=True,
            newline_style="backslash",
            code_language_callback=_language,
        ).convert_soup(main)
    except RecursionError:
        raise BadFile(
            f"“{path}” is nested too deeply to be read as a page. Leave it out, or save it anew.",
            code="bad_html",
        ) from None
    text = "\n".join(line.rstrip(" \t") for line in str(made).split("\n"))
    return title, re.sub(r"\n{3,}", "\n\n", text).strip() + "\n"


def _main(soup: BeautifulSoup) -> Tag:
    """The part that holds the text: the one main part, the one article, or all of it."""
    for found in (soup.find_all("main"), soup.select("[role=main]"), soup.find_all("article")):
        if len(found) == 1:
            return found[0]
    return soup.body or soup


def _signs(soup: BeautifulSoup, main: Tag) -> None:
    """What has signs of its own in a page: formulas whose source is there, footnotes, boxes of tasks."""
    for formula in main.find_all("math"):
        source = formula.find("annotation", encoding="application/x-tex")
        if isinstance(source, Tag):
            words, block = " ".join(source.get_text().split()), formula.get("display") == "block"
            _put(soup, formula, f"$${words}$$" if block else f"${words}$")
    for box in main.select("li input[type=checkbox]"):
        _put(soup, box, "[x] " if box.has_attr("checked") else "[ ] ")
    for note in main.select("a.footnote-ref, sup > a[href^='#fn']"):
        label = re.sub(r"\W", "", str(note["href"]).removeprefix("#"))
        up = note.parent
        _put(soup, up if up is not None and up.name == "sup" else note, f"[^{label}]")
    for told in main.select("[role=doc-endnotes], .footnotes"):
        for item in told.find_all("li", id=True):
            for back in item.select("a[role=doc-backlink], a.footnote-back, a[href^='#fnref']"):
                back.decompose()
            item.name = "note"
        told.name = "div"
        for rule in told.find_all("hr"):
            rule.decompose()
        for each in told.find_all("ol"):
            each.unwrap()
        for item in told.find_all("note"):
            main.append(item)


def _put(soup: BeautifulSoup, at: Tag, words: str) -> None:
    raw = soup.new_tag("raw")
    raw.string = words
    at.replace_with(raw)


def _tidy(main: Tag) -> None:
    for each in main.find_all(_AROUND):
        each.decompose()
    for heading in main.find_all(_HEADINGS):
        # A sign beside a heading that leads to itself, and holds its name.
        for mark in heading.find_all("a"):
            words = mark.get_text().strip()
            if mark.get("id") and not heading.get("id"):
                heading["id"] = mark["id"]
            if not words or words in {"#", "¶", "§"}:
                mark.decompose()


def _language(block: Tag) -> str:
    """The language of a block of code, as its class says."""
    for each in (block, *block.find_all("code", limit=1)):
        found = _LANGUAGE.search(" ".join(each.get("class") or ()))
        if found is not None:
            return found[1]
    return ""


def read_table(data: bytes, path: str) -> str:
    """A table of CSV (RFC 4180, with commas, semicolons or tabs) as Markdown; its first row is the head. BadFile for
    what is none."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as fault:
        raise BadFile(
            f"“{path}”: byte {fault.start + 1} is not UTF-8. Save the table as UTF-8.", code="bad_table"
        ) from None
    first = text.split("\n", 1)[0]
    by = max(",;\t", key=first.count)
    try:
        rows = [row for row in csv.reader(io.StringIO(text, newline=""), delimiter=by) if any(row)]
    except csv.Error as fault:
        raise BadFile(f"“{path}” cannot be read as a table: {fault}.", code="bad_table") from None
    width = max(map(len, rows), default=0)
    if not rows or width > MOST_COLUMNS or len(rows) > MOST_ROWS:
        raise BadFile(
            f"“{path}” is no table of up to {MOST_ROWS:,} rows and {MOST_COLUMNS} columns.", code="bad_table"
        )
    lines = [[_cell(cell) for cell in row] + [""] * (width - len(row)) for row in rows]
    made = [f"| {' | '.join(row)} |" for row in lines]
    return "\n".join([made[0], "|" + "---|" * width, *made[1:]]) + "\n"


def _cell(words: str) -> str:
    escaped = re.sub(r"[\\`*_\[\]<>|$]|(?<!\w)[#@](?=\w)", r"\\\g<0>", " ".join(words.split()))
    return escaped
