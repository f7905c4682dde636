"""Change what is known of a source. A form saves it at once, so there is no page of its plan."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import BadFields, Conflict
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Actor
from mokuji.core.model.sources import as_json, fault_of, revision_of
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetChanged, change_asset
from mokuji.services.app_context import AppContext
from mokuji.services.writing import sources


@request
class EditSource:
    """Other fields for a source, as CSL-JSON; ``revision`` is the one that its writer began with."""

    volume: str
    source: str
    fields: str
    revision: str = ""
    act: Literal["source edit"] = Field(default="source edit", kw_only=True)


def plan(context: StoredContext, request: EditSource) -> Plan:
    source = named.source(context, request.volume, request.source)
    if request.revision and request.revision != revision_of(json.loads(source.content)):
        raise Conflict(
            f"“{source.name}” was changed by somebody else since you opened it. Look at what it says now, then "
            "save again.",
            code="edited_meanwhile",
        )
    fields = json.loads(request.fields)
    if fault := fault_of(fields):
        raise BadFields({"fields": f"The source cannot be kept: {fault}"})
    return change_asset(context.wiki, request.act, source, (), content=as_json(fields))


def sentence(_: PlanView, __: EditSource, facts: AssetChanged) -> str:
    return f"The source “{facts.after}” will read otherwise wherever it is cited."


def note(facts: AssetChanged) -> Phrase:
    return f"Source “{facts.after}” edited"


ACT = Act(
    EditSource,
    AssetChanged,
    About.SOURCE,
    plan,
    sentence,
    note,
    heading="Change a source",
    done="Source edited",
    button="Change the source",
    in_json=False,
)


def save_source(
    app: AppContext, actor: Actor, name: str, fields: Mapping[str, str], *, new: bool, revision: str = ""
) -> str:
    """Makes a source of what a form says, or changes one; the name that it has. BadName and BadFields say what is wrong
    with it, Conflict that it is not the ``revision`` any more that the writer began with."""
    from mokuji.acts import doing  # which knows all acts, this one too

    told = sources.check(app, actor, name, fields, new=new)
    if told.known is None:
        return sources.add(app, actor, name, told.fields)
    if as_json(told.fields) != as_json(told.known.fields):
        wanted = EditSource(told.home.key, told.known.name, as_json(told.fields), revision)
        doing.apply(app, actor, wanted, None)
    return told.known.name
