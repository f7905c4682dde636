"""Make a passage a template or a page of its own, which is put in where it stood."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.command import EVERY_ROW, NOT_ASKED, FromCommand, Given, option
from mokuji.acts.context import PlanningContext, check_seen
from mokuji.acts.request import Fields, FromForm, lines, request
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Lines, Span
from mokuji.core.diff.line_ends import stored_offset
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan, need
from mokuji.core.refactor.plans import extract as core
from mokuji.core.refactor.plans.extract import Extracted, Wanted

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView


@request
class Slot:
    """Words of the passage that become a slot."""

    name: str
    words: str


def _slots(given: Fields) -> tuple[Slot, ...]:
    return _pairs(line for line in given.get("slots", "").splitlines() if line.strip())


def _pairs(typed: Iterable[str]) -> tuple[Slot, ...]:
    pairs = (each.partition(":") for each in typed)
    return tuple(Slot(name.strip(), words.strip()) for name, _, words in pairs)


def _passage(given: Given) -> Span:
    """The passage of some lines of a page, from 1, both included; Refused for lines that it has not."""
    assert given.head is not None
    text = need(given.context.wiki, given.head.id).text
    first, _, last = given.values[0].partition("-")
    numbers = (
        (int(first), int(last or first)) if (first + last).isdecimal() and len(first + last) < 18 else (0, 0)
    )
    count = text.count("\n") + 1
    if not 1 <= numbers[0] <= numbers[1] <= count:
        raise Refused(
            f"“{given.head.title}” has {count} lines: give two of them, such as 5-9.", code="nothing_selected"
        )
    at = Lines(text)
    return Span(at.line_span(numbers[0]).start, at.line_span(numbers[1]).end)


def _by_lines(read: Callable[[Given], int]) -> FromCommand:
    return option("--lines", help="Its lines, such as 5-9.", kind="words", read=read)


_FROM = _by_lines(lambda given: _passage(given).start)
_TO = _by_lines(lambda given: _passage(given).end)
_SLOTS = option(
    "--slot",
    help="Words that become a slot, as “name: words”; several times.",
    kind="list",
    read=lambda given: _pairs(given.values[0]),
)


@request
class Extract:
    """Make a passage a template or a page of its own."""

    volume: str
    page: str
    start: Annotated[
        int,
        Field(ge=0, description="Where it begins, in code points of the text, from 0"),
        _FROM,
    ]
    end: Annotated[
        int,
        Field(ge=0, description="Behind its last code point"),
        _TO,
    ]
    title: Annotated[str, Field(description="The title of the template")]
    template: Annotated[
        bool,
        Field(description="A template, rather than a page"),
        FromForm(
            lambda given: given.get("kind") != "page",
            lambda value: {"kind": "template" if value else "page"},
        ),
        option("--page", help="Make it a page, not a template.", read=lambda given: not given.values[0]),
    ] = True
    slots: Annotated[
        tuple[Slot, ...],
        Field(description="Words that differ from place to place", max_length=40),
        FromForm(_slots, lambda slots: {"slots": "\n".join(f"{slot.name}: {slot.words}" for slot in slots)}),
        _SLOTS,
    ] = ()
    revision: Annotated[
        int, Field(ge=0, description="The revision that start and end count in; 0: the newest"), NOT_ASKED
    ] = 0
    rows: Annotated[
        tuple[str, ...],
        Field(description="Ids of the rows (of the plan) that hold it too and become inserts as well"),
        lines("rows"),
        EVERY_ROW,
    ] = ()
    from_form: Annotated[
        bool,
        Field(description="Every line end counts as one, as in a text field"),
        FromForm(lambda given: "stored" not in given, lambda value: {} if value else {"stored": "1"}),
        NOT_ASKED,
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
    slots = tuple((slot.name, slot.words) for slot in request.slots)
    wanted = Wanted(request.title, request.template, slots)
    offer: Sequence[int] = ()
    if context.shown or request.rows:
        words = core.words_of(page, passage, wanted)
        offer = context.saying(words) if words else ()
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
    command="extract",
)
