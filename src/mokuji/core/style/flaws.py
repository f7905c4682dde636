"""Flaws of a text as it is written: what the language allows and a careful writer would not leave, each with its mend
where there is one.

Structure only: rows, levels, pictures, code that is left open, words said twice. What a volume wants beyond that is
its house style.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.edit import front_edit
from mokuji.core.formulas.formula_words import unpaired
from mokuji.core.language.page import Page
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.parser import tag_name

SAID_BY_FLAWS = frozenset({"heading_first_level", "part_unclosed"})
"""Problems of the language that a flaw says with a mend."""
_BAR = re.compile(rb"\\.|`+|\|", re.DOTALL)
_RULE = re.compile(rb"[ \t>]*\|?[ \t]*:?-+:?[ \t]*(?:\|[ \t]*:?-+:?[ \t]*)*\|?[ \t]*\Z")
_FENCE = re.compile(r"(?:[ \t>]|[-*+] |\d{1,9}[.)] )*(`{3,}|~{3,})")
_TWICE = re.compile(r"\b([^\W\d_]+)[ \t]+\1\b", re.IGNORECASE)
_WHOLE_WORD = re.compile(r"[^\W\d_]+\b")
_NUMBER = re.compile(rb"(\d{1,9})[.)]")
_LETTER = re.compile(r"[ \t]*([a-z]|[ivx]{1,4})[.)][ \t]+")
_FIRST_LETTER = re.compile(rb"[ \t]*[ai][.)][ \t]")
_FORMULA = re.compile(rb"(?<![\\$])\$\$?(?=[^\s$])([^$\n]*)(?<!\s)\$\$?")
_LATEX = re.compile(r"\\[A-Za-z]|[\^_]")
_TWICE_SOMEHOW = re.compile(r"\b([^\W\d_]++)\W++\1\b", re.IGNORECASE)
_COUNTED = re.compile(r"\n[^\w\n]*(?:[ai]|[0-9]{1,9})[.)]")
_RULED = re.compile(r"\n[ \t>]*[|:-][ \t|:-]*(?:\n|\Z)")
_SIGNS = ("![", "```", "~~~", "$", "[^", "[x]", "[X]", "\r")
"""Without these, without a line that counts or one of dashes, and without a word twice, events hold no flaw."""
_MAY_BE_TWICE = frozenset({"that", "had", "very", "bye", "so", "no"})
"""Words that sentences do hold twice (common practice)."""


@dataclass(frozen=True, slots=True)
class Mend:
    """What puts a flaw right: what that is called, and the edits; or another title for the page, or a word or name
    that the house style is to learn."""

    words: str
    edits: tuple[Edit, ...] = ()
    title: str = ""
    learn: tuple[Literal["word", "name"], str] | None = None


@dataclass(frozen=True, slots=True)
class Flaw:
    """Something that a careful writer would change: a code, a sentence, its place in code points, and its mend, with
    others that may be meant. ``word`` is one that no dictionary knows."""

    code: str
    message: str
    span: Span
    mend: Mend | None = None
    others: tuple[Mend, ...] = ()
    word: str = ""

    @property
    def mends(self) -> tuple[Mend, ...]:
        """All mends, the likeliest first."""
        return (self.mend, *self.others) if self.mend is not None else self.others


def flaws(page: Page) -> list[Flaw]:
    """The flaws of a page in the order of its text."""
    found = [*_headings(page), *_unclosed(page), *_diagrams(page)]
    text = page.text[page.content.front_matter.span.end :]
    twice = may_say_twice(text)
    if twice or may_count_or_draw(text):
        found += in_events(page.body(), twice=twice)
    return sorted(found, key=lambda flaw: flaw.span)


def in_events(body: Body, *, twice: bool = True) -> Iterator[Flaw]:
    """The flaws that events show; ``twice`` says whether to look for words that are said twice."""
    looker = _Looker(body, twice=twice)
    looker.look()
    return looker.placed()


def may_say_twice(text: str) -> bool:
    """Whether a word may stand twice: whether it does with anything between that is no word."""
    return _TWICE_SOMEHOW.search(text.replace("_", " ")) is not None


def may_count_or_draw(text: str) -> bool:
    """Whether there may be another flaw in the events of a text: most texts hold nothing that could be one."""
    lines = f"\n{text}"
    return (
        any(sign in text for sign in _SIGNS)
        or _COUNTED.search(lines) is not None
        or _RULED.search(lines) is not None
    )


def _headings(page: Page) -> Iterator[Flaw]:
    last = 1
    for heading in page.content.headings:
        level = max(2, heading.level)
        start = heading.span.start
        marks = re.compile(r"#+").match(page.text, start)
        if heading.level == 1:
            mend = Mend("Make it second level", (Edit(Span(start, start), "#"),)) if marks else None
            said = "A first-level heading: the title is the only one."
            yield Flaw("heading_first_level", said, Span(start, heading.end), mend)
        elif level > last + 1:
            mend = None
            if marks is not None:
                mend = Mend(f"Make it level {last + 1}", (Edit(Span(*marks.span()), "#" * (last + 1)),))
            said = f"A heading of level {level} stands below one of level {last}: a level is skipped."
            if last == 1:
                said = f"The first heading is of level {level}: headings begin at level 2."
            yield Flaw("heading_skips", said, Span(start, heading.end), mend)
        last = level


def _diagrams(page: Page) -> Iterator[Flaw]:
    for fence in page.content.diagrams:
        if not fence.info.caption and not fence.info.description:
            said = "This diagram has no caption: write behind “dot” what it shows, and behind “|” what is to be seen."
            yield Flaw("diagram_bare", said, fence.opening)


def _unclosed(page: Page) -> Iterator[Flaw]:
    """A part without its closing marker; code is looked for with the events."""
    end = front_edit.line_end(page.text)
    for part in page.content.parts:
        if part.closing.start == part.closing.end:
            gap = "" if page.text.endswith(("\n", "\r")) else end
            close = Edit(Span(len(page.text), len(page.text)), f"{gap}<!-- /part -->{end}")
            said = "This part is not closed, so it runs to the end."
            yield Flaw("part_unclosed", said, part.opening, Mend("Close it at the end", (close,)))


@dataclass(frozen=True, slots=True)
class _Raw:
    """A flaw in bytes of the lifted body."""

    code: str
    message: str
    start: int
    end: int
    mend: str = ""
    at: int = -1
    to: int = -1
    words: str = ""


class _Looker:
    """Finds flaws in the events of a text whose references were lifted out."""

    def __init__(self, body: Body, *, twice: bool) -> None:
        self._body = body
        self._lifted = body.lifted
        self._look_twice = twice
        self._has_formulas = b"$" in body.lifted.data
        self._found: list[_Raw] = []
        self._counts: list[int] = []
        """Of the lists that are open, the outermost first: the number of the item read last."""
        self._after: dict[int, int] = {}
        """The number with which a list would go on, by how deep it stands."""

    def look(self) -> None:
        events = self._body.events
        image: tuple[int, int] | None = None
        alt = False
        verbatim = 0
        before: tuple[int, int] | None = None
        for n, (kind, value, start, end) in enumerate(events):
            name = tag_name(value) if kind in {"Start", "End"} else ""
            if kind == "Start" and name == "Table":
                self._table(start, end)
            elif name in {"List", "Item", "Heading"}:
                self._lists(kind, name, value, start)
            elif kind == "Start" and name == "Paragraph":
                self._letters(start, end)
            elif kind == "Start" and name == "Image":
                image, alt = (start, end), False
            elif kind == "End" and name == "Image" and image is not None:
                if not alt:
                    said = "This picture has no description: say in the brackets what it shows."
                    self._say("image_bare", said, *image)
                image = None
            elif image is not None and kind in {"Text", "Code"}:
                alt = True
            if name in {"CodeBlock", "HtmlBlock"}:
                verbatim += 1 if kind == "Start" else -1
                if kind == "Start" and name == "CodeBlock" and isinstance(value[name], dict):
                    self._fence(start, end)
            elif kind == "Text" and not verbatim:
                if self._look_twice:
                    self._twice(start, end)
                    if before is not None:
                        self._over_lines(before, (start, end))
                if self._has_formulas:
                    self._formulas(start, end)
            # A text goes on behind a line end.
            broken = kind == "Text" and n + 1 < len(events) and events[n + 1][0] == "SoftBreak"
            before = (start, end) if broken and not verbatim else (before if kind == "SoftBreak" else None)

    def placed(self) -> Iterator[Flaw]:
        """What was found, in code points of the page."""
        span = self._body.span
        for raw in self._found:
            mend = Mend(raw.mend, (Edit(span(raw.at, raw.to), raw.words),)) if raw.mend else None
            yield Flaw(raw.code, raw.message, span(raw.start, raw.end), mend)

    def _say(
        self, code: str, message: str, start: int, end: int, mend: tuple[str, int, int, str] | None = None
    ) -> None:
        """``start`` and ``end`` are bytes of the lifted text, and so are those of the mend."""
        self._found.append(_Raw(code, message, start, end, *(mend or ())))

    def _table(self, start: int, end: int) -> None:
        data = self._lifted.data
        at = start
        width = 0
        while at < end:
            stop = data.find(b"\n", at, end)
            stop = end if stop < 0 else stop
            line = data[at:stop].rstrip(b"\r \t")
            cells = _cells(line)
            if not width:
                width = cells
            elif cells != width and not _RULE.fullmatch(line) and line.strip(b" \t>"):
                behind = at + len(line)
                if cells < width:
                    lack = width - cells
                    words = " |" * (lack if line.endswith(b"|") else lack + 1)
                    said = f"This row has {cells} of {width} cells."
                    mend = (
                        "Add what is missing",
                        behind,
                        behind,
                        words if line.endswith(b"|") else f" {words.strip()}",
                    )
                    self._say("row_short", said, at, behind, mend)
                else:
                    said = (
                        f"This row has {cells} cells, {width} belong here; what is beyond them is not shown. "
                    )
                    self._say("row_long", f"{said}A bar in a cell is written “\\|”.", at, behind)
            at = stop + 1

    def _lists(self, kind: str, name: str, value: Any, start: int) -> None:
        """Ordered lists that begin with another number than 1, and do not go on with the one before them."""
        if name == "Heading":
            self._after = {}
        elif name == "Item":
            if kind == "Start" and self._counts:
                self._counts[-1] += 1
        elif kind == "Start":
            number = value["List"]
            depth = len(self._counts)
            if number is not None and number > 1 and self._after.get(depth) != number:
                typed = _NUMBER.match(self._lifted.data, start)
                if typed is not None:
                    mend = ("Begin at 1", typed.start(1), typed.end(1), "1")
                    self._say("list_starts", f"This list begins at {number}.", start, typed.end(), mend)
            self._counts.append((number or 0) - 1)
        else:
            last = self._counts.pop()
            self._after[len(self._counts)] = last + 1

    def _letters(self, start: int, end: int) -> None:
        """Lines counted with letters: no list to the language, which counts by how deep a list stands."""
        if _FIRST_LETTER.match(self._lifted.data, start) is None:
            return
        end = start + len(self._lifted.data[start:end].rstrip())
        lines = self._body.span(start, end).of(self._body.text).split("\n")
        marks = [mark for line in lines if (mark := _LETTER.match(line)) is not None]
        if len(lines) < 2 or len(marks) < len(lines):
            return
        said = "Letters begin no list. Number it: lists within lists are counted with letters by themselves."
        numbered = "\n".join(
            f"{n}. {line[mark.end() :]}" for n, (line, mark) in enumerate(zip(lines, marks, strict=True), 1)
        )
        self._say("list_letters", said, start, end, ("Number it", start, end, numbered))

    def _formulas(self, start: int, end: int) -> None:
        """Formulas whose braces do not pair up: those stand as text."""
        for match in _FORMULA.finditer(self._lifted.data, start, end):
            inner = match[1].decode()
            depth = unpaired(inner)
            if depth and _LATEX.search(inner):
                what = "is not closed" if depth > 0 else "is closed that was not opened"
                close = ("Close it", match.end(1), match.end(1), "}" * depth) if depth > 0 else None
                self._say(
                    "formula_brace", f"A brace of this formula {what}, so it is text.", *match.span(), close
                )

    def _fence(self, start: int, end: int) -> None:
        text = self._lifted.data[start:end].decode()
        opening = _FENCE.match(text)
        if opening is None or end < len(self._lifted.data.rstrip()):
            return
        last = text.rstrip().rsplit("\n", 1)
        closing = _FENCE.fullmatch(last[-1].strip()) if len(last) > 1 else None
        if closing is not None and closing[1].startswith(opening[1]):
            return
        before = self._lifted.data[self._lifted.data.rfind(b"\n", 0, start) + 1 : start].decode()
        lead = re.sub(r"[^\s>]", " ", before + opening[0][: -len(opening[1])])
        stop = len(self._lifted.data)
        gap = "" if self._lifted.text.endswith(("\n", "\r")) else "\n"
        line = text.find("\n")
        said = "This code is not closed, so it runs to the end."
        begin = start + (len(text[:line].encode()) if line >= 0 else len(text.encode()))
        self._say(
            "fence_unclosed",
            said,
            start,
            begin,
            ("Close it at the end", stop, stop, f"{gap}{lead}{opening[1]}\n"),
        )

    def _over_lines(self, first: tuple[int, int], second: tuple[int, int]) -> None:
        data = self._lifted.data
        said_before = data[first[0] : first[1]].decode().rstrip()
        # From its end, since a search would begin at each letter.
        last = _WHOLE_WORD.match(said_before[::-1])
        text = data[second[0] : second[1]].decode()
        begin = _WHOLE_WORD.match(text)
        word = last[0][::-1] if last is not None else ""
        if not word or begin is None or not _same(word, begin[0]):
            return
        behind = first[0] + len(said_before.encode())
        start = behind - len(word.encode())
        stop = second[0] + len(begin[0].encode())
        said = f"“{word}” stands here twice."
        self._say("word_twice", said, start, stop, ("Take one out", behind, stop, ""))

    def _twice(self, start: int, end: int) -> None:
        text = self._lifted.data[start:end].decode()
        for match in _TWICE.finditer(text):
            if match[1].lower() in _MAY_BE_TWICE or (
                match[1][0].islower() and not match[0].startswith(match[1])
            ):
                continue
            first = start + len(text[: match.end(1)].encode())
            last = start + len(text[: match.end()].encode())
            whole = start + len(text[: match.start()].encode())
            said = f"“{match[1]}” stands here twice."
            self._say("word_twice", said, whole, last, ("Take one out", first, last, ""))


def _same(one: str, other: str) -> bool:
    return one.lower() == other.lower() and one.lower() not in _MAY_BE_TWICE


def _cells(line: bytes) -> int:
    """How many cells a line of a table has: bars in code count, as they do for the parser (GitHub Flavored Markdown
    0.29, section 4.10), escaped ones do not."""
    words = line.strip(b" \t>")
    bars = [found.start() for found in _BAR.finditer(words) if found[0] == b"|"]
    inner = [bar for bar in bars if bar not in {0, len(words) - 1}]
    return len(inner) + 1
