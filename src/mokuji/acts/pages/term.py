"""Change a term: its page, other names, category and bare words, in all their forms, become those of another one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.pages import aliases, rename
from mokuji.acts.pages.replace import MOST_PAGES
from mokuji.acts.request import lines, request, ticked
from mokuji.acts.reuse import category
from mokuji.acts.several import Later
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.edit.replacing import Forms, Replacement
from mokuji.core.finding import inflections
from mokuji.core.language.page import PageHead
from mokuji.core.refactor.combining import Combining
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan
from mokuji.core.refactor.plans.replace import Replaced, replace_words

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView

KINDS = ("text", "field", "value")
"""Where the words of a term are exchanged: code is not prose, and other titles are names of their own."""
Form = Annotated[str, Field(max_length=400)]


@request
class ChangeTerm:
    """Give a term another name everywhere: its page, other names, its category, and words that say it."""

    volume: str
    page: Annotated[str, Field(description="The page of the term")]
    to: Annotated[str, Field(description="What it is called from now on")]
    forms: Annotated[
        tuple[Form, ...],
        Field(max_length=50, description="Its forms, each with what stands in its place: pumps = valves"),
        lines("forms"),
    ] = ()
    everywhere: Annotated[
        bool, Field(description="Words in all volumes that may be changed"), ticked("everywhere")
    ] = False
    left: Annotated[
        tuple[str, ...],
        Field(description="Ids of the rows (of the plan) that stay as they are"),
        lines("left"),
    ] = ()
    act: Literal["term"] = Field(default="term", kw_only=True)


@dataclass(frozen=True, slots=True)
class TermChanged(Facts):
    """A term that is another one now: in how many places its words stood, and whether its category went along."""

    before: str
    after: str
    places: int
    filed: bool


def plan(context: StoredContext, request: ChangeTerm) -> Plan:
    head = context.page(request.volume, request.page)
    volume = context.volume(request.volume)
    pairs = inflections.read(request.forms) or [(head.title, request.to)]
    forms = Forms(tuple(Replacement(old, new) for old, new in pairs))
    combining = Combining(context.wiki, "term")
    later = Later(context.connection, context.actor, context.shown, combining)
    combining.add(rename.plan(later, rename.Rename(request.volume, head.key, request.to)))
    called = _called_otherwise(context, head, forms)
    if called is not None:
        later = Later(context.connection, context.actor, context.shown, combining)
        combining.add(aliases.plan(later, aliases.Aliases(request.volume, head.key, called)))
    filed = head.key in context.categories(volume) and names.key(request.to) != head.key
    if filed:
        later = Later(context.connection, context.actor, context.shown, combining)
        wish = category.RenameCategory(request.volume, head.key, request.to)
        combining.add(category.plan(later, wish))
    pages: set[int] = set()
    for old, _ in pairs:
        pages.update(context.pages_with(None if request.everywhere else volume.id, old, MOST_PAGES + 1))
        if len(pages) > MOST_PAGES:
            raise Refused(f"More than {MOST_PAGES:,} pages say “{old}”: too many at once.", code="too_many")
    places = 0
    rows: tuple[OptionalChange, ...] = ()
    try:
        made = replace_words(combining.wiki, pages, forms, KINDS, left=request.left)
    except Refused as why:
        if why.code != "nothing_to_do":
            raise
    else:
        assert isinstance(made.facts, Replaced)
        places, rows = made.facts.places, made.rows
        combining.add(made)
    return combining.plan(TermChanged(head.title, request.to.strip(), places, filed), rows)


def _called_otherwise(context: StoredContext, head: PageHead, forms: Forms) -> tuple[str, ...] | None:
    """The other names of a page with the words of the term exchanged; None if none of them holds it."""
    page = context.wiki.pages([head.id])[head.id]
    now = page.content.front_matter.names("aliases")
    wanted = [_exchanged(name, forms) for name in now]
    return tuple(wanted) if wanted != list(now) else None


def _exchanged(name: str, forms: Forms) -> str:
    found = forms.found_in(name, 0, len(name))
    return apply(name, [Edit(Span(start, end), words) for start, end, words in found])


def choices(
    context: StoredContext, request: ChangeTerm, _: VolumeView | None, head: PageHead | None
) -> Choices:
    """The forms of the term that the volume uses, each with what would stand in its place."""
    if head is None or not request.to.strip():
        return Choices()
    words, stems = context.forms_of(context.volume(request.volume), head.title)
    return Choices(text=inflections.written(inflections.pairs(head.title, request.to.strip(), words, stems)))


def sentence(view: PlanView, request: ChangeTerm, facts: TermChanged) -> str:
    filed = ", its category goes along" if facts.filed else ""
    called = f"“{facts.before}” will be called “{facts.after}”{filed}"
    if not facts.places:
        return f"{called}. No place says it without referring."
    says = "says" if facts.places == 1 else "say"
    return f"{called}, and {counted(facts.places, 'place')} that {says} it without referring will say the new words."


def note(facts: TermChanged) -> Phrase:
    return f"The term “{facts.before}” is now “{facts.after}”"


ACT = Act(
    ChangeTerm,
    TermChanged,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Change this term",
    done="Term changed",
    button="Change the term",
    menu="Change the term…",
    address="term",
    asked="to",
    question="term.html",
    choices=choices,
    hint="Type what it is called from now on. The plan shows its forms, to be corrected, and every line that changes.",
    button_counts=False,
    rows_heading="Every place",
    rows_left=True,
)
