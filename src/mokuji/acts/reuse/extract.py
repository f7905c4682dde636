"""Make a passage a template or a page of its own, which is put in where it stood."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.context import PlanningContext, check_seen
from mokuji.acts.request import Fields, FromForm, lines, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.diff.line_ends import stored_offset
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan, need
from mokuji.core.refactor.plans import extract as core
from mokuji.core.refactor.plans.extract import Extracted, Wanted
from mokuji.services.reading.reading import VolumeView
from mokuji.store.index import search


@request
class Slot:
    """Words of the passage that become a slot."""

    name: str
    words: str


def _slots(given: Fields) -> tuple[Slot, ...]:
    pairs = (line.partition(":") for line in given.get("slots", "").splitlines() if line.strip())
    return tuple(Slot(name.strip(), words.strip()) for name, _, words in pairs)


@request
class Extract:
    """Make a passage a template or a page of its own."""

    volume: str
    page: str
    start: Annotated[int, Field(ge=0, description="Where it begins, in code points of the text, from 0")]
    end: Annotated[int, Field(ge=0, description="Behind its last code point")]
    title: str
    template: Annotated[
        bool,
        Field(description="A template, rather than a page"),
        FromForm(
            lambda given: given.get("kind") != "page",
            lambda value: {"kind": "template" if value else "page"},
        ),
    ] = True
    slots: Annotated[
        tuple[Slot, ...],
        Field(description="Words that differ from place to place", max_length=40),
        FromForm(_slots, lambda slots: {"slots": "\n".join(f"{each.name}: {each.words}" for each in slots)}),
    ] = ()
    revision: Annotated[
        int, Field(ge=0, description="The revision that start and end count in; 0: the newest")
    ] = 0
    rows: Annotated[
        tuple[str, ...],
        Field(description="Ids of the rows (of the plan) that hold it too and become inserts as well"),
        lines("rows"),
    ] = ()
    from_form: Annotated[
        bool,
        Field(description="Every line end counts as one, as in a text field"),
        FromForm(lambda given: "stored" not in given, lambda value: {} if value else {"stored": "1"}),
    ] = False
    act: Literal["extract"] = Field(default="extract", kw_only=True)


def passage_of(request: Extract, text: str) -> Span:
    """What is selected in a stored text."""
    if request.from_form:
        return Span(stored_offset(text, request.start), stored_offset(text, request.end))
    return Span(request.start, request.end)


def plan(context: PlanningContext, request: Extract) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    check_seen(head, request.revision)
    page = need(context.wiki, head.id)
    passage = passage_of(request, page.text)
    slots = tuple((each.name, each.words) for each in request.slots)
    wanted = Wanted(request.title, request.template, slots)
    offer: Sequence[int] = ()
    if context.shown or request.rows:
        words = core.words_of(page, passage, wanted)
        offer = search.saying(context.connection, words, context.writable) if words else ()
    return core.extract(context.wiki, head.id, passage, wanted, rows=request.rows, offer=offer)


def sentence(_: PlanView, __: Extract, facts: Extracted) -> str:
    what = "template" if facts.template else "page"
    more = facts.places - 1
    elsewhere = (
        f" So will {counted(more, 'more place')} that {'says' if more == 1 else 'say'} the same."
        if more
        else ""
    )
    return f"The text will be the {what} “{facts.title}”, and an insert of it will stand in its place.{elsewhere}"


def note(facts: Extracted) -> Phrase:
    return f"“{facts.title}” is made of text on “{facts.source}”"


def button(_: PlanView, __: Extract, facts: Extracted) -> str:
    return f"Make it a {'template' if facts.template else 'page'}"


def choices(
    context: PlanningContext, request: Extract, _: VolumeView | None, head: PageHead | None
) -> Choices:
    if head is None:
        return Choices()
    text = context.wiki.pages([head.id])[head.id].text
    return Choices(passage=passage_of(request, text).of(text).strip())


ACT = Act(
    Extract,
    Extracted,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Make this text a template or page",
    done="Text made a page",
    button=button,
    address="extract",
    asked="title",
    question="extract.html",
    hint="Type a title. The plan then shows what comes about, and where else the same is said.",
    choices=choices,
    rows_heading="Says the same",
    rows_alike=True,
)
