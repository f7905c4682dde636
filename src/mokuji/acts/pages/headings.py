"""The headings of the page in hand: those that a question offers, and the one that is meant."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from mokuji.acts.act import Choices
from mokuji.acts.command import Given, option
from mokuji.acts.context import PlanningContext
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.language.page import PageHead
from mokuji.core.syntax.headings import words

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView


def choices(context: PlanningContext, _: Any, __: VolumeView | None, head: PageHead | None) -> Choices:
    """Each heading in words, indented by its level."""
    if head is None:
        return Choices()
    headings = context.wiki.pages([head.id])[head.id].content.headings
    indented = zip(headings, _all(context, head), strict=True)
    return Choices(headings=tuple("\u2003" * (each.level - 2) + said for each, said in indented))


def section_words(context: PlanningContext, head: PageHead, section: int) -> str:
    """The words of a heading of a page, counted from 0; empty if it has no such one."""
    return dict(enumerate(_all(context, head))).get(section, "")


def _all(context: PlanningContext, head: PageHead) -> list[str]:
    page, volumes = context.wiki.pages([head.id])[head.id], context.readable_wiki.volumes
    return [words(heading, page.text, page.content.references, volumes) for heading in page.content.headings]


def named(context: PlanningContext, head: PageHead, section: str) -> int:
    """The heading with these words, this identifier (``#limits``), or this number, counted from 1 (``2.``). Missing if
    there is none, Refused if there are several."""
    headings = context.wiki.pages([head.id])[head.id].content.headings
    number = section.strip().removesuffix(".")
    if section.strip().endswith(".") and number.isdecimal():
        if 1 <= int(number) <= len(headings):
            return int(number) - 1
        raise Missing(f"“{head.title}” has no heading number {number}; it has {len(headings)}.")
    said = _all(context, head)
    if section.startswith("#"):
        matching = [n for n, each in enumerate(headings) if each.id == section[1:]]
    else:
        key = names.key(section)
        matching = [n for n, each in enumerate(said) if names.key(each) == key]
    if not matching:
        known = "; ".join(f"{n + 1}. {each}" for n, each in enumerate(said))
        raise Missing(
            f"“{head.title}” has no section “{section}”. It has {f'these: {known}' if known else 'none'}.",
            code="section_missing",
        )
    if len(matching) > 1:
        numbers = ", ".join(f"“{n + 1}.”" for n in matching)
        raise Refused(
            f"“{head.title}” has several sections “{section}”. Name one by its number: {numbers}.",
            code="ambiguous",
        )
    return matching[0]


def _typed(given: Given) -> int:
    assert given.head is not None
    return named(given.context, given.head, given.values[0])


SECTION = option(
    "section",
    help="The section: its words, “#identifier”, or its number and a full stop, as “2.”.",
    kind="words",
    read=_typed,
)
