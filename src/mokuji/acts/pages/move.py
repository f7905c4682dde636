"""Move pages to another volume, the first with the branch below it if so wished."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import NOT_ASKED, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.files_along import copies
from mokuji.acts.pages import place
from mokuji.acts.pages.several import Also, with_branches
from mokuji.acts.request import FromForm, request, unless
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.contents import parents_of
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.move import Moved, move_to_volume


@request
class Move:
    """Move a page to another volume."""

    volume: str
    page: str
    to: Annotated[str, Field(description="Key of the volume"), option("--to", help="Another volume.")]
    branch: Annotated[
        bool,
        Field(description="Also what stands below it in the contents"),
        unless("alone"),
        option("--branch", help="Also what stands below it in the contents."),
    ] = True
    under: Annotated[str, Field(description="The name in the contents that it goes below")] = ""
    revisions: Annotated[
        Literal["", "along"],
        Field(description="“along”: readers of the other volume read older revisions, too"),
        FromForm(
            lambda given: "along" if "revisions" in given else "",
            lambda value: {"revisions": "1"} if value else {},
        ),
        NOT_ASKED,
    ] = ""
    also: Also = ()
    act: Literal["move"] = Field(default="move", kw_only=True)


def plan(context: PlanningContext, request: Move) -> Plan:
    target = context.volume(request.to)
    found = with_branches(context, request.volume, (request.page, *request.also), branch=request.branch)
    ids = [each.page.id for each in found if each.page is not None]
    unwritten = [(each.row.key, each.row.title) for each in found if each.page is None]
    source = context.volume(request.volume)
    along = request.revisions == "along" or not context.gains_readers(target, source)
    made = move_to_volume(
        context.wiki,
        ids,
        target.id,
        parents=parents_of([each.row for each in found]),
        unwritten=unwritten,
        under=names.key(request.under) or None,
        copies=copies(context, context.wiki.pages(ids).values(), target.id),
    )
    return replace(made, along=along, asked=(*made.asked, str(along)))


def sentence(_: PlanView, __: Move, facts: Moved) -> str:
    return f"{counted(facts.pages, 'page')} will be in {facts.target} instead of “{facts.source}”."


def note(facts: Moved) -> Phrase:
    more = f" and {facts.pages - 1} more" if facts.pages > 1 else ""
    return (f"“{facts.title}”{more} moved from “{facts.source}” to ", facts.target)


def button(_: PlanView, __: Move, facts: Moved) -> str:
    return f"Move {counted(facts.pages, 'page')}"


ACT = Act(
    Move,
    Moved,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Move to another volume",
    done="Moved",
    button=button,
    menu="Move to another volume",
    address="move",
    asked="to",
    question="move.html",
    command="move",
    command_without=("to", place.ACT),
)
