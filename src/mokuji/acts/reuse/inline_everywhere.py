"""Put the text of a page in the place of all its inserts."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import option
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.inline import InlinedEverywhere, inline_everywhere


@request
class InlineEverywhere:
    """Put the text of a page in the place of all its inserts."""

    volume: str
    page: str
    trash: Annotated[
        bool,
        Field(description="The page goes to the trash when no insert of it is left"),
        option("--remove", help="Remove its file if no insert of it is left."),
    ] = False
    act: Literal["inline everywhere"] = Field(default="inline everywhere", kw_only=True)


def plan(context: PlanningContext, request: InlineEverywhere) -> Plan:
    head = context.page(request.volume, request.page)
    return inline_everywhere(context.wiki, head.id, trash=request.trash)


def sentence(view: PlanView, __: InlineEverywhere, facts: InlinedEverywhere) -> str:
    said = [
        f"The text of “{facts.template}” will stand in the place of {counted(facts.places, 'insert')}; "
        "readers see the same."
    ]
    if facts.left:
        said.append(f"{counted(facts.left, 'insert')} will stay: {'; '.join(facts.why)}.")
    if facts.trash:
        said.append(
            "Nothing inserts the page then, and it goes"
            + (" to the trash." if view.place is not None else ".")
        )
    return " ".join(said)


def note(facts: InlinedEverywhere) -> Phrase:
    return f"The text of “{facts.template}” in the place of its inserts"


def button(_: PlanView, __: InlineEverywhere, facts: InlinedEverywhere) -> str:
    return f"Put the text in {counted(facts.places, 'place')}"


ACT = Act(
    InlineEverywhere,
    InlinedEverywhere,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Text in the place of all inserts",
    done="Text put in place of inserts",
    button=button,
    address="inline-all",
    asked="asked",
    question="inline_everywhere.html",
    command="inline",
)
