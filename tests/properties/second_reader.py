"""A second reader of small wikis, which shares no code with Mokuji's: another Markdown library (markdown-it-py), a
plain search for brackets, and resolution as docs/markup.md says it, written down anew.

References are known again by the word before each (``t1``, ``t2`` …), wherever their text goes; sections by a word
that follows their heading and stands nowhere else (``mark1`` …), whatever they are called.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from urllib.parse import unquote

import yaml
from markdown_it import MarkdownIt

_MARKDOWN = MarkdownIt("commonmark")
_BRACKETS = re.compile(r"\\.|\[\[|\]\]", re.DOTALL)
_TARGET = re.compile(r"(=?)((?:\\.|[^\[\]\n|#\\])*)(?:#((?:\\.|[^\[\]\n|\\])*))?(\||$)", re.DOTALL)
_TOKEN = re.compile(r"\b(t\d+) $")
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
class Typed:
    """A reference as it is typed: the word before it, whether it is an insert, its name, its section."""

    token: str
    insert: bool
    name: str
    section: str | None
    label: str | None = None


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


def references(text: str) -> list[Typed]:
    """The references of a text, in the order in which they begin."""
    found: list[Typed] = []
    for token in _MARKDOWN.parse(_front(text)[1]):
        if token.type == "inline":
            found += _in(_CODE.sub(lambda hit: " " * len(hit[0]), token.content))
    return found


def _in(content: str) -> list[Typed]:
    open_: list[int] = []
    found: list[tuple[int, Typed]] = []
    for hit in _BRACKETS.finditer(content):
        if hit[0] == "[[":
            open_.append(hit.start())
        elif hit[0] == "]]" and open_:
            start = open_.pop()
            inner = content[start + 2 : hit.start()]
            typed = _TARGET.match(inner)
            if typed is not None:
                before = _TOKEN.search(content[:start])
                section = None if typed[3] is None else _plain(typed[3].strip())
                label = inner[typed.end() :] if typed[4] else None
                found.append(
                    (
                        start,
                        Typed(before[1] if before else "", bool(typed[1]), typed[2].strip(), section, label),
                    )
                )
    return [each for _, each in sorted(found, key=lambda item: item[0])]


def pictures(text: str) -> list[str]:
    """The files that a text shows as pictures, in order."""
    inline = (each for each in _MARKDOWN.parse(_front(text)[1]) if each.type == "inline")
    return [
        unquote(str(child.attrs["src"]))
        for each in inline
        for child in each.children or ()
        if child.type == "image"
    ]


def slots(text: str) -> Collection[str]:
    """The slots that a text declares."""
    found = _front(text)[0].get("slots")
    return found.keys() if isinstance(found, dict) else ()


def _plain(typed: str) -> str:
    return re.sub(r"\\([^\w\s])", r"\1", typed)


def _shown(content: str, volumes: Collection[str]) -> str:
    """The words of a heading as readers see them: a reference in it is what it shows."""
    words = content
    for each in re.findall(r"\[\[[^\[\]]*\]\]", content):
        (typed,) = _in(each)
        first, slash, rest = typed.name.partition("/")
        title = rest if slash and key(first) in volumes else typed.name
        words = words.replace(each, title if typed.label is None else typed.label)
    return _plain(words)


def headings(text: str, volumes: Collection[str]) -> list[tuple[str | None, str, str | None]]:
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
        marker = None
        for behind in tokens[at + 3 :]:
            if behind.type == "heading_open":
                break
            if behind.type == "inline" and (hit := _MARKER.search(behind.content)) is not None:
                marker = hit[0]
                break
        found.append((id_, key(_shown(words, volumes)), marker))
    return found


def _section(text: str, section: str, insert: bool, volumes: Collection[str]) -> tuple[bool, str | None, str]:
    found = headings(text, volumes)
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


class Reading:
    """A wiki as this reader has it: its pages by id, and the libraries of its volumes by title."""

    def __init__(self, pages: Mapping[int, Text], libraries: Mapping[str, Sequence[str]]) -> None:
        self.pages = pages
        self._volumes = {key(library) for library in libraries}
        self._libraries = {key(home): [key(each) for each in some] for home, some in libraries.items()}
        self._titles = {(key(each.volume), key(each.title)): id_ for id_, each in pages.items()}
        self._called: dict[tuple[str, str], int] = {}
        for id_, each in sorted(pages.items(), key=lambda item: (key(item[1].volume), key(item[1].title))):
            for alias in aliases(each.text):
                self._called.setdefault((key(each.volume), key(alias)), id_)

    def resolve(self, name: str, home: str, insert: bool) -> int | None:
        """The page that a name leads to from a volume."""
        # An escaped “/” is part of a title; one at the head says that a volume follows.
        first, slash, rest = re.sub(r"\\/", "\0", name).lstrip("/").partition("/")
        first, rest = (_plain(each.replace("\0", "/")) for each in (first, rest))
        whole = key(f"{first}/{rest}" if slash else first)
        absolute = name.startswith("/")
        places = [] if absolute else [(key(home), whole)]
        if slash and key(first) in self._volumes:
            places.append((key(first), key(rest)))
        if insert and not absolute:
            places += [(library, whole) for library in self._libraries[key(home)]]
        for place in places:
            if place in self._titles:
                return self._titles[place]
            if place in self._called:
                return self._called[place]
        return None

    def leads(self) -> Iterator[tuple[int, Typed, Lead]]:
        """Where each reference of each page leads."""
        for id_, each in self.pages.items():
            for typed in references(each.text):
                page = id_ if not typed.name else self.resolve(typed.name, each.volume, typed.insert)
                if page is None or not typed.section:
                    yield id_, typed, Lead(page)
                    continue
                there, marker, words = _section(
                    self.pages[page].text, typed.section, typed.insert, self._volumes
                )
                yield id_, typed, Lead(page, marker, not there, words)
