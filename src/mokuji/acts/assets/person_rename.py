"""Give a person another handle: oneself, or anybody by an owner of the wiki. Whatever names them follows."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act
from mokuji.acts.assets import named
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.base.phrases import Phrase
from mokuji.core.model.policy import Permission, PersonPermission, may_about
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.assets import AssetChanged, change_asset
from mokuji.services.people import NOT_THEIRS, check_never_theirs


@request
class RenamePerson:
    """Give a person another handle."""

    volume: Annotated[str, Field(description="Key of a volume that you may read, in whose log it stands")]
    person: Annotated[str, Field(description="The handle of now")]
    to: str
    act: Literal["person rename"] = Field(default="person rename", kw_only=True)


def plan(context: StoredContext, request: RenamePerson) -> Plan:
    context.volume(request.volume, Permission.READ)
    if not context.actor.signed_in:
        raise Forbidden("Sign in to change your handle.", code="sign_in")
    asset = context.asset("person", request.person.strip().casefold())
    # Who is not there and who is not one's own to rename look alike.
    if not may_about(context.actor, PersonPermission.RENAME, asset.id if asset is not None else 0):
        raise Forbidden(NOT_THEIRS)
    if asset is None:
        raise Missing(f"Nobody is called “{request.person}” here.", code="person_missing")
    if not request.to.strip():
        raise Refused("Type the new handle.", code="bad_handle")
    wanted = request.to.strip().casefold()
    taken = context.asset("person", wanted)
    pages = context.naming(asset)
    made = change_asset(context.wiki, request.act, asset, pages, name=request.to.strip(), taken=taken)
    check_never_theirs(context.connection, wanted, asset.id)
    return made


def sentence(_: PlanView, __: RenamePerson, facts: AssetChanged) -> str:
    return named.renamed("The person", facts)


def note(facts: AssetChanged) -> Phrase:
    return f"@{facts.before} is now @{facts.after}"


ACT = Act(
    RenamePerson,
    AssetChanged,
    About.PERSON,
    plan,
    sentence,
    note,
    heading="Change a handle",
    done="Handle changed",
    button="Change the handle",
    address="person-rename",
    asked="to",
    question="rename_asset.html",
)
