"""A second reader of small wikis, which shares no code with Mokuji's: another Markdown library (markdown-it-py), a
plain regular expression for references, and resolution as docs/markup.md says it, written down anew.

Each heading of the wikis it reads is followed by a word that stands nowhere else; by that a section is known again
wherever its text goes, whatever it is called.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass

import yaml
from markdown_it import MarkdownIt

_MARKDOWN = MarkdownIt("commonmark")
_NAME = r"(?:\\.|[^\[\]\n|#\\])*"
_REFERENCE = re.compile(
    rf"(?<!\\)\[\[(=?)({_NAME})(?:#((?:\\.|[^\[\]\n|\\])*))?(?:\|(?:\\.|[^\[\]\n\\])*)?\]\]"
)
_CODE = re.compile(r"`[^`\n]*`")
_MARKER = re.compile(r"\bmark\d+\b")
_PART = re.compile(r"<!-- part: (\w+) -->\n(.*?)<!-- /part -->", re.DOTALL)


@dataclass(frozen=True)
class Text:
    """A page as this reader has it."""

    volume: str
    title: str
    text: str


@dataclass(frozen=True)
class Lead:
    """Where a reference leads: a page by id (None: nowhere), and the marker of what it shows there: of a section, a
    part, or nothing for the page as a whole."""

    page: int | None
    marker: str | None = None
    broken: bool = False
    words: str = ""


def key(words: str) -> str:
    """Names are equal whatever their capitals, and with spaces, hyphens and underscores for each other."""
    folded = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", words).casefold())
    return " ".join(re.sub(r"[\s_\-‐‑]+", " ", folded).split())


def _front(text: str) -> tuple[dict[str, object], str]:
    if text.startswith("---\n") and "\n---\n" in text[3:]:
        head, _, body = (
            text[4:].partition("\n---\n") if not text.startswith("---\n---") else ("", "", text[8:])
        )
        return yaml.safe_load(head) or {}, body
    return {}, text


def aliases(text: str) -> list[str]:
    """Other names, as the front matter has them."""
    found = _front(text)[0].get("aliases") or []
    return [str(each) for each in found] if isinstance(found, list) else [str(found)]


def references(text: str) -> list[tuple[bool, str, str | None]]:
    """The references of a text in order: whether it is an insert, its name, its section."""
    found: list[tuple[bool, str, str | None]] = []
    for token in _MARKDOWN.parse(_front(text)[1]):
        if token.type == "inline":
            found += [
                (bool(each[1]), each[2].strip(), None if each[3] is None else _plain(each[3].strip()))
                for each in _REFERENCE.finditer(_CODE.sub("", token.content))
            ]
    return found


def _plain(typed: str) -> str:
    return re.sub(r"\\([^\w\s])", r"\1", typed)


def headings(text: str) -> list[tuple[str | None, str, str | None]]:
    """Headings in order: identifier, key of the words shown, and the marker that follows."""
    tokens = _MARKDOWN.parse(_front(text)[1])
    found: list[tuple[str | None, str, str | None]] = []
    for at, token in enumerate(tokens):
        if token.type != "heading_open":
            continue
        words = tokens[at + 1].content
        id_ = None
        if (ends := re.search(r"\s*\{#([\w-]+)\}\s*$", words)) is not None:
            id_, words = ends[1], words[: ends.start()]
        words = re.sub(r"\[\[=?([^\[\]|#]*)(?:\|([^\[\]]*))?\]\]", lambda hit: hit[2] or hit[1], words)
        marker = None
        for behind in tokens[at + 3 :]:
            if behind.type == "heading_open":
                break
            if behind.type == "inline" and (hit := _MARKER.search(behind.content)) is not None:
                marker = hit[0]
                break
        found.append((id_, key(_plain(words)), marker))
    return found


def _section(text: str, section: str, insert: bool) -> tuple[bool, str | None, str]:
    found = headings(text)
    by_id = [each for each in found if each[0] == section] or [
        each for each in found if each[0] is not None and key(each[0]) == key(section)
    ]
    if by_id:
        return True, by_id[0][2], by_id[0][1]
    if insert:
        for name, inside in _PART.findall(_front(text)[1]):
            if key(name) == key(section):
                hit = _MARKER.search(inside)
                return True, hit[0] if hit else None, ""
    by_words = [each for each in found if each[1] == key(section)]
    return (True, by_words[0][2], by_words[0][1]) if by_words else (False, None, "")


def leads(pages: Mapping[int, Text]) -> dict[int, list[Lead]]:
    """Where each reference of each page leads."""
    titles = {(key(each.volume), key(each.title)): id_ for id_, each in pages.items()}
    called: dict[tuple[str, str], int] = {}
    for id_, each in sorted(pages.items(), key=lambda item: (key(item[1].volume), key(item[1].title))):
        for alias in aliases(each.text):
            called.setdefault((key(each.volume), key(alias)), id_)
    volumes = {key(each.volume) for each in pages.values()}

    def resolve(name: str, home: str) -> int | None:
        # An escaped “/” is part of a title; one at the head says that a volume follows.
        first, slash, rest = re.sub(r"\\/", "\0", name).lstrip("/").partition("/")
        first, rest = (_plain(each.replace("\0", "/")) for each in (first, rest))
        places = [] if name.startswith("/") else [(key(home), key(f"{first}/{rest}" if slash else first))]
        if slash and key(first) in volumes:
            places.append((key(first), key(rest)))
        for place in places:
            if place in titles:
                return titles[place]
            if place in called:
                return called[place]
        return None

    found: dict[int, list[Lead]] = {}
    for id_, each in pages.items():
        found[id_] = []
        for insert, name, section in references(each.text):
            page = id_ if not name else resolve(name, each.volume)
            if page is None or not section:
                found[id_].append(Lead(page))
                continue
            there, marker, words = _section(pages[page].text, section, insert)
            found[id_].append(Lead(page, marker, not there, words))
    return found
