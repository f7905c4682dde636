"""Put other words at some places of some pages."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import Fields, FromForm, as_lines, from_lines, request
from mokuji.acts.view import PlanView
from mokuji.core.base.edits import Edit
from mokuji.core.base.errors import Overlap, Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.base.spans import Span
from mokuji.core.language.scan import check_page
from mokuji.core.model.policy import Permission
from mokuji.core.refactor import amending as core
from mokuji.core.refactor.amending import Amended
from mokuji.core.refactor.plan import Plan, need


@request
class Amendment:
    """Words for a range of a page: where it is, in code points of this revision of its text."""

    page: str
    start: Annotated[int, Field(ge=0)]
    end: Annotated[int, Field(ge=0)]
    words: Annotated[str, Field(max_length=100_000)]
    revision: Annotated[int, Field(ge=0, description="The revision of the text; 0: the newest")] = 0
    volume: Annotated[str, Field(description="The volume of the page; empty: the one of the act")] = ""


def _read(given: Fields) -> list[object]:
    return from_lines(given.get("change", ""))


def _write(changes: Sequence[Amendment]) -> Fields:
    return {"change": as_lines(changes)}


@request
class Amend:
    """Put other words at some places of some pages."""

    volume: str
    changes: Annotated[
        tuple[Amendment, ...],
        Field(description="The places, none of which may overlap", min_length=1, max_length=1_000),
        FromForm(_read, _write),
    ]
    act: Literal["amend"] = Field(default="amend", kw_only=True)


def plan(context: PlanningContext, request: Amend) -> Plan:
    edits: dict[int, list[Edit]] = {}
    for change in request.changes:
        head = context.page(change.volume or request.volume, change.page, Permission.WRITE)
        length = len(need(context.wiki, head.id).text)
        stale = change.revision and head.revision != change.revision
        if stale or not change.start <= change.end <= length:
            raise Refused(f"“{head.title}” was changed meanwhile. Look at the list again.", code="plan_stale")
        check_page(change.words)
        edits.setdefault(head.id, []).append(Edit(Span(change.start, change.end), change.words))
    try:
        # The same place twice is one change: a word can be found wanting for two reasons.
        return core.amend(context.wiki, {page: list(dict.fromkeys(given)) for page, given in edits.items()})
    except Overlap:
        raise Refused(
            "Two of these places overlap. Mark one of them, and the other when that is done.", code="overlap"
        ) from None


def together(requests: Sequence[Amend]) -> list[Amend]:
    """One request for the places of several."""
    return [Amend(requests[0].volume, tuple(change for each in requests for change in each.changes))]


def sentence(_: PlanView, __: Amend, facts: Amended) -> str:
    return f"{counted(facts.places, 'place')} on {counted(facts.pages, 'page')} will have other words."


def note(facts: Amended) -> Phrase:
    said = f"{counted(facts.places, 'place')} amended on "
    return (said, facts.page) if facts.pages == 1 else f"{said}{counted(facts.pages, 'page')}"


ACT = Act(
    Amend,
    Amended,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Other words at some places",
    done="Amended",
    button=lambda _, __, facts: f"Amend {counted(facts.places, 'place')}",
    permission=Permission.WRITE,
    address="amend",
    together=together,
)
