"""The insert under a writer's caret as a form: the slots of what it puts in, the values given, and where they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.assembly.inserts import assign, select
from mokuji.core.base import names
from mokuji.core.base.spans import Span
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import check_page, scan
from mokuji.core.model.policy import Actor, Permission
from mokuji.core.model.references import Resolver
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax.calls import Value, call
from mokuji.core.syntax.reference import Kind, Reference
from mokuji.core.syntax.slots import Slot
from mokuji.services.app_context import AppContext, ReadContext, check
from mokuji.store.database import reading
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True, slots=True)
class Field:
    """A slot, and the value that is given for it: its words and range, and the range from its ``|`` on; None where
    none is given."""

    slot: Slot
    words: str | None = None
    span: Span | None = None
    whole: Span | None = None


@dataclass(frozen=True, slots=True)
class InsertForm:
    """An insert: which of the page's references it is, what it leads to (None: to no page that may be seen), its
    range, where a value is added, whether it goes over several lines; its slots, and what is wrong about it."""

    index: int
    typed: str
    page: PageHead | None
    volume: Volume | None
    span: Span
    end: int
    lines: bool
    fields: tuple[Field, ...] = ()
    faults: tuple[str, ...] = ()


def insert_at(app: AppContext, actor: Actor, volume_key: str, text: str, at: int) -> InsertForm | None:
    """The insert that holds an offset (in code points) of a text that is being written in a volume; the innermost if
    one stands in another. None if there is none."""
    check_page(text)
    references = scan(text).references
    index = _holding(references, at)
    if index is None:
        return None
    reference = references[index]
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        home = context.volume(volume_key)
        check(actor, Permission.WRITE, home)
        name = reference.name
        assert name is not None
        # Of a closed page no more shows than of one that is not written.
        seen = StoredWiki(connection, context.volumes)
        head = Resolver.of(seen, [(home, reference)]).resolve(name, home, insert=True).page
        page = seen.pages([head.id]).get(head.id) if head is not None else None
    typed = names.unescape(reference.name_span.of(text))
    span = reference.span
    given = call(text, references, index).values
    stop = span.end - 2
    lines = "\n" in span.of(text)
    end = stop if lines else len(text[:stop].rstrip())
    if page is None:
        return InsertForm(index, typed, None, None, span, end, lines)
    slots = page.content.declared.slots
    _, faults = assign(((v.name, v.span.of(text)) for v in given), slots, page.head.title)
    said = [fault.message for fault in faults]
    if select(page, reference.section, context.volumes) is None:
        said.insert(0, f"“{page.head.title}” has no section or part “{reference.section}”.")
    volume = next(each for each in context.volumes.values() if each.id == page.head.volume)
    fields = tuple(_field(slot, text, given, first=n == 0) for n, slot in enumerate(slots.values()))
    return InsertForm(index, typed, page.head, volume, span, end, lines, fields, tuple(said))


def _holding(references: Sequence[Reference], at: int) -> int | None:
    holding = [
        n
        for n, each in enumerate(references)
        if each.kind is Kind.INSERT and each.name is not None and each.span.start < at < each.span.end
    ]
    return max(holding, key=lambda n: references[n].span.start, default=None)


def _field(slot: Slot, text: str, given: tuple[Value, ...], *, first: bool) -> Field:
    value = next((v for v in given if v.name == slot.name or (first and v.name is None)), None)
    if value is None:
        return Field(slot)
    return Field(slot, value.span.of(text), value.span, value.whole)
