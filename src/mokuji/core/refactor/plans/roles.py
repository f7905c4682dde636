"""Say what somebody is in a volume: reader, writer, owner, or nobody."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from mokuji.core.base.errors import Refused
from mokuji.core.model.changes import RoleChange
from mokuji.core.model.policy import Role
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make


@dataclass(frozen=True, slots=True)
class Member:
    """Somebody, and what they are in a volume."""

    id: int
    handle: str
    name: str
    role: Role


@dataclass(frozen=True, slots=True)
class RoleGiven(Facts):
    """Somebody who is something else in a volume; ``heir`` is the handle of who owns it instead (empty: nobody need),
    ``own`` says that they did it themselves."""

    volume: str
    handle: str
    name: str
    before: int
    after: int
    heir: str = ""
    own: bool = False


def give_role(
    wiki: Wiki,
    volume: int,
    title: str,
    member: Member,
    role: Role,
    *,
    owners: Collection[int],
    heir: Member | None = None,
) -> Plan:
    """The plan to make somebody something else in a volume. ``owners`` are all who own it now, by id; Refused if none
    would be left and no ``heir`` is named."""
    roles = [_change(volume, member, role)]
    if heir is not None:
        if heir.id == member.id:
            raise Refused("Name somebody else who owns the volume then.", code="last_owner")
        roles.append(_change(volume, heir, Role.OWNER))
    left = set(owners) - {member.id} if role < Role.OWNER else {member.id}
    if owners and not left and heir is None:
        raise Refused(
            f"{member.name} is the last owner of “{title}”. Name somebody of its people who owns it then.",
            code="last_owner",
            named=[volume],
        )
    facts = RoleGiven(
        title, member.handle, member.name, int(member.role), int(role), heir.handle if heir else ""
    )
    changed = [each for each in roles if each.before is not each.after]
    return make(wiki, "role", None, Outcome(), asked=(volume, *roles), roles=changed, facts=facts)


def _change(volume: int, member: Member, role: Role) -> RoleChange:
    return RoleChange(volume, member.id, member.handle, member.name, member.role, role)
