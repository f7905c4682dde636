"""Give all places of use that give none the same value for a slot."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.reuse.slots_of import choices
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.slot import ValueGiven, give_value


@request
class GiveValue:
    """Give all places of use that give none the same value for a slot of a template."""

    volume: str
    page: str
    slot: str
    value: str
    act: Literal["slot value"] = Field(default="slot value", kw_only=True)


def plan(context: PlanningContext, request: GiveValue) -> Plan:
    head = context.page(request.volume, request.page)
    return give_value(context.wiki, head.id, request.slot, request.value)


def sentence(_: PlanView, __: GiveValue, facts: ValueGiven) -> str:
    return (
        f"{counted(facts.places, 'place')} that {'gives' if facts.places == 1 else 'give'} no “{facts.slot}” to "
        f"“{facts.template}” will give “{facts.value}”."
    )


def note(facts: ValueGiven) -> Phrase:
    return f"“{facts.value}” for “{facts.slot}” of “{facts.template}”"


def button(_: PlanView, __: GiveValue, facts: ValueGiven) -> str:
    return f"Give it in {counted(facts.places, 'place')}"


ACT = Act(
    GiveValue,
    ValueGiven,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="One value for all that lack it",
    done="Value given",
    button=button,
    address="value",
    asked="value",
    question="slot_value.html",
    choices=choices,
)
