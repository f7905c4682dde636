"""Make a page a section of another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import KEEP_WORDS
from mokuji.acts.context import PlanningContext
from mokuji.acts.files_along import copies
from mokuji.acts.request import READERS_SEE, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import join as core
from mokuji.core.refactor.plans.join import Joined


@request
class Join:
    """Make a page a section of another."""

    volume: str
    page: str
    into: Annotated[str, Field(description="The page that it becomes a section of")]
    present_words: Annotated[bool, READERS_SEE, KEEP_WORDS] = False
    act: Literal["join"] = Field(default="join", kw_only=True)


def plan(context: PlanningContext, request: Join) -> Plan:
    head = context.page(request.volume, request.page)
    into = context.page_named(request.into, request.volume)
    return core.join(
        context.wiki,
        head.id,
        into.id,
        present_words=request.present_words,
        rows=context.branch(head.volume, head.key),
        copies=copies(context, context.wiki.pages([head.id]).values(), into.volume),
    )


def sentence(_: PlanView, __: Join, facts: Joined) -> str:
    return f"“{facts.title}” becomes a section of {facts.into}."


def note(facts: Joined) -> Phrase:
    return (f"“{facts.title}” is now a section of ", facts.into)


ACT = Act(
    Join,
    Joined,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Make this page a section",
    done="Joined",
    button="Make it a section",
    menu="Make it a section of another",
    address="join",
    asked="into",
    question="join.html",
    command="join",
)
