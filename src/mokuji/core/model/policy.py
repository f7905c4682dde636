"""Who may do what. A table, so that it can be read as one.

A volume is *public* (everybody reads it) or *closed* (its people only).
People are reader, writer or owner of a volume; nobody else may write in it.
An owner of the wiki counts as owner of every volume, and alone may change what
concerns other people themselves (``PersonPermission``).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import Enum, IntEnum
from types import MappingProxyType


class Role(IntEnum):
    """What a person is in a volume; each may do all that those before it may."""

    NOBODY = 0
    READER = 1
    WRITER = 2
    OWNER = 3


class Permission(IntEnum):
    """What can be allowed, with the least role that may do it in a closed volume."""

    READ = Role.READER
    WRITE = Role.WRITER
    RENAME = Role.WRITER
    MANAGE = Role.OWNER


class PersonPermission(Enum):
    """What can be asked for about a person; an owner of the wiki may ask for all of it."""

    RENAME = "rename"
    CLOSE = "close"
    OPEN = "open"
    GIVE = "give"
    RESET = "reset"


OWN_PERSON = frozenset({PersonPermission.RENAME, PersonPermission.CLOSE})
"""What people may ask for about themselves."""


@dataclass(frozen=True, slots=True)
class Actor:
    """Who asks. ``person`` is None for somebody who has not signed in; ``program`` says that a program asks with a key
    of theirs, which may do less than they."""

    person: int | None = None
    handle: str = ""
    name: str = ""
    roles: Mapping[int, Role] = field(default_factory=lambda: MappingProxyType({}))
    owns_wiki: bool = False
    program: bool = False

    def role_in(self, volume: int) -> Role:
        """What they are in a volume, given or as owner of the wiki."""
        return Role.OWNER if self.owns_wiki else self.roles.get(volume, Role.NOBODY)

    @property
    def belongs_in(self) -> frozenset[int] | None:
        """The volumes whose people they are one of; None if it is all of them."""
        if self.owns_wiki:
            return None
        return frozenset(volume for volume, role in self.roles.items() if role > Role.NOBODY)

    @property
    def belongs(self) -> bool:
        """Whether they have a role anywhere, and so belong to the people of the wiki."""
        return self.owns_wiki or any(role > Role.NOBODY for role in self.roles.values())

    @property
    def owns_any(self) -> bool:
        """Whether they own the wiki or a volume, and so may let others in."""
        return self.owns_wiki or any(role is Role.OWNER for role in self.roles.values())

    @property
    def signed_in(self) -> bool:
        """Whether we know who it is."""
        return self.person is not None


NOBODY = Actor()


def may(actor: Actor, act: Permission, volume: int, *, closed: bool) -> bool:
    """Whether the actor may do this in a volume."""
    if act is Permission.READ and not closed:
        return True
    return int(actor.role_in(volume)) >= int(act)


OF_OWNERS = frozenset(
    {"create volume", "rename volume", "libraries", "language", "access", "role", "delete volume"}
)
"""Acts that only an owner of a volume may do to it, by the names that the log gives them."""


AUDITED = OF_OWNERS | {"person rename"}
"""Acts that are written down in the audit trail, and their undoing."""
OF_PEOPLE = frozenset({"role"})
"""Acts that say who the people of a volume are: the log tells them to these only, though everybody reads the volume."""


def needed_for(act: str) -> Permission:
    """What must be allowed in a volume to do an act of this name there, and so to take it back."""
    return Permission.MANAGE if act in OF_OWNERS else Permission.RENAME


def may_about(actor: Actor, act: PersonPermission, person: int) -> bool:
    """Whether the actor may do this to a person."""
    return not actor.program and (actor.owns_wiki or (actor.person == person and act in OWN_PERSON))
