"""Say what somebody is in a volume: reader, writer, owner, or nobody; who leaves one says it of themselves."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from mokuji.acts.act import About, Act, Choices
from mokuji.acts.request import request
from mokuji.acts.stored_context import StoredContext
from mokuji.acts.view import PlanView
from mokuji.core.base import names
from mokuji.core.base.errors import Refused
from mokuji.core.base.phrases import Phrase, counted
from mokuji.core.model.policy import Permission, Role
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.roles import Member, RoleGiven, give_role
from mokuji.services.known_people import knows
from mokuji.store import roles
from mokuji.store.index import tasks

RoleName = Literal["reader", "writer", "owner", "nobody"]
ROLES: dict[RoleName, Role] = {
    "reader": Role.READER,
    "writer": Role.WRITER,
    "owner": Role.OWNER,
    "nobody": Role.NOBODY,
}
CALLED = {Role.READER: "a reader", Role.WRITER: "a writer", Role.OWNER: "an owner", Role.NOBODY: "nobody"}
CAN = {
    Role.READER: "may read it",
    Role.WRITER: "may read it and write in it",
    Role.OWNER: "may read it, write in it, and say who else may",
}


@request
class GiveRole:
    """Say what somebody is in a volume. Who leaves a volume is “nobody” there from then on."""

    volume: str
    person: Annotated[str, Field(description="Their handle")]
    role: RoleName
    heir: Annotated[
        str, Field(description="Handle of one of its people, who owns it where its last owner goes")
    ] = ""
    act: Literal["role"] = Field(default="role", kw_only=True)


def plan(context: StoredContext, request: GiveRole) -> Plan:
    volume = context.volume(request.volume, Permission.READ)
    handle, wanted = request.person.strip().removeprefix("@").casefold(), ROLES[request.role]
    leaves = handle == context.actor.handle and wanted is Role.NOBODY and not context.actor.program
    if not leaves or request.heir:
        context.volume(request.volume, Permission.MANAGE)
    found = roles.one(context.connection, handle, volume.id) if names.is_storable(handle) else None
    if not knows(context.connection, context.actor, found) or found is None:
        # Who is there, but nobody whom the actor knows, and who is not there look alike.
        raise Refused(
            f"Nobody with whom you share a volume is called “{handle}”. If somebody is, you can offer it to them.",
            code="not_among",
        )
    if found.closed and wanted is not Role.NOBODY:
        raise Refused(f"{found.name} has left this wiki.", code="person_closed")
    return planned(context, volume, found, wanted, _heir(context, volume, request.heir))


def planned(
    context: StoredContext, volume: Volume, found: roles.Member, wanted: Role, heir: Member | None = None
) -> Plan:
    """The plan to make somebody something else, whoever they are to the actor."""
    owners = [
        each.id
        for each in roles.of_volume(context.connection, volume.id)
        if each.role is Role.OWNER and not each.closed
    ]
    made = give_role(context.wiki, volume.id, volume.title, _member(found), wanted, owners=owners, heir=heir)
    assert isinstance(made.facts, RoleGiven)
    return replace(made, facts=replace(made.facts, own=found.id == context.actor.person))


def _member(found: roles.Member) -> Member:
    return Member(found.id, found.handle, found.name, found.role)


def _heir(context: StoredContext, volume: Volume, typed: str) -> Member | None:
    handle = typed.strip().removeprefix("@").casefold()
    if not handle:
        return None
    found = roles.one(context.connection, handle, volume.id) if names.is_storable(handle) else None
    if found is None or found.role is Role.NOBODY or found.closed:
        raise Refused(f"None of the people of “{volume.title}” is called “{handle}”.", code="heir_missing")
    return _member(found)


def sentence(view: PlanView, request: GiveRole, facts: RoleGiven) -> str:
    before, after = Role(facts.before), Role(facts.after)
    who = f"{facts.name} (@{facts.handle})"
    if facts.own and after is Role.NOBODY and before is not after:
        said = f"You leave “{facts.volume}”, where you are {CALLED[before]}."
    elif before is after:
        said = f"{who} stays {CALLED[after]} of “{facts.volume}”."
    elif after is Role.NOBODY:
        said = f"{who} will have no role in “{facts.volume}” any more, where they are {CALLED[before]}."
    else:
        until = f", until now {CALLED[before]}" if before is not Role.NOBODY else ""
        said = f"{who} will be {CALLED[after]} of “{facts.volume}”{until}: they {CAN[after]}."
    if facts.heir:
        said += f" @{facts.heir} will own it."
    return f"{said}{view.choices.text}"


def choices(context: StoredContext, request: GiveRole, *_: object) -> Choices:
    """What is left behind, where somebody may write no more."""
    volume = context.volume(request.volume, Permission.READ)
    handle = request.person.strip().removeprefix("@").casefold()
    found = roles.one(context.connection, handle, volume.id) if names.is_storable(handle) else None
    if found is None or found.role < Role.WRITER or ROLES[request.role] >= Role.WRITER:
        return Choices()
    open_tasks = tasks.count(context.connection, [volume.id], tasks.Wanted(person=handle))
    drafts = roles.drafts_of(context.connection, found.id, volume.id)
    left = [counted(n, what) for n, what in ((open_tasks, "open task"), (drafts, "draft")) if n]
    if not left:
        return Choices()
    verb = "stays" if open_tasks + drafts == 1 else "stay"
    return Choices(
        text=f" {' and '.join(left)} of theirs {verb}, listed among its people for others to take over."
    )


def note(facts: RoleGiven) -> Phrase:
    heir = f", @{facts.heir} owns the volume" if facts.heir else ""
    if Role(facts.after) is Role.NOBODY:
        return f"@{facts.handle} has no role here any more{heir}"
    return f"@{facts.handle} is {CALLED[Role(facts.after)]} now{heir}"


def button(_: PlanView, request: GiveRole, facts: RoleGiven) -> str:
    if request.role == "nobody":
        return "Leave the volume" if facts.own else "Take the role away"
    return f"Make them {CALLED[ROLES[request.role]]}"


ACT = Act(
    GiveRole,
    RoleGiven,
    About.VOLUME,
    plan,
    sentence,
    note,
    heading="What somebody is in this volume",
    done="Role changed",
    button=button,
    permission=Permission.MANAGE,
    address="role",
    asked="person",
    question="role.html",
    refused="role_offer.html",
    hint="Of the people of the volume, or of another that you share with them. The plan then shows what they gain or "
    "lose.",
    choices=choices,
)
