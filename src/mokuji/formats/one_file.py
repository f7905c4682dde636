"""Pages as one HTML file that needs nothing beside it: contents, then each page, with its style inside."""

from __future__ import annotations

import html
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources

MOST_DEEP = 5
"""Levels of headings that chapters take at most, so that those of their texts can be told from them."""


@dataclass(frozen=True, slots=True)
class Part:
    """A page in the file, or a name above others: its number in the contents, how deep it stands (from 0), and the
    anchor that begins with its key."""

    number: str
    depth: int
    title: str
    anchor: str


_BOX = re.compile(r'<input type="checkbox"((?: disabled| checked)*)> ?')


@cache
def _style() -> str:
    return resources.files("mokuji.formats").joinpath("one_file.css").read_text(encoding="utf-8")


def level(part: Part, top: int = 2) -> int:
    """Which level of headings the title of a part has; ``top`` is that of the topmost."""
    return top + min(part.depth, MOST_DEEP - 2)


def whole(
    title: str, parts: Sequence[Part], texts: Iterable[tuple[Part, str]], *, language: str, about: str
) -> Iterator[str]:
    """A file of several parts, piece by piece; ``texts`` are their HTML in the order of the parts. ``about`` says where
    it is from and when."""
    yield _head(title, language)
    yield f'<header><h1>{html.escape(title)}</h1>\n<p class="about">{html.escape(about)}</p></header>\n'
    yield "".join(_contents(parts))
    yield "<main>\n"
    for part, text in texts:
        at = level(part)
        number = f'<span class="number">{html.escape(part.number)}</span> ' if part.number else ""
        yield (
            f'<section id="{html.escape(part.anchor)}"><h{at}>{number}{html.escape(part.title)}</h{at}>\n'
            f"{text}</section>\n"
        )
    yield "</main>\n</body></html>\n"


def bare(texts: Iterable[tuple[Part, str]], *, language: str, titled: bool) -> Iterator[str]:
    """The same without style and contents, for a program that makes a document of it: titles begin at the first level;
    without ``titled`` there is one part, whose title the document has."""
    lang = f' lang="{html.escape(language)}"' if language else ""
    yield f'<!doctype html>\n<html{lang}><head><meta charset="utf-8"><title></title></head><body>\n'
    for part, text in texts:
        at = level(part, 1)
        number = f"{html.escape(part.number)} " if part.number else ""
        if titled:
            yield f'<h{at} id="{html.escape(part.anchor)}">{number}{html.escape(part.title)}</h{at}>\n'
        # A box that cannot be ticked would be left out.
        yield _BOX.sub(lambda box: "☑ " if "checked" in box[1] else "☐ ", text)
    yield "</body></html>\n"


def single(title: str, text: str, *, language: str, about: str) -> Iterator[str]:
    """A file of one page."""
    yield _head(title, language)
    yield f"<main>\n<h1>{html.escape(title)}</h1>\n{text}</main>\n"
    yield f'<footer class="about"><p>{html.escape(about)}</p></footer>\n</body></html>\n'


def _head(title: str, language: str) -> str:
    lang = f' lang="{html.escape(language)}"' if language else ""
    return (
        f'<!doctype html>\n<html{lang}>\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
        # Nothing in it needs a script or an address elsewhere, so it may have none.
        '<meta http-equiv="Content-Security-Policy" content="default-src \'none\'; img-src data:; media-src data:; '
        "style-src 'unsafe-inline'\">\n"
        f"<title>{html.escape(title)}</title>\n<style>\n{_style()}</style>\n</head>\n<body>\n"
    )


def _contents(parts: Sequence[Part]) -> Iterator[str]:
    """The parts as lists in each other."""
    yield '<nav aria-label="Contents">'
    depth = -1
    for part in parts:
        while depth > part.depth:
            yield "</li></ol>"
            depth -= 1
        if depth == part.depth:
            yield "</li>"
        while depth < part.depth:
            yield "<ol>" if depth + 1 == part.depth else "<ol><li>"
            depth += 1
        number = f'<span class="number">{html.escape(part.number)}</span> ' if part.number else ""
        yield f'<li>{number}<a href="#{html.escape(part.anchor)}">{html.escape(part.title)}</a>\n'
    while depth >= 0:
        yield "</li></ol>"
        depth -= 1
    yield "</nav>\n"
