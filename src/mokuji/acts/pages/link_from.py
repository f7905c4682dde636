"""Refer to a page at the end of another."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.link import LinkedFrom, link_from


@request
class LinkFrom:
    """Refer to a page at the end of another."""

    volume: str
    page: str
    source: Annotated[str, Field(description="The page that will refer to it: “Title” or “Volume/Title”")]
    act: Literal["link from"] = Field(default="link from", kw_only=True)


def plan(context: PlanningContext, request: LinkFrom) -> Plan:
    head = context.page(request.volume, request.page, Permission.READ)
    source = context.page_named(request.source, request.volume, Permission.WRITE)
    return link_from(context.wiki, source.id, head.id)


def sentence(_: PlanView, __: LinkFrom, facts: LinkedFrom) -> str:
    return f"{facts.source} will refer to {facts.target} at its end."


def note(facts: LinkedFrom) -> Phrase:
    return (facts.source, " refers to ", facts.target)


ACT = Act(
    LinkFrom,
    LinkedFrom,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Link this page from another",
    done="Linked",
    button="Link it",
    address="link-from",
    asked="source",
    logged="link",
    question="link_from.html",
)
