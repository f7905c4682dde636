"""A page as its readers see it: its text with everything put in that it inserts.

Headings of an insert nest under the heading they land in, footnotes are
numbered across inserts, anchors never clash, a loop is shown where it closes.
How a reference looks, and where it leads, is for the caller (``Show``).
"""

from __future__ import annotations

import html
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from mokuji.core.assembly.inserts import DEEPEST, Fault, Inserter, Instance, Token
from mokuji.core.base import names
from mokuji.core.html.html import (
    Box,
    Cited,
    Head,
    HeadEnd,
    Note,
    Open,
    Person,
    Piece,
    Signal,
    Tag,
    cited_at,
    heading_tag,
    no_source,
    note_list,
    note_use,
    words_of,
)
from mokuji.core.html.writer import Diagram, File, box
from mokuji.core.language.page import Page
from mokuji.core.syntax.pointers import source_key
from mokuji.core.syntax.reference import Kind

_BLOCK = re.compile(
    r"</?(?:p|div|ul|ol|li|dl|dt|dd|table|thead|tbody|tr|th|td|blockquote|pre|h[2-6]|hr|details|summary|figure)\b[^>]*>"
)
_ONE_PARAGRAPH = re.compile(r"\s*(?:<p>((?:(?!</?p>).)*)</p>)?\s*", re.DOTALL)

MOST_LISTS = 50
LOOP = "insert_loop"
TOO_DEEP = "inserts_deep"
"""Maximum number of lists of pages on one page: each asks the database by itself."""


class Show(Protocol):
    """How references look and what they insert."""

    def page(self, token: Token) -> Page | None:
        """The page that an insert leads to, if there is one that the reader may see."""
        ...

    def link(self, token: Token, label: str, place: Open, *, anchor: str | None, own: bool) -> str:
        """A reference as HTML. ``anchor`` is where its section stands on the page that is shown, if it came along;
        ``own`` says that it is typed on that page itself."""
        ...

    def listing(
        self, token: Token, values: Sequence[tuple[str | None, str]], place: Open
    ) -> tuple[str, list[Fault]]:
        """A list of pages as HTML, for the values that the listing gives."""
        ...

    def inserted(self, html: str, token: Token, page: Page, place: Open) -> str:
        """An inserted text with what says where it comes from."""
        ...

    def signal(self, tag: str, word: str, page: Page) -> str:
        """The opening tag of what is a notice if its word is a signal word in the language of its page."""
        ...

    def mark(self, word: str, page: Page) -> str:
        """A mark, typed on a page."""
        ...

    def person(self, handle: str) -> str:
        """Somebody who is named."""
        ...

    def source(self, name: str) -> str | None:
        """A source as it stands in the list at the end of a page; None if there is no such source."""
        ...

    def file(self, file: File, page: Page) -> str:
        """A file that a page names: a picture, or the opening tag of a link."""
        ...

    def diagram(self, diagram: Diagram) -> str:
        """A diagram as it is drawn, or what is wrong with it."""
        ...

    def fault(self, faults: Sequence[Fault], place: Open) -> str:
        """What is wrong about an insert, in its place."""
        ...


@dataclass(frozen=True, slots=True)
class ShownHeading:
    """A heading in the list of a page's headings: its level as shown, its words and its anchor; ``own`` if it is
    typed on the page itself."""

    level: int
    words: str
    anchor: str
    own: bool


@dataclass(frozen=True)
class Assembled:
    """A page as it is shown: its HTML, its headings, and the faults of its own inserts by the index of each."""

    html: str
    headings: tuple[ShownHeading, ...]
    faults: Mapping[int, tuple[Fault, ...]]


def assemble(inserter: Inserter, root: Instance, anchors: Sequence[str], show: Show) -> Assembled:
    """A whole page. ``anchors`` are those of its own headings, in order. Expected faults are part of the result."""
    assembler = _Assembler(inserter, show, anchors)
    text = assembler.root(root)
    return Assembled(
        text, tuple(assembler.headings), {n: tuple(dict.fromkeys(f)) for n, f in assembler.faults.items()}
    )


@dataclass
class _Frame:
    """A text being assembled: its anchors by heading of its page, how far its headings are shifted, and
    the way that led here."""

    instance: Instance
    anchors: Mapping[int, str]
    shift: int
    level: int
    chain: tuple[tuple[int, str], ...]
    titles: tuple[str, ...]
    at: int
    """The index of the insert of the viewed page through which this was come to; -1 in its own text."""


@dataclass
class _Used:
    instance: Instance
    frame: _Frame
    label: str
    uses: int = 0
    source: str | None = None
    """The text of a source of the wiki, whose label is its key."""


@dataclass
class _Assembler:
    inserter: Inserter
    show: Show
    own: Sequence[str]
    headings: list[ShownHeading] = field(default_factory=list)
    faults: dict[int, list[Fault]] = field(default_factory=dict)
    _taken: set[str] = field(default_factory=set)
    _notes: list[_Used] = field(default_factory=list)
    _numbers: dict[tuple[int, str], int] = field(default_factory=dict)
    """Numbers of footnotes by their instance and label; sources belong to none (0)."""
    _lists: int = 0

    def root(self, instance: Instance) -> str:
        self._taken = set(self.own)
        anchors = dict(enumerate(self.own))
        head = instance.page.head
        frame = _Frame(instance, anchors, 0, 1, ((head.id, ""),), (head.title,), -1)
        text = self._text(frame, instance.compiled.pieces)
        told: list[tuple[str, int]] = []
        # The text of a note may use others.
        while len(told) < len(self._notes):
            used = self._notes[len(told)]
            notes = used.instance.compiled.notes
            body = self._text(used.frame, notes.get(used.label, ())) if used.source is None else used.source
            told.append((body, 0))
        return text + note_list([(body, self._notes[n].uses) for n, (body, _) in enumerate(told)])

    def _text(self, frame: _Frame, pieces: Sequence[Piece]) -> str:
        out: list[str] = []
        started = 0
        level = 0
        anchor = ""
        for piece in pieces:
            if isinstance(piece, str):
                out.append(piece)
            elif isinstance(piece, Open):
                out.append(self._open(frame, piece))
            elif isinstance(piece, Signal):
                out.append(self.show.signal(piece.tag, piece.word, frame.instance.page))
            elif isinstance(piece, Tag):
                out.append(self.show.mark(piece.word, frame.instance.page))
            elif isinstance(piece, Box):
                # In a text that was put in, which task of its page it is cannot be told.
                out.append(box(piece.number if frame.at < 0 else None, piece.done))
            elif isinstance(piece, Person):
                out.append(self.show.person(piece.handle))
            elif isinstance(piece, Cited):
                out.append(self._cited(frame, piece))
            elif isinstance(piece, File):
                out.append(self.show.file(piece, frame.instance.page))
            elif isinstance(piece, Diagram):
                out.append(self.show.diagram(piece))
            elif isinstance(piece, Note):
                out.append(self._note(frame, piece))
            elif isinstance(piece, Head):
                level = min(6, piece.level + frame.shift)
                frame.level = level
                anchor = self._anchor(frame, piece)
                out.append(heading_tag(level, anchor))
                started = len(out)
            else:
                assert isinstance(piece, HeadEnd)
                words = _words("".join(out[started:]))
                if not anchor:
                    anchor = self._free(names.anchor(words) or "section")
                    out[started - 1] = heading_tag(level, anchor)
                self.headings.append(ShownHeading(level, words, anchor, frame.at < 0))
                out.append(f"</h{level}>")
        return "".join(out)

    def _anchor(self, frame: _Frame, piece: Head) -> str:
        return frame.anchors.get(piece.heading, "") if piece.heading is not None else ""

    def _free(self, wanted: str) -> str:
        anchor, number = wanted, 1
        while anchor in self._taken:
            number += 1
            anchor = f"{wanted}-{number}"
        self._taken.add(anchor)
        return anchor

    def _cited(self, frame: _Frame, piece: Cited) -> str:
        key = source_key(piece.name)
        used = self._again(0, key)
        if used:
            return used + cited_at(piece.place)
        body = self.show.source(piece.name)
        if body is None:
            return no_source(piece.name, piece.typed)
        return self._first(0, _Used(frame.instance, frame, key, 1, body)) + cited_at(piece.place)

    def _again(self, instance: int, label: str) -> str:
        """A further use of a footnote or source; empty if it is the first."""
        number = self._numbers.get((instance, label), 0)
        if not number:
            return ""
        used = self._notes[number - 1]
        used.uses += 1
        return note_use(number, used.uses)

    def _first(self, instance: int, used: _Used) -> str:
        self._notes.append(used)
        self._numbers[instance, used.label] = len(self._notes)
        return note_use(len(self._notes), 1)

    def _note(self, frame: _Frame, piece: Note) -> str:
        # Footnotes belong to the instance that they stand in, which lives as long as the page is assembled.
        of = id(frame.instance)
        return self._again(of, piece.label) or self._first(of, _Used(frame.instance, frame, piece.label, 1))

    def _open(self, frame: _Frame, place: Open) -> str:
        token = frame.instance.tokens[place.index]
        kind = token.reference.kind
        if kind is Kind.LISTING and not place.linked:
            self._lists += 1
            if self._lists > MOST_LISTS:
                said = f"A page shows {MOST_LISTS} lists of pages at most, with those of its inserts."
                return self._faulty(frame, place, [Fault("lists_many", said)])
            values = [(name, self.inserter.plain(value)) for name, value in self.inserter.values(token)]
            listed, faults = self.show.listing(token, values, place)
            return listed + self._faulty(frame, place, faults)
        if kind is Kind.INSERT and not place.linked:
            page = self.show.page(token)
            if page is not None:
                return self._insert(frame, token, page, place)
        return self.show.link(
            token,
            self.inserter.label(token),
            place,
            anchor=self._here(frame, token),
            own=frame.at < 0,
        )

    def _here(self, frame: _Frame, token: Token) -> str | None:
        """Where the section of the own page that a reference names stands here, if it came along."""
        if token.reference.name is not None or token.page is not frame.instance.page:
            return None
        found = self.inserter.sections(token.page).find(token.reference.section or "")
        return None if found is None else frame.anchors.get(found)

    def _insert(self, frame: _Frame, token: Token, page: Page, place: Open) -> str:
        at = (page.head.id, names.key(token.reference.section or ""))
        if at in frame.chain:
            turn = [*frame.titles[frame.chain.index(at) :], page.head.title]
            said = "This insert comes back to itself: " + " → ".join(f"“{each}”" for each in turn) + "."
            return self._faulty(frame, place, [Fault(LOOP, said)])
        if len(frame.chain) > DEEPEST:
            said = (
                f"Inserts are taken in {DEEPEST} deep at most: "
                + " → ".join(f"“{t}”" for t in frame.titles)
                + "."
            )
            return self._faulty(frame, place, [Fault(TOO_DEEP, said)])
        instance, faults = self.inserter.insert(token, page, block=place.block)
        if instance is None:
            return self._faulty(frame, place, faults)
        inner = self._frame(frame, instance, token, at, place)
        text = self._text(inner, instance.compiled.pieces)
        if not place.block:
            text, whole = _inline(text)
            if not whole:
                said = f"“{page.head.title}” has more than one paragraph, and stands inside a line here."
                faults = [*faults, Fault("insert_inline", f"{said} Give the insert a paragraph of its own.")]
        return self.show.inserted(text, token, page, place) + self._faulty(frame, place, faults)

    def _frame(
        self, frame: _Frame, instance: Instance, token: Token, at: tuple[int, str], place: Open
    ) -> _Frame:
        levels = [piece.level for piece in instance.compiled.pieces if isinstance(piece, Head)]
        shift = frame.level + 1 - min(levels) if levels else 0
        anchors = self.inserter.sections(instance.page).anchors()
        here = {n: self._free(anchors[n]) for n in instance.headings} if levels else {}
        index = token.index if frame.at < 0 else frame.at
        titles = (*frame.titles, instance.page.head.title)
        return _Frame(instance, here, shift, frame.level, (*frame.chain, at), titles, index)

    def _faulty(self, frame: _Frame, place: Open, faults: Sequence[Fault]) -> str:
        if not faults:
            return ""
        index = frame.instance.tokens[place.index].index if frame.at < 0 else frame.at
        self.faults.setdefault(index, []).extend(faults)
        return self.show.fault(faults, place)


def _words(text: str) -> str:
    return " ".join(html.unescape(words_of(text)).split())


def _inline(text: str) -> tuple[str, bool]:
    """A text as it stands inside a line, and whether it fits there as it is."""
    match = _ONE_PARAGRAPH.fullmatch(text)
    if match is not None and not _BLOCK.search(match[1] or ""):
        return match[1] or "", True
    return " ".join(_BLOCK.sub(" ", text).split()), False
