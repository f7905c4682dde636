"""A page line by line as its readers see it, to be searched and to be quoted from.

One line is a heading, a paragraph, an item, a row of a table, a line of code, a field of the front matter, or an
outside address. What an insert brings is not among them: it is joined when it is asked for, since it changes with its
source and is not seen by everybody.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from typing import NamedTuple

from mokuji.core.assembly.listing import fields
from mokuji.core.language.page import Page
from mokuji.core.model.references import Sections
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.calls import call
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.parser import tag_name
from mokuji.core.syntax.reference import Kind, Reference, plain
from mokuji.core.syntax.slots import unmasked

CODE, TEXT = "\x0e", "\x0f"
"""Around code in a line (the shift out and shift in of ISO 646): what stands between is found as code, too."""
LONGEST = 600_000
"""Number of code points of a page that are kept as lines."""

HEADING, WORDS, CODE_LINE, FIELD, ADDRESS = "h", "t", "c", "f", "a"
"""The sorts of lines."""
_VERBATIM = frozenset({"CodeBlock", "HtmlBlock", "MetadataBlock"})
_INLINE = frozenset({"Emphasis", "Strong", "Strikethrough", "Link", "Image"})
_CONTROLS = re.compile(r"[\x00-\x1f\x7f]+")
_TAGS = re.compile(r"<!--|-->|<[^<>]*+>")
_CITED = re.compile(r"\[\^[^\[\]\n]++\]")


class Line(NamedTuple):
    """A line: its sort, the anchor of the heading that it is, or stands under (empty: none), and its words."""

    sort: str
    anchor: str
    words: str


def told(page: Page, volumes: Collection[str] = ()) -> list[Line]:
    """The lines of a page in order: fields first, then its body. ``volumes`` are the keys of all volumes. Linear in its
    text."""
    found = [
        Line(FIELD, "", _one(_CONTROLS.sub(" ", f"{name}: {', '.join(values)}")))
        for name, values in fields(page.content.front_matter).items()
    ]
    categories = page.content.front_matter.names("categories")
    if categories:
        found.append(Line(FIELD, "", _one(_CONTROLS.sub(" ", f"categories: {', '.join(categories)}"))))
    return [*found, *_Reader(page, page.body(), volumes).read()]


def kept(lines: list[Line]) -> str:
    """Lines as they are kept: ``read_kept`` gives them back, up to ``LONGEST`` code points."""
    pieces: list[str] = []
    length = 0
    anchor = ""
    for sort, at, words in lines:
        if sort == HEADING and at != anchor:
            pieces.append(f"#{at}")
            anchor = at
        pieces.append(sort + words)
        length += len(words) + 2
        if length > LONGEST:
            break
    return "\n".join(pieces)


def read_kept(text: str) -> Iterator[Line]:
    """The lines of a page that were kept."""
    anchor = ""
    for line in text.split("\n"):
        if line[:1] == "#":
            anchor = line[1:]
        elif line:
            yield Line(line[0], anchor, line[1:])


class _Reader:
    def __init__(self, page: Page, body: Body, volumes: Collection[str]) -> None:
        self._page = page
        self._volumes = volumes
        self._body = body
        self._anchors = iter(Sections.of(page, volumes).anchors())
        self._prefix = body.lifted.prefix
        self._anchor = ""
        self._sort = WORDS
        self._words: list[str] = []
        self._lines: list[Line] = []

    def read(self) -> list[Line]:
        verbatim: list[str] = []
        for kind, value, _, _ in self._body.events:
            name = tag_name(value) if kind in {"Start", "End"} else ""
            if name in _VERBATIM:
                self._ended()
                if kind == "Start":
                    verbatim.append(name)
                elif verbatim:
                    verbatim.pop()
            elif verbatim and kind in {"Text", "Html"}:
                self._code_lines(_TAGS.sub(" ", value) if kind == "Html" else value)
            elif name:
                self._tag(name, kind == "Start", value)
            elif kind in {"Text", "Code", "InlineMath", "DisplayMath", "SoftBreak", "HardBreak"}:
                self._inline(kind, value)
        self._ended()
        return self._lines

    def _inline(self, kind: str, value: object) -> None:
        if kind == "Text":
            self._text(str(value))
        elif kind in {"SoftBreak", "HardBreak"}:
            self._words.append(" ")
        else:
            self._words += (CODE, _CONTROLS.sub(" ", unmasked(str(value))), TEXT)

    def _tag(self, name: str, begins: bool, value: object) -> None:
        if name == "TableCell":
            if begins and self._words and self._words[-1] != " · ":
                self._words.append(" · ")
        elif name in {"Link", "Image"}:
            if begins and isinstance(value, dict):
                self._address(str(value[name].get("dest_url", "")))
            if name == "Image":
                self._words.append(" ")
        elif name not in _INLINE:
            self._ended()
            if name == "Heading":
                self._sort = HEADING if begins else WORDS
                self._anchor = next(self._anchors, "") if begins else self._anchor

    def _address(self, address: str) -> None:
        if ":" in address:
            self._lines.append(Line(ADDRESS, self._anchor, _one(address)))

    def _code_lines(self, code: str) -> None:
        for line in unmasked(code).splitlines():
            if words := _one(_CONTROLS.sub(" ", line)):
                self._lines.append(Line(CODE_LINE, self._anchor, words))

    def _text(self, words: str) -> None:
        words = _CONTROLS.sub(" ", _CITED.sub(" ", unmasked(words)) if "[^" in words else unmasked(words))
        if not self._prefix or self._prefix not in words:
            self._words.append(words)
            return
        first, *behind = words.split(self._prefix)
        self._words.append(first)
        for piece in behind:
            number, _, rest = piece.partition("q")
            self._words += (self._reference(self._body.outer[int(number)]), rest)

    def _reference(self, index: int) -> str:
        """A link as the words that are read; of an insert, the words that are handed over to it."""
        references, text = self._page.content.references, self._page.text
        reference: Reference = references[index]
        if reference.kind is Kind.LINK:
            return shown(reference, text, self._volumes)
        values = [_typed_words(each.span.of(text)) for each in call(text, references, index).values]
        return f" {_CONTROLS.sub(' ', ' · '.join(values))} " if reference.kind is Kind.INSERT else " "

    def _ended(self) -> None:
        words = _one("".join(self._words)).removesuffix(" ·")
        if words:
            self._lines.append(Line(self._sort, self._anchor, words))
        self._words = []


_LABELLED = re.compile(r"\[\[=?([^\[\]|]*+)(?:\|([^\[\]]*+))?\]\]")


def _typed_words(value: str) -> str:
    """A value as it is read, lightly: it is Markdown by itself, which is not read a second time."""
    return plain(_LABELLED.sub(lambda found: found[2] or found[1], value)).replace("**", "").replace("`", "")


def _one(words: str) -> str:
    return " ".join(words.split())
