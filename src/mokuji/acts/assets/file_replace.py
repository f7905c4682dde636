"""Put other bytes in the place of a file of a volume."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Missing
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.assets import Asset
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetChanged, change_asset
from mokuji.core.syntax import files as naming
from mokuji.formats.media import Media, recognise
from mokuji.store import files as stored


@request
class ReplaceFile:
    """Put other bytes in the place of a file: those that were brought for it, or those of a former version. If they are
    of another type, the ending of its name changes."""

    volume: str
    file: str
    content: Annotated[str, Field(description="The SHA-256 of the bytes, in hexadecimal digits")]
    act: Literal["file replace"] = Field(default="file replace", kw_only=True)


def plan(context: StoredContext, request: ReplaceFile) -> Plan:
    volume, file = named.file(context, request.volume, request.file)
    media = _media(context, request, file)
    content = json.dumps(
        {
            "hash": request.content.lower(),
            "type": media.type,
            "size": len(media.data),
            "width": media.width,
            "height": media.height,
        }
    )
    name = _with_ending(file.name, media.ending)
    taken = context.asset("file", naming.key(name), volume.id)
    pages = context.naming(file) if name != file.name else ()
    made = change_asset(context.wiki, request.act, file, pages, name=name, content=content, taken=taken)
    assert isinstance(made.facts, AssetChanged)
    return replace(made, facts=replace(made.facts, content=request.content.lower()))


def _media(context: StoredContext, request: ReplaceFile, file: Asset) -> Media:
    """The bytes, if the actor brought them or may read them: who knows only their hash is given nothing."""
    try:
        hash_ = bytes.fromhex(request.content)
    except ValueError:
        hash_ = b""
    person = context.actor.person or 0
    known = len(hash_) == 32 and stored.may_use(
        context.connection, hash_, file.id, sorted(context.reads), person
    )
    data = stored.find_data(context.connection, hash_) if known else None
    if data is None:
        raise Missing(
            "What is to take its place is not here any more. Choose the file again.", code="file_gone"
        )
    return recognise(data, request.file)


def _with_ending(name: str, end: str) -> str:
    """A name with an ending; one that is written so already stays."""
    known = {"jpg": "jpg", "jpeg": "jpg", "htm": "txt"}
    old = naming.ending(name)
    if not end or known.get(old, old) == known.get(end, end):
        return name
    return f"{name[: -len(old) - 1] if old else name}.{end}"


def sentence(_: PlanView, __: ReplaceFile, facts: AssetChanged) -> str:
    said = f"“{facts.before}” will be the other file; what it was is kept as a former version."
    if facts.before != facts.after:
        said += (
            f" It is of another type, so it will be called “{facts.after}”: {counted(facts.places, 'place')} "
            f"on {counted(facts.pages, 'page')} {'follows' if facts.places == 1 else 'follow'}."
        )
    return said


def note(facts: AssetChanged) -> Phrase:
    return f"File “{facts.after}” replaced"


ACT = Act(
    ReplaceFile,
    AssetChanged,
    About.FILE,
    plan,
    sentence,
    note,
    heading="Replace a file",
    done="File replaced",
    button="Replace the file",
    address="file-replace",
    asked="content",
)
