"""Make a page of a section."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import KEEP_WORDS, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.headings import SECTION, choices, section_words
from mokuji.acts.request import READERS_SEE, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import split as core
from mokuji.core.refactor.plans.split import Leave, Parted


@request
class Split:
    """Make a page of a section."""

    volume: str
    page: str
    section: Annotated[int, Field(ge=0, description="Which heading of the page, counted from 0"), SECTION]
    title: Annotated[
        str,
        Field(description="The title of the page; empty: the words of the heading"),
        option("--title", help="Its title; without one, the words of its heading."),
    ] = ""
    leave: Annotated[Leave, Field(description="What stays there: a link, or an insert")] = "link"
    present_words: Annotated[bool, READERS_SEE, KEEP_WORDS] = False
    act: Literal["split"] = Field(default="split", kw_only=True)


def plan(context: PlanningContext, request: Split) -> Plan:
    head = context.page(request.volume, request.page)
    return core.split(
        context.wiki,
        head.id,
        request.section,
        request.title.strip() or section_words(context, head, request.section),
        leave=request.leave,
        present_words=request.present_words,
    )


def sentence(_: PlanView, request: Split, facts: Parted) -> str:
    left = "an insert of it" if request.leave == "insert" else "a link to it"
    return f"The section “{facts.section}” becomes a page “{facts.title}”; {left} stays in its place."


def note(facts: Parted) -> Phrase:
    return f"“{facts.title}” made of a section of “{facts.page}”"


ACT = Act(
    Split,
    Parted,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Make a page of a section",
    done="Split",
    button="Make it a page",
    menu="Make a page of a section",
    of_sections=True,
    address="split",
    asked="title",
    question="split.html",
    hint="Choose the section. References to it, and to those below it, will follow.",
    choices=choices,
    command="split",
)
