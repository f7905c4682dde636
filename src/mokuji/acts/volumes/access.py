"""Let everybody read a volume, or its people only."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import chosen, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import AccessChanged, set_closed


@request
class Access:
    """Let everybody read a volume, or its people only."""

    volume: str
    closed: Annotated[
        bool,
        Field(description="Whether only its people read it"),
        chosen("readers", "people", "everybody"),
    ]
    act: Literal["access"] = Field(default="access", kw_only=True)


def plan(context: PlanningContext, request: Access) -> Plan:
    volume = context.volume(request.volume, Permission.MANAGE)
    return set_closed(context.wiki, volume.id, closed=request.closed)


def sentence(_: PlanView, __: Access, facts: AccessChanged) -> str:
    if facts.closed:
        return f"“{facts.title}” will be closed: only its people and the owners of the wiki read it."
    return f"“{facts.title}” will be public: everybody who reaches this wiki reads it, signed in or not."


def note(facts: AccessChanged) -> Phrase:
    return f"“{facts.title}” {'closed' if facts.closed else 'opened to everybody'}"


def button(_: PlanView, request: Access, __: AccessChanged) -> str:
    return "Close the volume" if request.closed else "Open it to everybody"


ACT = Act(
    Access,
    AccessChanged,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Who reads this volume",
    done="Readers changed",
    button=button,
    permission=Permission.MANAGE,
    address="access",
    asked="readers",
    question="access.html",
)
