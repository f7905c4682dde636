"""Let a name that is referred to be another name of a page."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.pages.aliases import sentence
from mokuji.acts.pages.retarget import Retarget
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.edit.front_edit import names_of
from mokuji.core.refactor.plan import Plan, naming
from mokuji.core.refactor.plans.aliases import AliasAdded, Aliased, set_aliases


@request
class AddAlias:
    """Let a name that is referred to be another name of a page of its volume."""

    volume: str
    page: Annotated[str, Field(description="The name")]
    of: Annotated[str, Field(description="The page: “Title” or “Volume/Title”")]
    act: Literal["add alias"] = Field(default="add alias", kw_only=True)


def plan(context: PlanningContext, request: AddAlias) -> Plan:
    head = context.page_named(request.of, request.volume)
    place = (context.volume(request.volume).id, names.key(request.page))
    name = context.name_typed(place, request.page)
    if head.volume != place[0]:
        raise Refused(
            f"Another name of a page is found in its own volume only, and “{head.title}” is in another one "
            f"than the references to “{name}”. Lead those to it instead.",
            code="alias_elsewhere",
        )
    text = context.wiki.pages([head.id])[head.id].text
    made = set_aliases(context.wiki, head.id, [*names_of(text, "aliases"), name])
    facts = made.facts
    assert isinstance(facts, Aliased)
    return replace(made, facts=AliasAdded(facts.names, facts.dead, naming(head)))


def note(facts: AliasAdded) -> Phrase:
    return (f"“{facts.names[-1]}” is another name of ", facts.page)


def instead(view: PlanView, request: AddAlias) -> tuple[str, Retarget] | None:
    if view.refusal is None or view.refusal.code != "alias_elsewhere":
        return None
    return f"Lead them to “{request.of}”", Retarget(request.volume, request.page, request.of)


ACT = Act(
    AddAlias,
    AliasAdded,
    About.NAME,
    plan,
    sentence,
    note,
    heading="Another name of a page",
    done="Other names changed",
    button="Change the other names",
    address="alias",
    asked="of",
    logged="aliases",
    question="add_alias.html",
    instead=instead,
)
