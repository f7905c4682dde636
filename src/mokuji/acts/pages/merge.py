"""Merge a page into another; references lead there."""

from __future__ import annotations

from contextlib import suppress
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.command import KEEP_WORDS, NOT_ASKED, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.files_along import copies
from mokuji.acts.request import READERS_SEE, FromForm, request, unless
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.phrases import Phrase
from mokuji.core.diff.line_ends import restore
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import check_page
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import merge as core
from mokuji.core.refactor.plans.merge import Merged, Texts

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView

HOW = {
    "after": "its text comes behind the other",
    "before": "its text comes before the other",
    "keep": "its text is not kept",
    "edited": "the text is the one you wrote",
}


@request
class Merge:
    """Merge a page into another; references lead there."""

    volume: str
    page: str
    into: Annotated[str, Field(description="The page that stays: “Title” or “Volume/Title”")]
    texts: Annotated[Texts, Field(description="How the two texts are joined")] = "after"
    edited: Annotated[
        str | None,
        Field(description="The whole text afterwards, if texts is “edited”"),
        option("--edited", help="A file with the whole text afterwards.", kind="file"),
    ] = None
    present_words: Annotated[bool, READERS_SEE, KEEP_WORDS] = False
    alias: Annotated[
        bool,
        Field(description="The old title becomes an alias"),
        unless("noalias"),
        option(
            "--no-alias",
            help="The old title does not stay as another name.",
            kind="flag",
            read=lambda given: not given.values[0],
        ),
    ] = True
    from_form: Annotated[
        bool,
        Field(description="The edited text has the line ends of a form; it gets those of the page"),
        FromForm(lambda _: True, lambda _: {}),
        NOT_ASKED,
    ] = False
    act: Literal["merge"] = Field(default="merge", kw_only=True)


def plan(context: PlanningContext, request: Merge) -> Plan:
    head = context.page(request.volume, request.page)
    into = context.page_named(request.into, request.volume)
    edited = request.edited
    check_page(edited or "")
    if edited is not None and request.from_form:
        edited = restore(context.wiki.pages([into.id])[into.id].text, edited)
    return core.merge(
        context.wiki,
        head.id,
        into.id,
        texts=request.texts,
        edited=edited,
        present_words=request.present_words,
        alias=request.alias,
        rows=tuple(context.branch(head.volume, head.key)),
        copies=copies(context, context.wiki.pages([head.id]).values(), into.volume),
    )


def sentence(_: PlanView, request: Merge, facts: Merged) -> str:
    return f"“{facts.title}” becomes part of {facts.into}: {HOW[request.texts]}."


def note(facts: Merged) -> Phrase:
    return (f"“{facts.title}” merged into ", facts.into)


def choices(context: PlanningContext, request: Merge, _: VolumeView | None, head: PageHead | None) -> Choices:
    if head is None or not request.into.strip():
        return Choices()
    with suppress(MokujiError):
        into = context.page_named(request.into, request.volume)
        pages = context.wiki.pages([head.id, into.id])
        return Choices(joined=core.joined(pages[head.id], pages[into.id], "after"))
    return Choices()


ACT = Act(
    Merge,
    Merged,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Merge into another page",
    done="Merged",
    button="Merge",
    menu="Merge into another page",
    address="merge",
    asked="into",
    question="merge.html",
    choices=choices,
    command="merge",
)
