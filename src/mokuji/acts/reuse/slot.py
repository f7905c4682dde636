"""Give a slot of a template another name; all places that use it follow."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.reuse.slots_of import choices
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.slot import SlotRenamed, rename_slot


@request
class RenameSlot:
    """Give a slot of a template another name; all places that use it follow."""

    volume: str
    page: str
    slot: Annotated[str, Field(description="The slot as it is called now")]
    to: Annotated[str, Field(description="Its new name")]
    act: Literal["slot"] = Field(default="slot", kw_only=True)


def plan(context: PlanningContext, request: RenameSlot) -> Plan:
    head = context.page(request.volume, request.page)
    return rename_slot(context.wiki, head.id, request.slot, request.to.strip())


def sentence(_: PlanView, __: RenameSlot, facts: SlotRenamed) -> str:
    one = facts.places == 1
    return (
        f"The slot “{facts.before}” of “{facts.template}” will be called “{facts.after}”. "
        f"{counted(facts.places, 'place')} {'gives' if one else 'give'} it a value, and "
        f"{'follows' if one else 'follow'}."
    )


def note(facts: SlotRenamed) -> Phrase:
    return f"Slot “{facts.before}” of “{facts.template}” is now called “{facts.after}”"


ACT = Act(
    RenameSlot,
    SlotRenamed,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Rename a slot",
    done="Slot renamed",
    button="Rename the slot",
    address="slot",
    asked="to",
    question="slot.html",
    choices=choices,
    command="slot",
)
