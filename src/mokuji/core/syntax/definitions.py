"""Link definitions and footnotes of a text: where they stand, and where they are used.

CommonMark 0.31.2, sections 4.7 and 6.3; footnotes as pulldown-cmark reads
them. The parser keeps link definitions to itself: what begins a line like one,
and is not reported as text, is one.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mokuji.core.base.spans import Span
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.literal import Range, Ranges
from mokuji.core.syntax.parser import Event, tag_name

_DEFINITION = re.compile(rb"^([ \t>*+\-\d.)]*)\[((?:[^\[\]\\]|\\.)+)\]:", re.MULTILINE)
_LEAVES = {"Text", "Code", "InlineMath", "DisplayMath", "InlineHtml", "Html", "FootnoteReference"}
_BLOCKS = {"Paragraph", "Heading", "CodeBlock", "HtmlBlock", "Table", "MetadataBlock"}
_BY_LABEL = {"Reference", "Collapsed", "Shortcut"}


@dataclass(frozen=True, slots=True)
class Key:
    """What a label means: labels that differ in case or white space only are one. Notes have keys of their own."""

    label: str
    note: bool


@dataclass(frozen=True, slots=True)
class Definition:
    """A definition of a key: from its bracket on, without the last line end; and its label.

    ``nested`` ones stand inside a list or quotation, so their lines are not theirs alone.
    """

    key: Key
    span: Span
    label: Span
    nested: bool


@dataclass(frozen=True, slots=True)
class Usage:
    """A place that uses a key. ``label`` is where another label would go, with ``before`` and ``behind`` around
    it if there is none yet."""

    key: Key
    span: Span
    label: Span
    before: str = ""
    behind: str = ""


@dataclass(frozen=True)
class Definitions:
    """What a text defines and uses, in the order of the text. Of several definitions of a key the first counts;
    the others are ``again``. ``says`` are the address and title of each link's key that is used."""

    defined: tuple[Definition, ...]
    again: tuple[Definition, ...]
    used: tuple[Usage, ...]
    says: dict[Key, tuple[str, str]]


NO_DEFINITIONS = Definitions((), (), (), {})


def key_of(label: str, *, note: bool) -> Key:
    """What a label means (CommonMark 0.31.2, section 6.3, “matches”)."""
    return Key(" ".join(label.split()).casefold(), note)


def definitions(body: Body) -> Definitions:
    """All link definitions and footnotes of a page, and their uses. Linear."""
    if "]:" not in body.text:
        # What is nowhere defined is used nowhere either: its brackets are text.
        return NO_DEFINITIONS
    events, data = body.events, body.lifted.data
    says: dict[Key, tuple[str, str]] = {}
    usages = list(_usages(events, data, says))
    first: dict[Key, Definition] = {}
    again: list[Definition] = []
    for key, whole, label, nested in sorted(
        (*_notes(events, data), *_links(events, data)), key=lambda each: each[1]
    ):
        definition = Definition(key, body.span(*whole), body.span(*label), nested)
        if first.setdefault(key, definition) is not definition:
            again.append(definition)
    used = tuple(
        Usage(key, body.span(*whole), body.span(*label), *around) for key, whole, label, around in usages
    )
    return Definitions(tuple(first.values()), tuple(again), used, says)


def _usages(
    events: Iterable[Event], data: bytes, says: dict[Key, tuple[str, str]]
) -> Iterator[tuple[Key, Range, Range, tuple[str, str]]]:
    for kind, value, start, end in events:
        if kind == "FootnoteReference":
            yield key_of(value, note=True), (start, end), (start + 2, end - 1), ("", "")
        elif kind == "Start" and tag_name(value) in {"Link", "Image"}:
            link = value[tag_name(value)]
            if link["link_type"] not in _BY_LABEL:
                continue
            key = key_of(link["id"], note=False)
            says[key] = (link["dest_url"], link["title"])
            if link["link_type"] == "Reference":
                yield key, (start, end), (_opening(data, start, end) + 1, end - 1), ("", "")
            elif link["link_type"] == "Collapsed":
                # The parser's range may or may not hold the empty brackets.
                label = end + 1 if data[end : end + 2] == b"[]" else end - 1
                yield key, (start, label + 1), (label, label), ("", "")
            else:
                yield key, (start, end), (end, end), ("[", "]")


def _opening(data: bytes, start: int, end: int) -> int:
    """The bracket that opens the label at the end of a link; labels hold no others unless escaped."""
    at = data.rfind(b"[", start, end)
    while at > start and (at - len(data[start:at].rstrip(b"\\")) - start) % 2:
        at = data.rfind(b"[", start, at)
    return at


def _notes(events: Iterable[Event], data: bytes) -> Iterator[tuple[Key, Range, Range, bool]]:
    depth = 0
    for kind, value, start, end in events:
        if kind not in {"Start", "End"}:
            continue
        if kind == "Start" and tag_name(value) == "FootnoteDefinition":
            label = start + 2, data.index(b"]:", start)
            key = key_of(value["FootnoteDefinition"], note=True)
            yield key, (start, _without_end(data, start, end)), label, depth > 0
        if tag_name(value) in {"BlockQuote", "Item", "DefinitionListDefinition", "FootnoteDefinition"}:
            depth += 1 if kind == "Start" else -1


def _links(events: list[Event], data: bytes) -> Iterator[tuple[Key, Range, Range, bool]]:
    taken = Ranges(
        (start, end)
        for kind, value, start, end in events
        if kind in _LEAVES
        or (kind == "Start" and tag_name(value) in {"Link", "Image", "CodeBlock", "HtmlBlock"})
    )
    blocks = {start for kind, value, start, _ in events if kind == "Rule" or kind == "Start"}
    for match in _DEFINITION.finditer(data):
        start = match.end(1)
        if match[2].startswith(b"^") or taken.holds(start, start + 1):
            continue
        end = _line_end(data, match.end())
        while (stop := _line_end(data, end + 1)) > end and _goes_on(data, end + 1, stop, taken, blocks):
            end = stop
        label = match.span(2)
        key = key_of(match[2].decode(), note=False)
        yield key, (start, _without_end(data, start, end)), label, bool(match[1].strip())


def _goes_on(data: bytes, start: int, end: int, taken: Ranges, blocks: set[int]) -> bool:
    """Whether a line belongs to the definition begun above it: its address or its title."""
    line = data[start:end]
    if not line.strip() or _DEFINITION.match(line) is not None or taken.starts_between(start, end):
        return False
    return not any(at in blocks for at in range(start, end))


def _line_end(data: bytes, at: int) -> int:
    """Where the line that holds this byte ends, before its line end."""
    found = data.find(b"\n", at)
    return len(data) if found < 0 else found


def _without_end(data: bytes, start: int, end: int) -> int:
    return start + len(data[start:end].rstrip())
