"""Give a section other words."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import KEEP_WORDS
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.headings import SECTION, choices
from mokuji.acts.request import READERS_SEE, called, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.section import SectionRenamed, rename_section


@request
class Section:
    """Give a section other words."""

    volume: str
    page: str
    section: Annotated[int, Field(ge=0, description="Which heading of the page, counted from 0"), SECTION]
    words: Annotated[str, Field(description="Its new words"), called("title")]
    present_words: Annotated[bool, READERS_SEE, KEEP_WORDS] = False
    act: Literal["section"] = Field(default="section", kw_only=True)


def plan(context: PlanningContext, request: Section) -> Plan:
    head = context.page(request.volume, request.page)
    return rename_section(
        context.wiki, head.id, request.section, request.words, present_words=request.present_words
    )


def sentence(_: PlanView, __: Section, facts: SectionRenamed) -> str:
    return f"The section “{facts.before}” will be called “{facts.after}”."


def note(facts: SectionRenamed) -> Phrase:
    return f"Section “{facts.before}” is now called “{facts.after}”"


ACT = Act(
    Section,
    SectionRenamed,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Rename a section",
    done="Section renamed",
    button="Rename the section",
    menu="Rename a section",
    of_sections=True,
    address="section",
    asked="title",
    question="section.html",
    hint="Choose the section. References to it, and to those below it, will follow.",
    choices=choices,
    command="section",
)
