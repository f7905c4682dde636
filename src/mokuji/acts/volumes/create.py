"""Make a volume, owned by whoever makes it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Forbidden
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Role
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import VolumeMade, create_volume
from mokuji.services.people import NOT_BY_PROGRAMS
from mokuji.store import people
from mokuji.store.acts.acting import Done
from mokuji.store.log.history import LoggedAct


@request
class CreateVolume:
    """Make a volume, owned by you."""

    title: str
    closed: Annotated[bool, Field(description="Only its people may read it")] = False
    act: Literal["create volume"] = Field(default="create volume", kw_only=True)

    @property
    def volume(self) -> str:
        """There is none yet."""
        return ""


def plan(context: StoredContext, request: CreateVolume) -> Plan:
    if not context.actor.signed_in:
        raise Forbidden("Sign in to make a volume.", code="sign_in")
    if context.actor.program:
        raise Forbidden(NOT_BY_PROGRAMS)
    context.check_not_hidden(request.title)
    return create_volume(context.wiki, request.title, closed=request.closed)


def sentence(_: PlanView, __: CreateVolume, facts: VolumeMade) -> str:
    return f"A volume “{facts.title}” will be made, and you own it."


def note(facts: VolumeMade) -> Phrase:
    return f"Volume “{facts.title}” made"


def afterwards(context: StoredContext, _: CreateVolume, done: Done, __: LoggedAct | None) -> None:
    if context.actor.person is not None:
        people.set_role(context.connection, context.actor.person, done.volumes[0], Role.OWNER)


ACT = Act(
    CreateVolume,
    VolumeMade,
    About.WIKI,
    plan,
    sentence,
    note,
    heading="New volume",
    done="Volume made",
    button="Make the volume",
    address="new-volume",
    asked="title",
    question="create_volume.html",
    afterwards=afterwards,
)
