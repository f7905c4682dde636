"""Take in a folder that was brought to a volume (``services.folders.brought``): its pages, their order, its files."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import Field

from mokuji.acts.act import NO_CHOICES, About, Act, Choices
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.assets import Asset, AssetChange
from mokuji.core.refactor.bringing.bring import BroughtBack, bring
from mokuji.core.refactor.plan import Plan
from mokuji.services.folders import brought, coming_back
from mokuji.services.folders.coming_back import Coming
from mokuji.store import brought as stored
from mokuji.store import files
from mokuji.store.acts.acting import Done


@request
class BringBack:
    """Take in a folder that was brought to a volume, with what was chosen of it."""

    volume: str
    folder: Annotated[int, Field(ge=0, description="The number that the folder got when it was brought")]
    act: Literal["bring back"] = Field(default="bring back", kw_only=True)


def coming(context: StoredContext, request: BringBack) -> Coming:
    """What the folder would change, compared once in a transaction."""
    found = context.kept.get(request.folder)
    if not isinstance(found, Coming):
        volume, folder = brought.need(context, request.volume, request.folder)
        found = context.kept[request.folder] = coming_back.compared(context, volume, folder)
    return found


def plan(context: StoredContext, request: BringBack) -> Plan:
    found = coming(context, request)
    left_out = sum(1 for item in found.assets if not item.done)
    return bring(
        context.wiki,
        found.volume.id,
        found.comparison,
        folder=found.folder.name,
        contents=found.order.placings,
        assets=found.changes,
        naming=found.naming,
        left_out=left_out,
        asked=(request.folder, found.order.chosen, *(f"{item.id} {item.chosen}" for item in found.assets)),
    )


def sentence(view: PlanView, _: BringBack, facts: BroughtBack) -> str:
    said = [
        f"{counted(number, 'page')} {is_ if number == 1 else are}"
        for number, is_, are in (
            (facts.new, "is new", "are new"),
            (facts.changed, "gets another text", "get another text"),
            (facts.renamed, "gets another title", "get another title"),
            (facts.gone, "goes to the trash", "go to the trash"),
        )
        if number
    ]
    if facts.files:
        said.append(f"{counted(facts.files, 'file')} {'changes' if facts.files == 1 else 'change'}")
    if not said:
        said = ["the order of the contents changes" if view.plan and view.plan.contents else "nothing comes"]
    told = f"From “{facts.folder}”: {', '.join(said)}."
    if view.plan is not None and view.plan.in_the_way:
        number = view.plan.in_the_way
        told += f" {counted(number, 'page')} {'has' if number == 1 else 'have'} to be chosen first."
    return told


def note(facts: BroughtBack) -> Phrase:
    return f"Brought back from “{facts.folder}”"


def choices(context: StoredContext, request: BringBack, *_: Any) -> Choices:
    try:
        return Choices(coming=coming(context, request))
    except MokujiError:
        return NO_CHOICES  # the plan says why


def bytes_of_files(context: StoredContext, request: BringBack, made: Plan) -> None:
    """Lays down what files are to hold."""
    found = coming(context, request)
    wanted = {_hash(each.after) for each in made.change_set.assets if _other(each) and each.after is not None}
    person = context.actor.person
    assert person is not None
    for path, each in stored.kept(context.connection, found.folder.id).items():
        if each.hash.hex() in wanted:
            data = stored.data(context.connection, found.folder.id, path)
            files.put(context.connection, each.hash, data, person, found.folder.at)


def _other(change: AssetChange) -> bool:
    after = change.after
    return after is not None and after.sort == "file" and (
        change.before is None or _hash(change.before) != _hash(after)
    )  # fmt: skip


def _hash(asset: Asset) -> str:
    return str(json.loads(asset.content)["hash"])


def taken_in(context: StoredContext, request: BringBack, done: Done, *_: Any) -> None:
    """What was taken in waits no more, unless that is taken back."""
    stored.taken(context.connection, request.folder, done.change_set)


ACT = Act(
    BringBack,
    BroughtBack,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="Bring back",
    done="Brought back",
    button="Take it in",
    address="bring-back",
    choices=choices,
    beforehand=bytes_of_files,
    afterwards=taken_in,
    after="bring_back.html",
    button_counts=False,
    tells_copies=False,
)
