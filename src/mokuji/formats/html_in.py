"""Pages of HTML, saved from a browser or out of a folder of a site, and tables as CSV, made into Markdown.

What is read is the text and nothing around it: no navigation, script or form. HTML is read by lxml as browsers do, and
written as Markdown by markdownify; where that leaves something open that means something in a page here, it is escaped.
"""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from typing import Any

from bs4 import BeautifulSoup, Tag
from markdownify import MarkdownConverter

from mokuji.core.base.errors import BadFile

MOST_ROWS, MOST_COLUMNS = 5_000, 50
"""Of a table; what has more is no page to be read."""
_AROUND = (
    "script style nav header footer aside form noscript template iframe object embed svg button input select"
).split()
_LANGUAGE = re.compile(r"(?:language|lang)-([\w+#.-]+)")
_MEANS = re.compile(r"\[(?=\[)|(?<![\w&])[#@](?=\w)|\$")
_ID = re.compile(r"[A-Za-z][\w.:-]*")
_HEADINGS = ["h1", "h2", "h3", "h4", "h5", "h6"]
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
        return f"[{words}]({_destination(href)})" if href and words else text

    def convert_img(self, el: Tag, text: str, parent_tags: Any) -> str:
        alt = " ".join(str(el.get("alt") or "").replace("[", "\\[").replace("]", "\\]").split())
        source = str(el.get("src") or "")
        return f"![{alt}]({_destination(source)})" if source and not source.startswith("data:") else alt

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


def read_html(data: bytes, path: str) -> tuple[str, str]:
    """Title (empty if it has none) and text as Markdown. BadFile for what is nested too deeply to be read."""
    try:
        soup = BeautifulSoup(data, "lxml")
        title = " ".join(soup.title.get_text().split()) if soup.title is not None else ""
        main = _main(soup)
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
