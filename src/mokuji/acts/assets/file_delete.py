"""Take a file of a volume away; another one can take its place on all pages."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import Fields, FromForm, request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetRemoved, remove_asset


def _instead(given: Fields) -> str:
    return given.get("instead", "") if given.get("how") == "instead" else ""


INSTEAD = FromForm(_instead, lambda name: {"how": "instead", "instead": name} if name else {"how": "leave"})


@request
class DeleteFile:
    """Take a file of a volume away."""

    volume: str
    file: str
    instead: Annotated[
        str, Field(description="Name of the file that takes its place; empty: none"), INSTEAD
    ] = ""
    act: Literal["file delete"] = Field(default="file delete", kw_only=True)


def plan(context: PlanningContext, request: DeleteFile) -> Plan:
    _, file = named.file(context, request.volume, request.file)
    other = named.file(context, request.volume, request.instead)[1] if request.instead.strip() else None
    pages = context.naming(file)
    return remove_asset(context.wiki, request.act, file, pages, instead=other)


def sentence(_: PlanView, __: DeleteFile, facts: AssetRemoved) -> str:
    return named.removed("The file", facts)


def note(facts: AssetRemoved) -> Phrase:
    more = f", “{facts.instead}” takes its place" if facts.instead else ""
    return f"File “{facts.name}” deleted{more}"


ACT = Act(
    DeleteFile,
    AssetRemoved,
    About.FILE,
    plan,
    sentence,
    note,
    heading="Delete a file",
    done="File deleted",
    button="Delete the file",
    address="file-delete",
    asked="how",
    question="delete_asset.html",
)
