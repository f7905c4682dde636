"""Write a page that was not there; whatever led elsewhere by its name still leads there."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.command import option
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.edit import nothing_proposed
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.language.scan import check_page
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans import create as core
from mokuji.core.refactor.plans.create import Written


@request
class Create:
    """Write a new page; references that asked for its name lead to it."""

    volume: str
    title: Annotated[str, Field(description="The title of the page")]
    text: Annotated[
        str,
        Field(description="Its text"),
        option("--text", help="A file with its text; “-” reads it from standard input.", kind="file"),
    ] = ""
    under: Annotated[str, Field(description="The name in the contents that it goes below")] = ""
    act: Literal["create"] = Field(default="create", kw_only=True)


def plan(context: PlanningContext, request: Create) -> Plan:
    volume = context.volume(request.volume, Permission.WRITE)
    check_page(request.text)
    key = names.key(request.under)
    if key and not context.branch(volume.id, key, 1):
        raise Missing(f"“{request.under}” has no place in the contents.", code="place_missing")
    return core.create(context.wiki, volume.id, request.title, request.text, under=key or None)


def sentence(_: PlanView, __: Create, facts: Written) -> str:
    return f"“{facts.title}” will be written."


ACT = Act(
    Create,
    Written,
    About.VOLUME,
    plan,
    sentence,
    nothing_proposed,
    heading="Write a page",
    done="Written",
    button="Write it",
    permission=Permission.WRITE,
    command="create",
)
