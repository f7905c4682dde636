"""Give a volume another name; references that say it follow."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.volumes import VolumeRenamed, rename_volume


@request
class RenameVolume:
    """Give a volume another name."""

    volume: str
    title: str
    act: Literal["rename volume"] = Field(default="rename volume", kw_only=True)


def plan(context: StoredContext, request: RenameVolume) -> Plan:
    volume = context.volume(request.volume, Permission.MANAGE)
    context.check_not_hidden(request.title)
    return rename_volume(context.wiki, volume.id, request.title)


def sentence(_: PlanView, __: RenameVolume, facts: VolumeRenamed) -> str:
    return f"The volume “{facts.before}” will be called “{facts.after}”."


def note(facts: VolumeRenamed) -> Phrase:
    return f"Volume “{facts.before}” is now called “{facts.after}”"


ACT = Act(
    RenameVolume,
    VolumeRenamed,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Rename this volume",
    done="Volume renamed",
    button="Rename the volume",
    menu="Rename this volume",
    permission=Permission.MANAGE,
    address="rename",
    asked="title",
    question="rename_volume.html",
)
