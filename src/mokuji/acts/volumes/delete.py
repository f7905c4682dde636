"""Put a volume with all its pages into the trash."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import VolumeDeleted, delete_volume
from mokuji.store import pages


@request
class DeleteVolume:
    """Put a volume with all its pages into the trash."""

    volume: str
    act: Literal["delete volume"] = Field(default="delete volume", kw_only=True)


def plan(context: StoredContext, request: DeleteVolume) -> Plan:
    volume = context.volume(request.volume, Permission.MANAGE)
    return delete_volume(context.wiki, volume.id, pages.all_ids(context.connection, volume.id))


def sentence(_: PlanView, __: DeleteVolume, facts: VolumeDeleted) -> str:
    return f"The volume “{facts.title}” goes to the trash with {counted(facts.pages, 'page')}."


def note(facts: VolumeDeleted) -> Phrase:
    return f"Volume “{facts.title}” deleted"


def button(_: PlanView, __: DeleteVolume, facts: VolumeDeleted) -> str:
    return f"Delete the volume with {counted(facts.pages, 'page')}"


ACT = Act(
    DeleteVolume,
    VolumeDeleted,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Delete this volume",
    done="Volume deleted",
    button=button,
    menu="Delete this volume",
    permission=Permission.MANAGE,
    address="delete",
)
