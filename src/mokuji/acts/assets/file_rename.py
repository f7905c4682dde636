"""Give a file of a volume another name; its ending stays, and what names it follows."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import request
from mokuji.acts.view import PlanView
from mokuji.core.base.phrases import Phrase
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetChanged, change_asset
from mokuji.core.syntax import files as naming


@request
class RenameFile:
    """Give a file of a volume another name; its ending stays."""

    volume: str
    file: str
    to: Annotated[str, Field(description="Its new name; the ending stays")]
    act: Literal["file rename"] = Field(default="file rename", kw_only=True)


def plan(context: PlanningContext, request: RenameFile) -> Plan:
    volume, file = named.file(context, request.volume, request.file)
    wanted = request.to.strip()
    end = naming.ending(file.name)
    if naming.ending(wanted) != end and end:
        wanted = f"{wanted}.{end}"
    taken = context.asset("file", naming.key(wanted), volume.id)
    pages = context.naming(file)
    return change_asset(context.wiki, request.act, file, pages, name=wanted, taken=taken)


def sentence(_: PlanView, __: RenameFile, facts: AssetChanged) -> str:
    return named.renamed("The file", facts)


def note(facts: AssetChanged) -> Phrase:
    return f"File “{facts.before}” is now called “{facts.after}”"


ACT = Act(
    RenameFile,
    AssetChanged,
    About.FILE,
    plan,
    sentence,
    note,
    heading="Rename a file",
    done="File renamed",
    button="Rename the file",
    address="file-rename",
    asked="to",
    question="rename_asset.html",
    command="rename-file",
)
