"""Take a source off the list; another one can be cited in its place."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.assets.file_delete import INSTEAD
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetRemoved, remove_asset


@request
class DeleteSource:
    """Take a source off the list."""

    volume: Annotated[str, Field(description="Key of a volume in which you may write")]
    source: str
    instead: Annotated[
        str, Field(description="Name of the source that is cited in its place; empty: none"), INSTEAD
    ] = ""
    act: Literal["source delete"] = Field(default="source delete", kw_only=True)


def plan(context: PlanningContext, request: DeleteSource) -> Plan:
    source = named.source(context, request.volume, request.source)
    other = named.source(context, request.volume, request.instead) if request.instead.strip() else None
    pages = context.naming(source)
    return remove_asset(context.wiki, request.act, source, pages, instead=other)


def sentence(_: PlanView, __: DeleteSource, facts: AssetRemoved) -> str:
    return named.removed("The source", facts)


def note(facts: AssetRemoved) -> Phrase:
    more = f", “{facts.instead}” is cited in its place" if facts.instead else ""
    return f"Source “{facts.name}” deleted{more}"


ACT = Act(
    DeleteSource,
    AssetRemoved,
    About.SOURCE,
    plan,
    sentence,
    note,
    heading="Delete a source",
    done="Source deleted",
    button="Delete the source",
    address="source-delete",
    asked="how",
    question="delete_asset.html",
)
