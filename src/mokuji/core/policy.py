"""Who may do what. A table, so that it can be read as one.

A volume is *public* (everybody reads it) or *closed* (its people only).
People are reader, writer or owner of a volume; nobody else may write in it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import IntEnum
from types import MappingProxyType


class Role(IntEnum):
    """What a person is in a volume; each may do all that those before it may."""

    NOBODY = 0
    READER = 1
    WRITER = 2
    OWNER = 3


class Act(IntEnum):
    """What can be asked for, with the least role that may do it in a closed volume."""

    READ = Role.READER
    WRITE = Role.WRITER
    RENAME = Role.WRITER
    MANAGE = Role.OWNER


@dataclass(frozen=True, slots=True)
class Actor:
    """Who asks. ``person`` is None for somebody who has not signed in."""

    person: int | None = None
    handle: str = ""
    name: str = ""
    roles: Mapping[int, Role] = field(default_factory=lambda: MappingProxyType({}))

    @property
    def signed_in(self) -> bool:
        """Whether we know who it is."""
        return self.person is not None


NOBODY = Actor()


def may(actor: Actor, act: Act, volume: int, *, closed: bool) -> bool:
    """Whether the actor may do this in a volume."""
    if act is Act.READ and not closed:
        return True
    return int(actor.roles.get(volume, Role.NOBODY)) >= int(act)
