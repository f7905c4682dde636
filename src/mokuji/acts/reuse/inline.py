"""Put the text of an insert in its place."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext, check_seen
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import inline as core
from mokuji.core.refactor.plans.inline import Inlined


@request
class Inline:
    """Put the text of an insert in its place."""

    volume: str
    page: str
    insert: Annotated[int, Field(ge=0, description="Which reference of the page, counted from 0")]
    revision: Annotated[
        int, Field(ge=0, description="The revision in which it was counted; 0: the newest")
    ] = 0
    act: Literal["inline"] = Field(default="inline", kw_only=True)


def plan(context: PlanningContext, request: Inline) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    check_seen(head, request.revision)
    return core.inline(context.wiki, head.id, request.insert, context.reads)


def sentence(_: PlanView, __: Inline, facts: Inlined) -> str:
    return f"The text of {facts.template} will stand in the place of the insert; readers see the same."


def note(facts: Inlined) -> Phrase:
    return ("The text of ", facts.template, " in the place of an insert")


ACT = Act(
    Inline,
    Inlined,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Text in the place of an insert",
    done="Text put in place of an insert",
    button="Put the text there",
    address="inline",
    asked="insert",
)
