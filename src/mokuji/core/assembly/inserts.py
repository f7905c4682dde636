"""Inserts: what of a page stands in the place of one, for the values that are handed over.

The order (docs/markup.md): references are recognised where they are typed and
taken out, the part or section is cut, markers of parts go, slots are filled,
and what is left is read by itself. So nothing that a value brings along is
ever a reference unless it was one where it was typed, and nothing of an
inserted text can swallow the text around it.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from mokuji.core.base import names
from mokuji.core.base.cache import BoundedCache
from mokuji.core.base.spans import Span
from mokuji.core.html.filling import Form, form
from mokuji.core.html.html import Compiled, Sign, compile_page, compile_text, signs_of
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import Resolver, Sections, volumes_by_id
from mokuji.core.model.wiki import Wiki
from mokuji.core.syntax.calls import call, dedented
from mokuji.core.syntax.headings import section_end, shown, typed_span
from mokuji.core.syntax.placeholders import prefix, replaced
from mokuji.core.syntax.reference import Kind, Reference
from mokuji.core.syntax.slots import Slot

DEEPEST = 12
"""Maximum number of inserts inside each other."""
MOST = 1_000
"""Maximum number of inserts that one view takes in."""
LARGEST = 2_000_000
"""Maximum number of code points that the inserts of one view come to."""
MOST_KEPT = 1_000
"""Number of cut pages, and of compiled inserts, that are kept."""
KEPT_LENGTH = 20_000
"""Longer texts are compiled at each view: so many of what is kept must fit into memory."""


T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong about an insert, said for the place where it is used."""

    code: str
    message: str


@dataclass(frozen=True, slots=True)
class Token:
    """Reference ``index`` of a page, as it stands in a text that is put together: with the values that the page's own
    slots have there; None on a page that is viewed itself, where they have none and stand as typed."""

    page: Page
    index: int
    values: Mapping[str, Rich] | None = None

    @property
    def reference(self) -> Reference:
        """The reference as it is typed."""
        return self.page.content.references[self.index]


Rich = tuple[str | Token, ...]
"""What a value is: words, and tokens of the page where it was typed."""


@dataclass(frozen=True)
class Instance:
    """A text that is put in: its HTML with open pieces, what stands at its open places, and which headings of its page
    came along."""

    page: Page
    compiled: Compiled
    tokens: Sequence[Token]
    headings: Sequence[int]


def puts_in(wiki: Wiki, text: Page, own: PageHead, ends: Collection[int]) -> PageHead | None:
    """The page that a text puts in, straight, by which one of these pages comes to stand in it; None if none does.
    ``own`` is the page that the text stands on: an insert of that one is a loop already, and counts for nothing."""
    homes = volumes_by_id(wiki)
    seen: set[int] = set()
    rounds: list[tuple[Page, PageHead | None]] = [(text, None)]
    for _ in range(DEEPEST):
        uses = [
            (page, lead, reference)
            for page, lead in rounds
            for reference in page.content.references
            if reference.kind is Kind.INSERT and reference.name is not None
        ]
        resolver = Resolver.of(wiki, ((homes[page.head.volume], each) for page, _, each in uses))
        following: dict[int, PageHead] = {}
        for page, lead, reference in uses:
            assert reference.name is not None
            head = resolver.resolve(reference.name, homes[page.head.volume], insert=True).page
            if head is None or (lead is None and head.id == own.id):
                continue
            if head.id in ends:
                return lead or head
            if head.id not in seen:
                seen.add(head.id)
                following[head.id] = lead or head
        if not following or len(seen) > MOST:
            return None
        pages = wiki.pages(following)
        rounds = [(pages[id_], lead) for id_, lead in following.items() if id_ in pages]
    return None


def select(page: Page, section: str | None, volumes: Iterable[str] = ()) -> list[Span] | None:
    """The ranges of a page that an insert takes: its unnamed parts, else all of its body; or one section or named
    part. None if there is no such. ``volumes`` are the keys of those that the reader knows of."""
    content = page.content
    if not section:
        unnamed = [part.inner for part in content.parts if part.name is None]
        return unnamed or [Span(content.front_matter.span.end, len(page.text))]
    sections = Sections.of(page, frozenset(volumes))
    if sections.is_part(section):
        return [next(part.inner for part in content.parts if part.key == names.key(section))]
    index = sections.find(section)
    if index is None:
        return None
    start = content.headings[index].span.start
    line = max(page.text.rfind("\n", 0, start), page.text.rfind("\r", 0, start)) + 1
    return [Span(max(line, content.front_matter.span.end), section_end(page.text, content.headings, index))]


@dataclass(frozen=True)
class _Cut:
    """What of a page is put in, read once: its text as a form, the references in it, the headings in it."""

    form: Form
    mark: str
    references: tuple[int, ...]
    headings: tuple[int, ...]


@dataclass(frozen=True)
class InsertCache:
    """What was cut and compiled last, by text and values."""

    cut: BoundedCache[_Cut] = field(default_factory=lambda: BoundedCache(MOST_KEPT))
    compiled: BoundedCache[Compiled] = field(default_factory=lambda: BoundedCache(MOST_KEPT))

    def clear(self) -> None:
        """Forgets everything."""
        self.cut.clear()
        self.compiled.clear()


class Inserter:
    """Makes the texts of one view, and watches their number and size."""

    def __init__(self, key: bytes, volumes: Iterable[str] = (), kept: InsertCache | None = None) -> None:
        """``key`` is secret; ``volumes`` are the keys of those that the reader knows of; ``kept`` outlives the view."""
        self._key = key
        self._volumes = frozenset(volumes)
        self._kept = kept if kept is not None else InsertCache()
        self._number = self._size = 0
        self._sections: dict[tuple[int, int], Sections] = {}

    def whole(self, page: Page, compiled: Compiled | None = None) -> Instance:
        """A page as it stands, to be viewed itself."""
        tokens = [Token(page, n) for n in range(len(page.content.references))]
        made = compiled if compiled is not None else compile_page(page, self._key)
        return Instance(page, made, tokens, range(len(page.content.headings)))

    def insert(self, token: Token, page: Page, *, block: bool = True) -> tuple[Instance | None, list[Fault]]:
        """What stands in the place of an insert that leads to a page, and what is wrong about it; None if nothing can
        stand there. Without ``block`` it stands in a line: white space at its ends (left by slots without a value,
        say) makes no code of it."""
        section = token.reference.section
        spans = select(page, section, self._volumes)
        if spans is None:
            said = f"“{page.head.title}” has no section or part “{section}”."
            return None, [Fault("section_missing", said)]
        self._number += 1
        if self._number > MOST:
            said = f"A page takes in {MOST:,} inserts at most, with those inside them: this one is left out."
            return None, [Fault("inserts_many", said)]
        # By its text: what somebody is writing has the revision that it is written upon.
        at = (page.head.id, page.text, names.key(section or ""))
        cut = self._kept.cut.made(at, lambda: _cut(page, spans, self._key))
        values, faults = self._given(token, page)
        tokens = [Token(page, n, values) for n in cut.references]
        words = {name: _numbered(value, tokens, cut.mark) for name, value in values.items()}
        self._size += cut.form.length(words)
        if self._size > LARGEST:
            said = f"The inserts of a page come to {LARGEST:,} characters at most: this one is left out."
            return None, [Fault("inserts_large", said)]
        filled = cut.form.fill(words)
        faults += [Fault("slot_value", f"“{page.head.title}”: {said}") for _, said in filled.faults]
        text = filled.text if block else filled.text.strip()
        shows = tuple((each.reference.kind, self._words(each)) for each in tokens)
        known = (*at, text, shows)
        signs = [sign for _, sign in signs_of(page.content)]
        compiled = (
            self._kept.compiled.made(known, lambda: _compile(text, cut.mark, shows, signs))
            if len(text) <= KEPT_LENGTH
            else _compile(text, cut.mark, shows, signs)
        )
        return Instance(page, compiled, tokens, cut.headings), faults

    def sections(self, page: Page) -> Sections:
        """The sections of a page, looked at once a view."""
        at = (page.head.id, page.head.revision)
        if at not in self._sections:
            self._sections[at] = Sections.of(page, self._volumes)
        return self._sections[at]

    def label(self, token: Token) -> str:
        """The label of a link as Markdown, its slots filled; empty when there is none."""
        label = token.reference.label(token.page.text)
        slots = token.page.content.declared.slots
        if not slots or "${" not in label or token.values is None:
            return label
        plain = {name: self.plain(value) for name, value in token.values.items()}
        return form(label, slots, prefix(label.encode(), self._key)).fill(plain).text

    def values(self, token: Token) -> list[tuple[str | None, Rich]]:
        """What an insert or a listing hands over, in order: names (None for a value without) and values."""
        page = token.page
        references, slots = page.content.references, page.content.declared.slots
        given = call(page.text, references, token.index)
        mark = prefix(page.text.encode(), self._key)
        found: list[tuple[str | None, Rich]] = []
        for value in given.values:
            inside = [Token(page, n, token.values) for n in value.references]
            pieces, at = [], value.span.start
            for n, each in enumerate(inside):
                pieces += [page.text[at : each.reference.span.start], f"{mark}{n}q"]
                at = each.reference.span.end
            words = dedented("".join(pieces) + page.text[at : value.span.end], given.indent)
            if slots and "${" in words and token.values is not None:
                outer = {name: _numbered(each, inside, mark) for name, each in token.values.items()}
                made = form(words, slots, mark)
                self._size += made.length(outer)
                # What is too large is left out with the insert that it is for.
                words = made.fill(outer).text if self._size <= LARGEST else ""
            found.append((value.name, _parted(words, inside, mark)))
        return found

    def plain(self, value: Rich) -> str:
        """A value as words alone."""
        return "".join(each if isinstance(each, str) else self._words(each) for each in value)

    def _words(self, token: Token) -> str:
        return shown(token.reference, token.page.text, self._volumes)

    def _given(self, token: Token, page: Page) -> tuple[dict[str, Rich], list[Fault]]:
        return assign(self.values(token), page.content.declared.slots, page.head.title)


def assign(
    handed: Iterable[tuple[str | None, T]], slots: Mapping[str, Slot], title: str
) -> tuple[dict[str, T], list[Fault]]:
    """Which slot of a template each value fills, and what does not fit; a value without a name fills the first slot.
    A value that is ``()`` or empty counts as none where one is required."""
    values: dict[str, T] = {}
    faults: list[Fault] = []
    first = next(iter(slots), None)
    for name, value in handed:
        wanted = first if name is None else name
        if wanted is None or wanted not in slots:
            said = (
                f"“{title}” has no slot “{name}”."
                if name
                else f"“{title}” has no slots, so it takes no value."
            )
            faults.append(Fault("slot_unknown", said))
        elif wanted in values:
            faults.append(
                Fault("slot_twice", f"The slot “{wanted}” of “{title}” is given twice; the first one counts.")
            )
        else:
            values[wanted] = value
    for slot in slots.values():
        if slot.required and slot.default is None and not values.get(slot.name):
            faults.append(Fault("slot_missing", f"“{title}” needs a value for “{slot.name}”."))
    return values, faults


def _numbered(value: Rich, tokens: list[Token], mark: str) -> str:
    """A value as a text with stand-ins; its tokens are added to those that are there."""
    words: list[str] = []
    for each in value:
        if isinstance(each, str):
            words.append(each)
        else:
            words.append(f"{mark}{len(tokens)}q")
            tokens.append(each)
    return "".join(words)


def _parted(words: str, tokens: Sequence[Token], mark: str) -> Rich:
    """The other way round."""
    pieces = re.split(rf"{re.escape(mark)}(\d+)q", words)
    return tuple(
        tokens[int(piece)] if at % 2 else piece for at, piece in enumerate(pieces) if at % 2 or piece
    )


def _compile(text: str, mark: str, shows: Sequence[tuple[Kind, str]], signs: Sequence[Sign]) -> Compiled:
    words = {n: said for n, (_, said) in enumerate(shows)}
    blocks = [n for n, (kind, _) in enumerate(shows) if kind is not Kind.LINK]
    return compile_text(text, mark, words, blocks, marked=True, signs=signs)


def _cut(page: Page, spans: Sequence[Span], key: bytes) -> _Cut:
    content = page.content
    mark = prefix(page.text.encode(), key)
    # Link definitions and footnotes of the page count in what is cut from it.
    told = [
        definition.span
        for definition in content.definitions.defined
        if not definition.nested and not any(span.holds(definition.span.start) for span in spans)
    ]
    markers = [span for part in content.parts for span in (part.opening, part.closing)]
    pieces: list[str] = []
    references: list[int] = []
    headings: list[int] = []
    for n, span in enumerate([*spans, *told]):
        changes: list[tuple[Span, str]] = [(marker, "\n") for marker in markers]
        changes += _stand_ins(page, span, references, mark)
        changes += [(where, f"{mark}t{n}q") for n, (where, _) in enumerate(signs_of(content))]
        for index, heading in enumerate(content.headings):
            if span.holds(heading.span.start):
                at = typed_span(page.text, heading).start
                changes.append((Span(at, at), f"{mark}k{index}q "))
                headings.append(index)
        pieces.append(("\n\n" if n else "") + replaced(page.text, span, changes))
    return _Cut(form("".join(pieces), content.declared.slots, mark), mark, tuple(references), tuple(headings))


def _stand_ins(page: Page, span: Span, references: list[int], mark: str) -> list[tuple[Span, str]]:
    changes: list[tuple[Span, str]] = []
    end = span.start
    for index, reference in enumerate(page.content.references):
        if end <= reference.span.start and reference.span.end <= span.end:
            changes.append((reference.span, f"{mark}{len(references)}q"))
            references.append(index)
            end = reference.span.end
    return changes
