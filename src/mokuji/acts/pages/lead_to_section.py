"""Lead a reference to a section that is there."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.link import LedToSection, lead_to_section


@request
class LeadToSection:
    """Lead a reference of a page to another section of the page that it leads to."""

    volume: str
    page: str
    reference: Annotated[int, Field(ge=0, description="Which reference of the page, counted from 0")]
    section: str
    revision: Annotated[
        int, Field(ge=0, description="The revision in which it was counted; 0: the newest")
    ] = 0
    act: Literal["lead to section"] = Field(default="lead to section", kw_only=True)


def plan(context: PlanningContext, request: LeadToSection) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    if request.revision and request.revision != head.revision:
        raise Refused(f"“{head.title}” was changed meanwhile. Look at the list again.", code="plan_stale")
    return lead_to_section(context.wiki, head.id, request.reference, request.section, readable=context.reads)


def sentence(_: PlanView, __: LeadToSection, facts: LedToSection) -> str:
    return f"The reference on “{facts.page}” will lead to {_section(facts)}."


def note(facts: LedToSection) -> Phrase:
    return (f"A reference on “{facts.page}” leads to “{facts.section}” of ", facts.target, " now")


def _section(facts: LedToSection) -> str:
    return f"“{facts.section}” of {facts.target}"


ACT = Act(
    LeadToSection,
    LedToSection,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Lead to a section",
    done="Linked",
    button="Lead it there",
    address="lead-section",
    asked="section",
    logged="link",
)
