"""A text as safe HTML with open places.

``compile_page`` is done once per revision: references are taken out, the rest
is parsed, written (``writer``) and cleaned by nh3. What comes out is a
sequence of finished HTML and *open* pieces: references, tags of headings, uses
of footnotes. ``core.assembly.assembly`` fills them at each view, so creating, deleting or
renaming a page, or changing a template, never spoils a stored rendering.

What holds: raw HTML of a writer is cleaned and cannot swallow the page;
identifiers and classes are ours alone; nesting is capped.
"""

from __future__ import annotations

import html
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import NamedTuple

import nh3

from mokuji.core.base.spans import Span
from mokuji.core.html.writer import Diagram, File, Rules, Writer, box
from mokuji.core.language.page import Page
from mokuji.core.language.scan import PageText
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.parser import events
from mokuji.core.syntax.placeholders import outermost, prefix, replaced
from mokuji.core.syntax.reference import Kind
from mokuji.core.syntax.slots import Escaped, parse
from mokuji.core.syntax.slots import Piece as Slotted
from mokuji.core.syntax.steps import measured

NOT_LAID_OUT = (
    "From here on the text stands as it was typed: the page has more parts than are laid out at once. "
    "Divide it into several pages."
)
USUAL = "qusualmarkx"
"""Stands for the mark of a text that does not hold it: nobody can forge with it, though everybody may know it."""
_WORD = re.compile(r"\w+")
_TAG = re.compile(r"<[^<>]*+>")
_UNREAD = re.compile(r"<annotation\b[^<>]*+>[^<]*+</annotation>")
_TAGS = set(
    (
        "a abbr b bdi bdo blockquote br caption cite code col colgroup dd del details dfn div dl "
        "dt em figcaption figure h2 h3 h4 h5 h6 hr i ins kbd li mark ol p pre q rp rt ruby s samp "
        "small span strong sub summary sup table tbody td tfoot th thead time tr u ul var wbr"
    ).split()
)
_ATTRIBUTES = {
    "*": {"title", "lang", "dir"},
    "a": {"href"},
    "ol": {"start"},
    "td": {"align", "colspan", "rowspan"},
    "th": {"align", "colspan", "rowspan", "scope"},
    "time": {"datetime"},
    "details": {"open"},
}


@dataclass(frozen=True, slots=True)
class Open:
    """A place for reference number ``index``; ``linked`` if it stands inside a link, where it can show words only;
    ``block`` if it makes up a paragraph by itself."""

    index: int
    linked: bool = False
    block: bool = False


@dataclass(frozen=True, slots=True)
class Head:
    """The opening tag of a heading: its level as typed (2 to 6), and which of the page's headings it is; None for one
    that a value brought along."""

    level: int
    heading: int | None


@dataclass(frozen=True, slots=True)
class HeadEnd:
    """The closing tag of the heading that was opened last."""

    level: int


@dataclass(frozen=True, slots=True)
class Note:
    """A place where a footnote is used."""

    label: str


@dataclass(frozen=True, slots=True)
class Signal:
    """The opening tag, ``p`` or ``blockquote``, of what is a notice where its word is a signal word."""

    tag: str
    word: str


@dataclass(frozen=True, slots=True)
class Tag:
    """A mark: its word without the ``#``."""

    word: str


@dataclass(frozen=True, slots=True)
class Cited:
    """A source of the wiki, by its name as typed, and the place in it; ``typed`` is all of it."""

    name: str
    place: str = ""
    typed: str = ""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who is named, by the handle as typed."""

    handle: str


@dataclass(frozen=True, slots=True)
class Box:
    """The box of a task: which of the text's tasks it is, and whether it is done."""

    number: int
    done: bool


Sign = Tag | Cited | Person
"""What is taken out of a text as a short word: a mark, a source, a person."""
Piece = str | Open | Head | HeadEnd | Note | Sign | File | Diagram | Box | Signal


@dataclass(frozen=True, slots=True)
class Compiled:
    """A text as finished HTML with open pieces between; ``notes`` are the texts of its footnotes; ``words`` counts the
    words in it."""

    pieces: tuple[Piece, ...]
    notes: Mapping[str, tuple[Piece, ...]]
    words: int


def bare(piece: Piece) -> str:
    """A piece as HTML, where nothing is put in: headings have their tags, all else that is open has nothing."""
    if isinstance(piece, str):
        return piece
    if isinstance(piece, Head):
        return f"<h{piece.level}>"
    if isinstance(piece, Box):
        return box(None, piece.done)
    if isinstance(piece, Signal):
        return f"<{piece.tag}>"
    if isinstance(piece, Tag):
        return "#" + html.escape(piece.word)
    if isinstance(piece, Person):
        return "@" + html.escape(piece.handle)
    if isinstance(piece, File):
        return html.escape(piece.words) if piece.picture else "<a>"
    if isinstance(piece, Diagram):
        return f"<p>{html.escape(piece.caption or piece.description)}</p>"
    return f"</h{piece.level}>" if isinstance(piece, HeadEnd) else ""


def compile_page(page: Page, key: bytes) -> Compiled:
    """A page as it stands, with open references by their index on the page.

    ``key`` is secret, so that no writer can foresee a stand-in. Linear in the text.
    """
    offset = page.content.front_matter.span.end
    references = page.content.references
    outer, _ = outermost(page.text, offset, references)
    mark = prefix(page.text[offset:].encode(), key)
    changes = [(references[index].span, f"{mark}{n}q") for n, index in enumerate(outer)]
    signs = list(signs_of(page.content))
    changes += [(span, f"{mark}t{n}q") for n, (span, _) in enumerate(signs)]
    text = replaced(page.text, Span(offset, len(page.text)), changes)
    words = {n: shown(references[index], page.text, ()) for n, index in enumerate(outer)}
    blocks = [n for n, index in enumerate(outer) if references[index].kind is not Kind.LINK]
    slots: list[str] = []
    if page.content.declared.slots and "${" in text:
        text = _with_slots(parse(text, page.content.declared.slots).pieces, mark, slots)
    return compile_text(text, mark, words, blocks, outer, slots=slots, signs=[sign for _, sign in signs])


def signs_of(content: PageText) -> Iterator[tuple[Span, Sign]]:
    """The marks, sources and people of a page, with their places."""
    yield from ((mark.span, Tag(mark.word)) for mark in content.marks)
    yield from ((cite.span, Cited(cite.name, cite.place, cite.called(cite.name))) for cite in content.cites)
    yield from ((handle.span, Person(handle.name)) for handle in content.handles)


def _with_slots(pieces: Sequence[Slotted], mark: str, shown_: list[str]) -> str:
    """A text in which slots are stand-ins, so that they are shown as typed and mean nothing to the parser."""

    def stand_in(typed: str) -> str:
        shown_.append(typed)
        return f"{mark}v{len(shown_) - 1}q"

    out: list[str] = []
    for piece in pieces:
        if isinstance(piece, str):
            out.append(piece)
        elif isinstance(piece, Escaped):
            out.append(stand_in("$"))
        elif piece.operator:
            out += [
                stand_in("${" + piece.name + piece.operator),
                _with_slots(piece.word, mark, shown_),
                stand_in("}"),
            ]
        else:
            out.append(stand_in("${" + piece.name + "}"))
    return "".join(out)


def compile_text(
    text: str,
    mark: str,
    words: Mapping[int, str],
    inserts: Collection[int],
    indexes: Sequence[int] | None = None,
    *,
    marked: bool = False,
    slots: Sequence[str] = (),
    signs: Sequence[Sign] = (),
) -> Compiled:
    """A text whose references were taken out; ``mark`` begins their stand-ins.

    ``words`` are what each shows where only text can be, ``inserts`` those that may stand as blocks, ``indexes`` what
    each is called in the result (itself, without). ``marked`` says that headings say which ones they are. ``slots`` are
    what is typed where slots are shown as such, ``signs`` those that were taken out.
    """
    writer = Writer(mark, words, inserts=inserts, slots=slots)
    within, end = measured(text, mark)
    clean = nh3.clean(
        writer.write(within),
        tags=_TAGS,
        attributes=_ATTRIBUTES,
        url_schemes={"http", "https", "mailto"},
        link_rel=None,
    )
    laid_out = _divide(clean, writer, indexes, signs, marked=marked)
    if end == len(text):
        return laid_out
    rest = _as_typed(text[end:], mark, words, slots, signs)
    return replace(laid_out, pieces=(*laid_out.pieces, rest))


def _as_typed(
    text: str, mark: str, words: Mapping[int, str], slots: Sequence[str], signs: Sequence[Sign]
) -> str:
    """What is not laid out: the text itself, with the words of what was taken out."""

    def typed(found: re.Match[str]) -> str:
        number = int(found["number"])
        if found["sort"] == "v":
            return slots[number]
        if found["sort"] == "t":
            return _typed(signs[number])
        return "" if found["sort"] else words[number]

    shown_ = re.sub(rf"{re.escape(mark)}(?P<sort>[a-z]?)(?P<number>\d+)q", typed, text) if mark else text
    return (
        f'<p class="notice">{html.escape(NOT_LAID_OUT)}</p>\n<pre>{html.escape(shown_, quote=False)}</pre>\n'
    )


def words_of(text: str) -> str:
    """What is read in some HTML, tags and all that only machines read left out; character references stay."""
    return _TAG.sub(" ", _UNREAD.sub(" ", text))


class _Cuts(NamedTuple):
    """What finds the stand-ins of a mark in HTML."""

    mark: str
    attributes: re.Pattern[str]
    own: re.Pattern[str]
    slots: re.Pattern[str]
    notes: re.Pattern[str]
    before: re.Pattern[str]
    """A line end before a block."""
    behind: re.Pattern[str]
    places: re.Pattern[str]


@lru_cache(maxsize=4)
def _cuts(prefix_: str) -> _Cuts:
    mark = re.escape(prefix_)
    return _Cuts(
        prefix_,
        re.compile(rf">{mark}a(\d+)q"),
        re.compile(rf"{mark}o(\d+)q"),
        re.compile(rf"{mark}v(\d+)q"),
        re.compile(rf"<div>{mark}m(\d+)q"),
        re.compile(rf"\n({mark}(?:\d+b|g\d+)q)"),
        re.compile(rf"({mark}(?:\d+b|g\d+)q)\n"),
        # Each way begins with one of two characters, which is what is looked for.
        re.compile(
            rf"{mark}(?:(?P<block>\d+)bq|(?P<index>\d+)(?P<linked>l?)q|f(?P<note>\d+)q|t(?P<tag>\d+)q|p(?P<file>\d+)q"
            rf"|g(?P<diagram>\d+)q|x(?P<box>\d+)q)|<(?P<opened>p|blockquote)>\s*{mark}w(?P<signal>\d+)q"
            rf"|<h(?P<level>[2-6])>{mark}h(?P<nth>\d+)q(?:{mark}k(?P<heading>\d+)q\s*)?|</h(?P<end>[2-6])>"
        ),
    )


def _divide(
    clean: str, writer: Writer, indexes: Sequence[int] | None, signs: Sequence[Sign], *, marked: bool
) -> Compiled:
    """Cuts cleaned HTML at the stand-ins: what is ours goes back in, the rest stays open."""
    own, attributes = writer.own, writer.attributes
    if not writer.prefix or any(USUAL in each for each in (clean, *own, *attributes, *writer.slots)):
        cuts = _cuts(writer.prefix)
    else:
        # Each text has a mark of its own, and expressions take longer to compile than to use: these are compiled once.
        cuts, clean = _cuts(USUAL), clean.replace(writer.prefix, USUAL)
        own, attributes = (
            [each.replace(writer.prefix, USUAL) for each in some] for some in (own, attributes)
        )
    clean = cuts.attributes.sub(lambda found: attributes[int(found[1])] + ">", clean)
    clean = cuts.own.sub(lambda found: own[int(found[1])], clean)
    count = len(_WORD.findall(words_of(clean)))
    clean = cuts.slots.sub(lambda found: _slot(writer.slots[int(found[1])]), clean)
    clean = cuts.behind.sub(r"\1", cuts.before.sub(r"\1", clean))
    clean = clean.replace(f"<a>{cuts.mark}p", f"{cuts.mark}p")
    body, *notes = cuts.notes.split(clean)
    places = cuts.places

    def pieces(part: str) -> Iterator[Piece]:
        at, inside = 0, False
        for match in places.finditer(part):
            if match["end"] and not inside:
                continue
            if match.start() > at:
                yield part[at : match.start()]
            at = match.end()
            if match["end"]:
                inside = False
                yield HeadEnd(int(match["end"]))
            elif match["level"]:
                inside = True
                own = match["heading"] if marked else match["nth"]
                yield Head(int(match["level"]), None if own is None else int(own))
            elif match["signal"]:
                yield Signal(match["opened"], writer.signals[int(match["signal"])])
            elif match["file"]:
                yield writer.files[int(match["file"])]
            elif match["box"]:
                yield Box(int(match["box"]), writer.boxes[int(match["box"])])
            elif match["diagram"]:
                yield writer.diagrams[int(match["diagram"])]
            elif match["tag"]:
                yield signs[int(match["tag"])]
            elif match["note"]:
                yield Note(writer.labels[int(match["note"])])
            else:
                number = int(match["block"] or match["index"])
                index = number if indexes is None else indexes[number]
                yield Open(index, bool(match["linked"]), bool(match["block"]))
        if at < len(part):
            yield part[at:]

    told = {
        writer.labels[int(number)]: tuple(pieces(text.rstrip().removesuffix("</div>")))
        for number, text in zip(notes[::2], notes[1::2], strict=True)
    }
    return Compiled(tuple(pieces(body)), told, count)


def _typed(sign: Sign) -> str:
    if isinstance(sign, Tag):
        return f"#{sign.word}"
    return (sign.typed or f"[^{sign.name}]") if isinstance(sign, Cited) else f"@{sign.handle}"


def _slot(typed: str) -> str:
    return "$" if typed == "$" else f'<span class="slot">{html.escape(typed)}</span>'


def note_use(number: int, use: int) -> str:
    """Where a footnote is used: its number, leading to its text."""
    return f'<sup class="note"><a id="note-{number}-from-{use}" href="#note-{number}">{number}</a></sup>'


def cited_at(place: str) -> str:
    """The place in a source, behind its number."""
    return f'<sup class="cited-at">, {html.escape(place)}</sup>' if place else ""


def no_source(name: str, typed: str = "") -> str:
    """Where a source is cited that is not in the list of sources."""
    said = html.escape(f"There is no source “{name}” in the list of sources")
    return f'<span class="no-source" title="{said}">{html.escape(typed or f"[^{name}]")}</span>'


def note_list(texts: Sequence[tuple[str, int]]) -> str:
    """The footnotes at the end of a page: text of each, in order, and how often it is used."""
    if not texts:
        return ""
    items: list[str] = []
    for number, (body, uses) in enumerate(texts, 1):
        back = "".join(
            f' <a class="back" href="#note-{number}-from-{use}">↑</a>' for use in range(1, uses + 1)
        )
        told = body.rstrip()
        told = told[:-4] + back + "</p>" if told.endswith("</p>") else told + back
        items.append(f'<li id="note-{number}">{told}</li>\n')
    return f'<div class="notes"><ol>{"".join(items)}</ol></div>\n'


def heading_tag(level: int, anchor: str) -> str:
    """The opening tag of a heading."""
    return f'<h{level} id="{html.escape(anchor)}">' if anchor else f"<h{level}>"


_INLINE_TAGS = set("b bdi code del em i kbd mark q s samp small span strong sub sup u var".split())


@lru_cache(maxsize=16384)
def inline(markdown: str) -> str:
    """A label as safe HTML: inline markup only, and no links, since it stands inside one."""
    if markdown.isalnum():
        return markdown
    written = Writer(rules=Rules(decorate=False, addresses=False)).write(list(events(markdown)))
    return nh3.clean(written, tags=_INLINE_TAGS, attributes={}, link_rel=None).strip()
