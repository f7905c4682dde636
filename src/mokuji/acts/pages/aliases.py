"""Give a page other names beside its title."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.command import Given, option
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import lines, request
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.base.phrases import Phrase
from mokuji.core.language.page import PageHead
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.aliases import Aliased, set_aliases

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView


def changed(given: Given) -> tuple[str, ...]:
    """The names that a page has, with some more and without others. Missing for one that it has not."""
    assert given.head is not None
    page = given.context.wiki.pages([given.head.id])[given.head.id]
    now = {names.key(name): name for name in page.content.front_matter.names("aliases")}
    more, less = given.values
    for each in less:
        if names.key(each) not in now:
            raise Missing(f"“{given.head.title}” has no other name “{each}”.", code="alias_missing")
        del now[names.key(each)]
    return tuple((now | {names.key(each): each for each in more if names.key(each) not in now}).values())


@request
class Aliases:
    """Give a page other names beside its title."""

    volume: str
    page: str
    aliases: Annotated[
        tuple[str, ...],
        lines("aliases"),
        option("--add", "--drop", help="One more, or one less; several times.", kind="list", read=changed),
    ]
    act: Literal["aliases"] = Field(default="aliases", kw_only=True)


def plan(context: PlanningContext, request: Aliases) -> Plan:
    head = context.page(request.volume, request.page)
    return set_aliases(context.wiki, head.id, [alias for alias in request.aliases if alias.strip()])


def sentence(_: PlanView, __: Any, facts: Aliased) -> str:
    found = ", ".join(f"“{name}”" for name in facts.names if name not in facts.dead)
    said = f"The page will also be found as {found}." if found else "The page will be found by no other name."
    if facts.dead:
        one = len(facts.dead) == 1
        dead = ", ".join(f"“{each}”" for each in facts.dead)
        said += (
            f" {dead} {'is the title of a page' if one else 'are titles of pages'} of this volume: "
            f"{'it leads' if one else 'they lead'} there, and never to this page as another name."
        )
    return said


def note(facts: Aliased) -> Phrase:
    named = ", ".join(f"“{name}”" for name in facts.names)
    return f"Other names: {named}" if named else "No other names any more"


def choices(context: PlanningContext, _: Aliases, __: VolumeView | None, head: PageHead | None) -> Choices:
    if head is None:
        return Choices()
    return Choices(aliases=context.wiki.pages([head.id])[head.id].content.front_matter.names("aliases"))


ACT = Act(
    Aliases,
    Aliased,
    About.PAGE,
    plan,
    sentence,
    note,
    heading="Other names of this page",
    done="Other names changed",
    button="Change the other names",
    menu="Other names",
    address="aliases",
    asked="aliases",
    question="aliases.html",
    choices=choices,
    command="names",
)
