"""Replace words in many pages: in text, code, titles, fields and slot values, as far as is wished.

A heading or a title that gets other words is renamed: references to it
follow. What names another page (the target of a reference, an alias, a
category) is never touched here: that is a rename of its own. A page whose
head could not be read any more, or that would have other references or
headings, is left out and named.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace

import yaml

from mokuji.core.assembly.listing import NOT_FIELDS
from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import BadName, Refused
from mokuji.core.base.spans import Lines, Span
from mokuji.core.edit.front_edit import mapping, node_span
from mokuji.core.edit.replacing import Forms, Replacement
from mokuji.core.language.page import Page, PageHead
from mokuji.core.language.scan import read_text
from mokuji.core.model.contents import Rekey
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan, make
from mokuji.core.style.mentions import FILE, VALUE, exchanged, stretches
from mokuji.core.syntax.calls import call
from mokuji.core.syntax.parser import tag_name
from mokuji.core.syntax.reference import Kind

TEXT_KIND, CODE, TITLE, FIELD = "text", "code", "title", "field"
KINDS = (TEXT_KIND, CODE, TITLE, FIELD, VALUE)
"""Where words can be replaced: in text (headings, labels and descriptions of pictures too), code, titles, fields of the
head, values of slots."""
LEFT_OUT = "left out"
"""The kind of a row that says which page is left out, and why."""
UNSOUND = "its head could not be read any more as before, or it would have other references or headings"
MOST = 5_000
"""Maximum number of places that one act replaces."""
_LINE_END = re.compile(r"[ \t]*(?:\r\n|\n|\r)[ \t]*")


@dataclass(frozen=True, slots=True)
class Replaced(Facts):
    """Words that are others now: in how many places of how many pages, and how many pages were left out."""

    words: str
    by: str
    places: int
    pages: int
    left: int = 0


@dataclass(frozen=True, slots=True)
class Found:
    """A place where words are replaced: its kind, its range in the text (of a title, in the title), and what stands
    there then."""

    kind: str
    span: Span
    words: str


def replace_words(
    wiki: Wiki,
    pages: Collection[int],
    replacement: Replacement | Forms,
    kinds: Collection[str],
    *,
    left: Collection[str] = (),
) -> Plan:
    """The plan to replace words in some pages, in places of these ``kinds``. Every place is a row of the plan; those
    named in ``left`` stay as they are. So is every page that is left out.

    Refused if the words cannot be looked for, if nothing is found, or if more than ``MOST`` places are.
    """
    replacement.check()
    heads: dict[int, PageHead] = {}
    places_taken: set[tuple[int, str]] = set()
    edits: dict[int, tuple[Edit, ...]] = {}
    rows: list[OptionalChange] = []
    out: list[PageHead] = []
    placing: list[Rekey] = []
    done = 0
    for page in sorted(wiki.pages(pages).values(), key=lambda each: (each.head.volume, each.head.key)):
        found = [(row_id(page.head, each), each) for each in places(page, replacement, kinds)]
        if len(rows) + len(found) > MOST:
            raise Refused(
                f"The words stand in more than {MOST:,} places. Narrow the pages or the words, and go on from there.",
                code="too_many",
            )
        rows += _rows(page, found)
        wanted = [each for id_, each in found if id_ not in left]
        head = _renamed(wiki, page, wanted, places_taken)
        changed = tuple(Edit(each.span, each.words) for each in wanted if each.kind != TITLE)
        if head is None or not _stays_sound(page, changed):
            out.append(page.head)
            rows.append(
                _left_out(page.head, "its new title is none, or another page's" if head is None else UNSOUND)
            )
            continue
        if head.title != page.head.title:
            heads[page.head.id] = head
            places_taken.add((head.volume, head.key))
            placing.append(Rekey(head.volume, page.head.key, head.key, head.title))
        if changed:
            edits[page.head.id] = changed
        done += len(wanted)
    if not rows:
        raise Refused(
            "These words stand nowhere in the places and pages that you chose.", code="nothing_to_do"
        )
    facts = Replaced(replacement.words, replacement.by, done, len({*heads, *edits}), len(out))
    return make(
        wiki,
        "replace",
        None,
        Outcome(heads=heads, edits=edits),
        asked=(replacement, *sorted(kinds), *sorted(left), *(f"{each.id} is left out" for each in out)),
        contents=placing,
        facts=facts,
        rows=rows,
    )


def row_id(head: PageHead, found: Found) -> str:
    """What names a place as long as its page stays as it is."""
    return f"{head.id}-{head.revision}-{'t' if found.kind == TITLE else ''}{found.span.start}"


def places(page: Page, replacement: Replacement | Forms, kinds: Collection[str]) -> Iterator[Found]:
    """Where a page holds what is to be replaced, the title first, then in the order of the text."""
    if TITLE in kinds:
        title = page.head.title
        for start, end, words in replacement.found_in(title, 0, len(title)):
            yield Found(TITLE, Span(start, end), words)
    if next(replacement.found_in(page.text, 0, len(page.text)), None) is None:
        # Most pages that are looked through hold it nowhere: that shows without reading them.
        return
    found: list[Found] = []
    for kind, span in _stretches(page, kinds):
        for start, end, words in replacement.found_in(page.text, span.start, span.end):
            found.append(Found(kind, Span(start, end), words))
    at = 0
    for each in sorted(found, key=lambda each: each.span):
        if each.span.start >= at:
            yield each
            at = each.span.end


def _stretches(page: Page, kinds: Collection[str]) -> Iterator[tuple[str, Span]]:
    """The ranges in which words are looked for, each with its kind."""
    if FIELD in kinds:
        yield from ((FIELD, span) for span in _field_spans(page))
    if TEXT_KIND in kinds:
        yield from ((TEXT_KIND, span) for span in _text_spans(page))
    if VALUE in kinds:
        yield from ((VALUE, span) for span in _value_spans(page))
    if CODE in kinds:
        yield from ((CODE, span) for span in _code_spans(page))


def _text_spans(page: Page) -> list[Span]:
    """Text, from line to line of a paragraph as one; labels of links by themselves."""
    spans: list[Span] = []
    for stretch in stretches(page):
        if stretch.kind in {FILE, VALUE}:
            continue
        if spans and _LINE_END.fullmatch(page.text, spans[-1].end, stretch.span.start):
            spans[-1] = Span(spans[-1].start, stretch.span.end)
        else:
            spans.append(stretch.span)
    spans += [
        reference.label_span
        for reference in page.content.references
        if reference.kind is Kind.LINK and reference.label_span is not None
    ]
    return spans


def _value_spans(page: Page) -> Iterator[Span]:
    """Values that inserts hand over, without the references in them."""
    references = page.content.references
    for index, reference in enumerate(references):
        if reference.kind is not Kind.INSERT:
            continue
        for value in call(page.text, references, index).values:
            at = value.span.start
            for inner in value.references:
                span = references[inner].span
                if span.start > at:
                    yield Span(at, span.start)
                at = max(at, span.end)
            if at < value.span.end:
                yield Span(at, value.span.end)


def _code_spans(page: Page) -> Iterator[Span]:
    """Code and formulas, in a line and as blocks."""
    body = page.body()
    block = False
    for kind, value, start, end in body.events:
        if kind in {"Start", "End"} and tag_name(value) == "CodeBlock":
            block = kind == "Start"
        elif kind in {"Code", "InlineMath", "DisplayMath"} or (block and kind == "Text"):
            yield body.span(start, end)


def _field_spans(page: Page) -> Iterator[Span]:
    """The words of fields of the head, but for those that name pages, categories or slots."""
    front = page.content.front_matter
    if front.span.end == 0 or any(each.code.startswith("front_matter") for each in front.problems):
        return
    found, start = mapping(page.text)
    for key, value in found.value if found is not None else ():
        if isinstance(key, yaml.ScalarNode) and key.value not in NOT_FIELDS:
            yield from (node_span(page.text, start, node) for node in _scalars(value))


def _scalars(node: yaml.Node) -> Iterator[yaml.ScalarNode]:
    if isinstance(node, yaml.ScalarNode):
        yield node
    elif isinstance(node, yaml.SequenceNode):
        for each in node.value:
            yield from _scalars(each)


def _renamed(
    wiki: Wiki, page: Page, wanted: Sequence[Found], taken: Collection[tuple[int, str]]
) -> PageHead | None:
    """The head of a page with its words replaced; None if it cannot be called so."""
    edits = [Edit(each.span, each.words) for each in wanted if each.kind == TITLE]
    if not edits:
        return page.head
    try:
        title = names.check_title(apply(page.head.title, edits))
    except BadName:
        return None
    head = replace(page.head, key=names.key(title), title=title)
    place = (head.volume, head.key)
    holder = wiki.titles([place]).get(place)
    if holder is not None and holder.id != head.id:
        return None
    return None if place in taken else head


def _stays_sound(page: Page, edits: Sequence[Edit]) -> bool:
    """Whether a page can be read after its edits as before: its head says the same but for the words, and it has as
    many references and headings."""
    if not edits:
        return True
    before, after = page.content, read_text(apply(page.text, edits))
    front, other = before.front_matter, after.front_matter
    return (
        other.fields.keys() == front.fields.keys()
        and all(_shape(other.fields[name]) == _shape(value) for name, value in front.fields.items())
        and len(other.problems) <= len(front.problems)
        and all(other.fields[name] == front.fields[name] for name in NOT_FIELDS if name in front.fields)
        and len(after.references) == len(before.references)
        and [each.level for each in after.headings] == [each.level for each in before.headings]
        and len(after.parts) == len(before.parts)
    )


def _shape(value: object) -> object:
    """What a field is, but for its words."""
    return [_shape(each) for each in value] if isinstance(value, list) else type(value)


def _left_out(head: PageHead, why: str) -> OptionalChange:
    """What is said of a page that is left out."""
    return OptionalChange(f"{head.id}-{head.revision}-out", LEFT_OUT, head, 0, head.title, why)


def _rows(page: Page, found: Sequence[tuple[str, Found]]) -> list[OptionalChange]:
    lines = Lines(page.text)
    rows: list[OptionalChange] = []
    for id_, each in found:
        if each.kind == TITLE:
            after = apply(page.head.title, [Edit(each.span, each.words)])
            rows.append(OptionalChange(id_, TITLE, page.head, 0, page.head.title, after))
            continue
        shown = exchanged(page.text, lines, each.span, each.words)
        rows.append(OptionalChange(id_, each.kind, page.head, *shown))
    return rows
