"""Another place in the contents for a name and what stands below it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import Fields, FromForm, request
from mokuji.acts.volumes.contents import sentence
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.contents import LAST, Put
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.move import Placed, put


def _after(given: Fields) -> str:
    return "first" if "first" in given else given.get("after", "").strip() or "last"


@request
class Place:
    """Give a name, with its branch, another place in the contents."""

    volume: str
    page: str
    under: Annotated[
        str, Field(description="The name in the contents that it goes below; empty: the top")
    ] = ""
    after: Annotated[
        str,
        Field(description="“first”, “last”, or the name that it goes behind"),
        FromForm(_after, lambda value: {"after": value}),
    ] = "last"
    act: Literal["place"] = Field(default="place", kw_only=True)


def plan(context: PlanningContext, request: Place) -> Plan:
    volume = context.volume(request.volume)
    key = names.key(request.page)
    branch = context.branch(volume.id, key)
    head = context.find(volume, request.page)
    if not branch and head is None:
        raise Missing(f"“{request.page}” has no place in the contents.", code="place_missing")
    title = branch[0].title if branch else (head.title if head else request.page)
    under = names.key(request.under) or None
    if under is not None and under in {row.key for row in branch}:
        raise Refused(f"“{title}” cannot be placed below itself.", code="place_below_itself")
    if under is not None and not context.branch(volume.id, under, 1):
        raise Missing(
            f"“{request.under}” has no place in the contents of “{volume.title}”.", code="place_missing"
        )
    if request.after not in ("first", "last") and not context.branch(volume.id, names.key(request.after), 1):
        raise Missing(
            f"“{request.after}” has no place in the contents of “{volume.title}”.", code="place_missing"
        )
    after = {"first": None, "last": LAST}.get(request.after, names.key(request.after))
    return put(context.wiki, Put(volume.id, key, title, under, after), head)


def note(facts: Placed) -> Phrase:
    return f"“{facts.title}” has another place in the contents"


ACT = Act(
    Place,
    Placed,
    About.NAME,
    plan,
    sentence,
    note,
    heading="Another place in the contents",
    done="Contents changed",
    button="Change the contents",
    menu="Another place in the contents",
    address="place",
    asked="after",
    logged="contents",
    question="place.html",
    command="place",
)
