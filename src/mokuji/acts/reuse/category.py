"""Give a category another name; the name of another one makes the two one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.reuse.known_categories import choices, missing
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.category import CategoryRenamed, rename_category


@request
class RenameCategory:
    """Give a category of a volume another name; the name of another one makes the two one."""

    volume: str
    page: Annotated[str, Field(description="Name of the category")]
    to: Annotated[str, Field(description="Its new name, or that of another one to make them one")]
    act: Literal["category"] = Field(default="category", kw_only=True)


def plan(context: PlanningContext, request: RenameCategory) -> Plan:
    volume = context.volume(request.volume)
    key = names.key(request.page)
    known = context.categories(volume)
    if key not in known:
        raise missing(volume, request.page)
    pages = context.naming_category(volume, key)
    to = request.to.strip()
    # The name of a category that is there is written as it is there.
    if names.key(to) in known and names.key(to) != key:
        to = known[names.key(to)]
    return rename_category(context.wiki, key, to, pages, name=known[key])


def sentence(_: PlanView, __: RenameCategory, facts: CategoryRenamed) -> str:
    marks = f", {counted(facts.marks, 'mark')} among it" if facts.marks else ""
    return (
        f"What is filed under “{facts.before}” will be filed under “{facts.after}”: "
        f"{counted(facts.pages, 'page')}{marks}."
    )


def note(facts: CategoryRenamed) -> Phrase:
    return f"Category “{facts.before}” is now called “{facts.after}”"


ACT = Act(
    RenameCategory,
    CategoryRenamed,
    About.CATEGORY,
    plan,
    sentence,
    note,
    heading="Rename a category",
    done="Category renamed",
    button="Rename the category",
    address="category",
    asked="to",
    question="category.html",
    choices=choices,
    command="category",
)
