"""Put a page, with its branch if so wished, into the trash."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import option
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.several import Also, with_branches
from mokuji.acts.request import Fields, FromForm, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import delete as core
from mokuji.core.refactor.plans.delete import Deleted, References


def _references(given: Fields) -> str:
    if given.get("target"):
        return "retarget"
    typed = given.get("references", "")
    return typed if typed in ("leave", "words", "retarget") else "leave"


@request
class Delete:
    """Put a page into the trash."""

    volume: str
    page: str
    branch: Annotated[bool, Field(description="Also what stands below it in the contents")] = False
    references: Annotated[
        References,
        Field(description="What becomes of references: they stay, become words, or lead to “target”"),
        FromForm(_references, lambda value: {"references": value}),
    ] = "leave"
    target: Annotated[str, option("--to", help="The page that references lead to then.")] = ""
    also: Also = ()
    act: Literal["delete"] = Field(default="delete", kw_only=True)


def plan(context: PlanningContext, request: Delete) -> Plan:
    rows = with_branches(context, request.volume, (request.page, *request.also), branch=request.branch)
    ids = [each.page.id for each in rows if each.page is not None]
    target = None
    if request.references == "retarget":
        target = context.page_named(request.target, request.volume, Permission.READ).id
    return core.delete(context.wiki, ids, references=request.references, target=target)


def sentence(view: PlanView, request: Delete, facts: Deleted) -> str:
    said = f"{counted(facts.pages, 'page')} {'goes' if facts.pages == 1 else 'go'}"
    # A folder has no trash.
    said += " to the trash, and can be restored for 60 days." if view.place is not None else "."
    if request.references == "words" and (changed := len(view.followed)):
        return f"{said} References on {counted(changed, 'page')} become plain words."
    return said


def note(facts: Deleted) -> Phrase:
    more = facts.pages - 1
    return f"“{facts.title}” deleted" + (f" with {more} more" if more else "")


def button(_: PlanView, __: Delete, facts: Deleted) -> str:
    return f"Delete {counted(facts.pages, 'page')}"


ACT = Act(
    Delete,
    Deleted,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Delete this page",
    done="Deleted",
    button=button,
    menu="Delete",
    address="delete",
    asked="references",
    question="delete.html",
    hint="Choose what becomes of references to it. The plan then shows all of them, before anything is done.",
    button_counts=False,
    captured_heading="Led nowhere, or to what goes, and will lead to a page",
    command="delete",
)
