"""Rename a page: its title changes, and every reference that leads to it says the new one."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import EVERY_ROW, KEEP_WORDS, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.files_along import with_renamed_files
from mokuji.acts.pages.merge import Merge
from mokuji.acts.request import READERS_SEE, called, lines, request, ticked
from mokuji.acts.view import PlanView
from mokuji.acts.words import references_said
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import rename as core
from mokuji.core.refactor.plans.rename import Renamed


@request
class Rename:
    """Give a page another title."""

    volume: str
    page: str
    title: Annotated[str, Field(description="Its new title"), called("title")]
    present_words: Annotated[
        bool, Field(description="Readers go on seeing the words they see now"), READERS_SEE, KEEP_WORDS
    ] = False
    keep_alias: Annotated[
        bool,
        Field(description="The old title becomes an alias"),
        ticked("alias"),
        option("--alias", help="The old title stays as another name."),
    ] = False
    rows: Annotated[
        tuple[str, ...],
        Field(description="Ids of the rows (of the plan) to be exchanged as well"),
        lines("rows"),
        EVERY_ROW,
    ] = ()
    act: Literal["rename"] = Field(default="rename", kw_only=True)


def plan(context: PlanningContext, request: Rename) -> Plan:
    head = context.page(request.volume, request.page)
    # What could be exchanged as well is looked for when it is shown, and when some of it was chosen.
    wanted = context.shown or request.rows
    offer = context.saying(head.title) if wanted else ()
    made = core.rename(
        context.wiki,
        head.id,
        request.title,
        present_words=request.present_words,
        keep_alias=request.keep_alias,
        rows=request.rows,
        offer=offer,
    )
    return with_renamed_files(context, made) if request.rows else made


def sentence(view: PlanView, request: Rename, facts: Renamed) -> str:
    if not view.references and not view.hidden_references:
        return (
            f"No page refers to “{facts.before}” by its title, so only the title changes to “{facts.after}”."
        )
    what = "will keep the words they show, and lead to" if request.present_words else "will say"
    kept = ""
    if view.labels and not request.present_words:
        kept = f"; {view.labels} {'keeps its own label' if view.labels == 1 else 'keep their own labels'}"
    return f"{references_said(view)} {what} “{facts.after}”{kept}. None will be left without a page."


def note(facts: Renamed) -> Phrase:
    return f"“{facts.before}” is now called “{facts.after}”"


def instead(view: PlanView, request: Rename) -> tuple[str, Merge] | None:
    if view.refusal is None or view.refusal.code != "collision" or view.head is None:
        return None
    words = f"Merge “{view.head.title}” into “{request.title}” instead"
    return words, Merge(request.volume, view.head.key, request.title)


ACT = Act(
    Rename,
    Renamed,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Rename this page",
    done="Renamed",
    button="Rename",
    menu="Rename",
    shortcut="r",
    address="rename",
    asked="title",
    question="rename.html",
    hint="Type the new title. The plan then shows every line that changes, before anything does.",
    instead=instead,
    counts_references=False,
    command="rename",
)
