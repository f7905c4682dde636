"""Give a source another name; whatever cites it follows."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.assets import defines_note
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetChanged, change_asset
from mokuji.core.syntax.pointers import source_key


@request
class RenameSource:
    """Give a source another name; whatever cites it follows."""

    volume: Annotated[str, Field(description="Key of a volume in which you may write")]
    source: str
    to: Annotated[str, Field(description="Its new name")]
    act: Literal["source rename"] = Field(default="source rename", kw_only=True)


def plan(context: PlanningContext, request: RenameSource) -> Plan:
    source = named.source(context, request.volume, request.source)
    taken = context.asset("source", source_key(request.to))
    pages = context.naming(source)
    for page in context.wiki.pages(pages).values():
        if page.head.volume not in context.reads and defines_note(page, request.to.strip()):
            raise Refused(
                f"A page that is closed to you has a footnote “{request.to.strip()}” of its own, which would stand in "
                "the place of the source. Choose another name.",
                code="source_hidden",
            )
    return change_asset(context.wiki, request.act, source, pages, name=request.to, taken=taken)


def sentence(_: PlanView, __: RenameSource, facts: AssetChanged) -> str:
    return named.renamed("The source", facts)


def note(facts: AssetChanged) -> Phrase:
    return f"Source “{facts.before}” is now called “{facts.after}”"


ACT = Act(
    RenameSource,
    AssetChanged,
    About.SOURCE,
    plan,
    sentence,
    note,
    heading="Rename a source",
    done="Source renamed",
    button="Rename the source",
    address="source-rename",
    asked="to",
    question="rename_asset.html",
    command="rename-source",
)
