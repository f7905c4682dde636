"""Slot: a slot of a template gets another name, and every place that gives it a value follows; or all places that
give none get the same value."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Collision, Missing, Refused
from mokuji.core.base.spans import Span
from mokuji.core.edit.front_edit import mapping_key_span
from mokuji.core.language.page import Page
from mokuji.core.model.references import inserts_of
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make, need
from mokuji.core.syntax.calls import Value, call
from mokuji.core.syntax.slots import Slot, parse

_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


@dataclass(frozen=True, slots=True)
class SlotRenamed(Facts):
    """A slot that has another name, and how many places give it a value."""

    before: str
    after: str
    template: str
    places: int


@dataclass(frozen=True, slots=True)
class ValueGiven(Facts):
    """A value for a slot, and how many places it is given in."""

    slot: str
    value: str
    template: str
    places: int


def rename_slot(wiki: Wiki, template: int, old: str, new: str) -> Plan:
    """The plan to call a slot otherwise, in the template and wherever a value is given to it."""
    page = need(wiki, template)
    slots = page.content.declared.slots
    _check(page, slots, old)
    if not _NAME.fullmatch(new):
        raise Refused(
            f"“{new}” cannot be the name of a slot: it takes letters, digits and “_”.", code="slot_name"
        )
    if new in slots and new != old:
        raise Collision(
            f"“{page.head.title}” has a slot “{new}” already. Choose another name.", named=[page.head.volume]
        )
    edits: dict[int, list[Edit]] = {template: _in_template(page, old, new)} if new != old else {}
    places = 0
    for user, index in inserts_of(wiki, page) if new != old else ():
        for value in call(user.text, user.content.references, index).values:
            if value.name == old:
                edits.setdefault(user.head.id, []).append(Edit(value.name_span, new))
                places += 1
    facts = SlotRenamed(old, new, page.head.title, places)
    return make(wiki, "slot", page.head, _outcome(edits), asked=(template, old, new), facts=facts)


def give_value(wiki: Wiki, template: int, slot: str, value: str) -> Plan:
    """The plan to give a value to all places that use the template and give none for this slot."""
    page = need(wiki, template)
    slots = page.content.declared.slots
    _check(page, slots, slot)
    value = " ".join(value.split())
    if not value or "]]" in value or "[[" in value or "|" in value:
        raise Refused(
            "Give a value of one line without “|” and double brackets. References can be put in where they are needed.",
            code="slot_value",
        )
    edits: dict[int, list[Edit]] = {}
    places = 0
    for user, index in inserts_of(wiki, page):
        reference = user.content.references[index]
        given = call(user.text, user.content.references, index).values
        if slot in _filled(given, slots):
            continue
        end = reference.span.end - 2
        at = len(user.text[:end].rstrip()) if "\n" not in user.text[reference.span.start : end] else end
        lead = "" if at == end and user.text[at - 1] == "\n" else " "
        words = f"{lead}| {slot}: {value}" + ("\n" if not lead else "")
        edits.setdefault(user.head.id, []).append(Edit(Span(at, at), words))
        places += 1
    facts = ValueGiven(slot, value, page.head.title, places)
    return make(wiki, "slot value", page.head, _outcome(edits), asked=(template, slot, value), facts=facts)


def _outcome(edits: Mapping[int, Sequence[Edit]]) -> Outcome:
    return Outcome(edits={id_: tuple(sorted(found)) for id_, found in edits.items() if found})


def _check(page: Page, slots: Mapping[str, Slot], name: str) -> None:
    if name not in slots:
        raise Missing(
            f"“{page.head.title}” has no slot “{name}”.", code="slot_missing", named=[page.head.volume]
        )


def _filled(given: Sequence[Value], slots: Mapping[str, Slot]) -> set[str]:
    filled = {value.name for value in given if value.name is not None}
    if any(value.name is None for value in given) and slots:
        filled.add(next(iter(slots)))
    return filled


def _in_template(page: Page, old: str, new: str) -> list[Edit]:
    declared = mapping_key_span(page.text, ("slots", old))
    if declared is None:
        raise Refused(
            f"The front matter of “{page.head.title}” writes its slots in a way that is not understood. Put it right "
            "by hand first.",
            code="front_matter",
            named=[page.head.volume],
        )
    offset = page.content.front_matter.span.end
    edits = [Edit(declared, new)]
    for use in parse(page.text[offset:], page.content.declared.slots).uses():
        if use.name == old:
            start = offset + use.span.start + 2
            edits.append(Edit(Span(start, start + len(old)), new))
    return edits
