"""What a text points at that is no page: ``[^gale-2019]`` cites a source of the wiki, ``[^gale-2019, p. 5]`` a place
in it, ``@wenna`` names a person.

A footnote that the page defines itself is one (the parser reports it); any
other such label cites a source. Neither is looked for in literal text, nor in
headings, links and pictures. A handle begins as a mark does.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.marks import CLOSED, opens
from mokuji.core.syntax.parser import tag_name

MOST = 5_000
"""Maximum number of either on one page."""
_CITE = re.compile(r"(?<!\\)\[\^([^\s\[\]^]{1,120}?)(?:,[ \t]+([^\[\]\n^]{1,120}))?\]")
_HANDLE = re.compile(r"@([^\W_][\w-]{0,39})")


@dataclass(frozen=True, slots=True)
class Cite:
    """A source that is cited: its name as typed, where it stands with its brackets, and what is typed behind the name:
    a comma and the place in the source."""

    name: str
    span: Span
    tail: str = ""

    @property
    def place(self) -> str:
        """The place in the source, such as “p. 5”; empty if none is said."""
        return " ".join(self.tail.removeprefix(",").split())

    def called(self, name: str) -> str:
        """The same citation of a source of another name, as it is typed."""
        return f"[^{name}{self.tail}]"

    @property
    def key(self) -> str:
        """What the ways to write it have in common."""
        return source_key(self.name)


@dataclass(frozen=True, slots=True)
class Handle:
    """A person who is named: the handle as typed, without the ``@``, and where it stands with it."""

    name: str
    span: Span

    @property
    def key(self) -> str:
        """The handle as it is kept."""
        return self.name.casefold()


def source_key(name: str) -> str:
    """What the ways to write a source's name have in common: capitals make no difference, as with footnotes."""
    return name.strip().casefold()


def pointers(body: Body) -> tuple[tuple[Cite, ...], tuple[Handle, ...]]:
    """The sources and people that a page names, in order."""
    text = body.text
    if "[^" not in text and "@" not in text:
        return (), ()
    cites: list[Cite] = []
    handles: list[Handle] = []
    for cited, start, end in islice(_collect(body), MOST):
        span = body.span(start, end)
        if cited:
            typed = _CITE.fullmatch(span.of(text))
            if typed is not None:
                cites.append(Cite(typed[1], span, span.of(text)[typed.end(1) : -1]))
        else:
            handles.append(Handle(span.of(text)[1:], span))
    return tuple(cites), tuple(handles)


def handles_in(words: str) -> set[str]:
    """The people whom plain words name, as handles are kept: a note is no Markdown."""
    data = words.encode()
    places = _places(_HANDLE, data, 0, "", "") if "@" in words else ()
    return {data[start + 1 : end].decode().casefold() for start, end in places}


def _collect(body: Body) -> Iterator[tuple[bool, int, int]]:
    """Whether each is a source, and its bytes in the lifted text."""
    lifted = body.lifted
    closed = 0
    for kind, value, start, end in body.events:
        if kind in {"Start", "End"}:
            closed += (tag_name(value) in CLOSED) * (1 if kind == "Start" else -1)
        elif kind == "Text" and not closed:
            data = lifted.data[start:end]
            if b"[^" in data:
                yield from ((True, *place) for place in _places(_CITE, data, start, lifted.prefix, ""))
            if b"@" in data:
                before = lifted.data[max(0, start - 4) : start].decode(errors="ignore")[-1:]
                yield from ((False, *place) for place in _places(_HANDLE, data, start, lifted.prefix, before))


def _places(
    pattern: re.Pattern[str], data: bytes, start: int, prefix: str, before: str
) -> Iterator[tuple[int, int]]:
    words = data.decode()
    at = size = 0
    for match in pattern.finditer(words):
        lead = words[match.start() - 1] if match.start() else before
        # A reference right behind a handle ends it; none stands in the label of a source.
        word = match[1].partition(prefix)[0] if prefix else match[1]
        word = word.rstrip("-_") if pattern is _HANDLE else word
        if (
            not word
            or (pattern is _HANDLE and not opens(lead))
            or (pattern is _CITE and prefix and prefix in match[0])
        ):
            continue
        size += len(words[at : match.start()].encode())
        at = match.start()
        whole = match[0] if pattern is _CITE else f"@{word}"
        yield start + size, start + size + len(whole.encode())
