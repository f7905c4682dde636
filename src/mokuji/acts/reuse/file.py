"""File a page under more categories, or one less; its front matter is edited for the person."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.reuse.known_categories import choices
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.phrases import Phrase
from mokuji.core.edit.front_edit import names_of
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan, need
from mokuji.core.refactor.plans.category import Filed, file_page


@request
class File:
    """File a page under a category, and no longer under another."""

    volume: str
    page: str
    add: Annotated[str, Field(description="Name of a category, or several with commas between")] = ""
    drop: Annotated[str, Field(description="Name of a category that it is filed under no longer")] = ""
    act: Literal["file"] = Field(default="file", kw_only=True)


def plan(context: PlanningContext, request: File) -> Plan:
    head = context.page(request.volume, request.page, Permission.WRITE)
    now = list(names_of(need(context.wiki, head.id).text, "categories"))
    kept = [each for each in now if not request.drop.strip() or names.key(each) != names.key(request.drop)]
    add = " ".join(request.add.split())
    if add:
        # The name of a category that is there is written as it is there, commas and all; others are parted there.
        volume = context.volume(request.volume, Permission.READ)
        known = context.categories(volume)
        parts = [add] if names.key(add) in known else [part.strip() for part in add.split(",")]
        kept += [known.get(names.key(part), part) for part in parts if part]
    return file_page(context.wiki, head.id, kept)


def sentence(_: PlanView, __: File, facts: Filed) -> str:
    named = ", ".join(f"“{category}”" for category in facts.categories)
    return f"The page will be filed under {named}." if named else "The page will be filed nowhere."


def note(facts: Filed) -> Phrase:
    named = ", ".join(f"“{category}”" for category in facts.categories)
    return f"Filed under {named}" if named else "Filed nowhere any more"


ACT = Act(
    File,
    Filed,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="File this page",
    done="Filed",
    button="File it",
    address="file",
    asked="add",
    question="file.html",
    choices=choices,
)
