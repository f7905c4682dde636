"""The one door to the CommonMark parser (pulldown-cmark, through pyromark).

It says which extensions our language has, and gives the parser's events as
``(kind, value, start, end)`` with byte ranges of the UTF-8 text. What the
events look like is known here, in ``literal``, ``scan`` and ``html`` only.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pyromark
from pyromark import Options

COMMONMARK = Options(0)
LANGUAGE = (
    Options.ENABLE_TABLES
    | Options.ENABLE_STRIKETHROUGH
    | Options.ENABLE_TASKLISTS
    | Options.ENABLE_FOOTNOTES
    | Options.ENABLE_DEFINITION_LIST
    | Options.ENABLE_HEADING_ATTRIBUTES
    | Options.ENABLE_MATH
)
"""CommonMark 0.31.2 with pipe tables, strikethrough, tasks, footnotes, definition lists,
heading identifiers and math."""

_language = pyromark.Markdown(options=LANGUAGE)
_commonmark = pyromark.Markdown(options=COMMONMARK)


Event = tuple[str, Any, int, int]
"""One event: its kind such as ``Text``, ``Start`` or ``End``, its value, and its byte range in the text.
A bare tuple, since a page has thousands."""


def events_with_ranges(text: str) -> list[Event]:
    """The parser's events with their byte ranges; neighbouring texts are merged."""
    found: list[Event] = []
    add = found.append
    stream: Iterator[tuple[Any, Any]] = iter(_language.events_with_range(text, merge_text=True))
    for raw, span in stream:
        if raw.__class__ is str:
            add((raw, None, span["start"], span["end"]))
        else:
            (kind,) = raw
            add((kind, raw[kind], span["start"], span["end"]))
    return found


def ranges(text: str) -> Iterator[tuple[bool, bool, int]]:
    """Of each event whether it opens something, whether it closes something, and the byte where it ends."""
    stream: Iterator[tuple[Any, Any]] = iter(_language.events_with_range(text, merge_text=True))
    for raw, span in stream:
        named = raw.__class__ is not str
        yield named and "Start" in raw, named and "End" in raw, span["end"]


def events(text: str, *, commonmark_only: bool = False) -> Iterator[Any]:
    """The parser's bare events, as pyromark gives them."""
    return iter((_commonmark if commonmark_only else _language).events(text, merge_text=True))


def tag_name(tag: Any) -> str:
    """The name of a ``Start`` or ``End`` value: a string, or the only name of a mapping."""
    if isinstance(tag, str):
        return tag
    for name in tag:
        return str(name)
    return ""
