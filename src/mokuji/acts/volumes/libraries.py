"""Choose the volumes in which inserts of a volume look after its own."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import lines, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import LibrariesChanged, set_libraries


@request
class Libraries:
    """Choose the volumes in which inserts of this one look after its own, in order."""

    volume: str
    libraries: Annotated[tuple[str, ...], Field(description="Keys of volumes"), lines("libraries")]
    act: Literal["libraries"] = Field(default="libraries", kw_only=True)


def plan(context: PlanningContext, request: Libraries) -> Plan:
    volume = context.volume(request.volume, Permission.MANAGE)
    wanted = [context.volume(library, Permission.READ).id for library in request.libraries if library.strip()]
    return set_libraries(context.wiki, volume.id, wanted)


def sentence(_: PlanView, __: Libraries, facts: LibrariesChanged) -> str:
    if not facts.libraries:
        return f"Inserts of “{facts.title}” will look in their own volume only."
    named = ", then in ".join(map(str, facts.libraries))
    return f"Inserts of “{facts.title}” will look in their own volume, then in {named}."


def note(facts: LibrariesChanged) -> Phrase:
    return f"Libraries of “{facts.title}” changed"


ACT = Act(
    Libraries,
    LibrariesChanged,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Libraries of this volume",
    done="Libraries changed",
    button="Change the libraries",
    menu="Libraries of its inserts",
    permission=Permission.MANAGE,
    address="libraries",
    asked="asked",
    question="libraries.html",
)
