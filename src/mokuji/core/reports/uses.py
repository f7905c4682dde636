"""The places that use a template, with the values given there and what is wrong about them."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from mokuji.core.assembly.inserts import Fault, assign, select
from mokuji.core.language.page import Page
from mokuji.core.language.scan import scan
from mokuji.core.syntax.calls import call, dedented
from mokuji.core.syntax.slots import Slot


@dataclass(frozen=True, slots=True)
class Use:
    """How a place uses a page: the section it takes (None: the whole), the values it gives by slot, its faults."""

    section: str | None
    values: Mapping[str, str]
    faults: tuple[Fault, ...]


def use(typed: str, template: Page, volumes: Collection[str] = ()) -> Use:
    """An insert, from its own characters, as a use of the page that it leads to."""
    references = scan(typed).references
    if not references:
        return Use(None, {}, ())
    given = call(typed, references, 0)
    handed = [(value.name, dedented(value.span.of(typed), given.indent)) for value in given.values]
    slots: Mapping[str, Slot] = template.content.declared.slots
    values, faults = assign(handed, slots, template.head.title)
    section = references[0].section
    if select(template, section, volumes) is None:
        said = f"“{template.head.title}” has no section or part “{section}”."
        faults.insert(0, Fault("section_missing", said))
    return Use(section, values, tuple(faults))
