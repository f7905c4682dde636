"""What the JSON interface takes and gives of people: sessions, invitations, passwords."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from mokuji.api.schemas import Schema


class FirstOwner(Schema):
    """Who is to own a wiki that nobody is in, with the key that its start command printed."""

    key: str
    handle: str
    name: str
    password: str


class OwnSession(Schema):
    """Where somebody is signed in; ``here`` is the session that asks."""

    id: int
    device: str = Field(description="What the program that signed in said of itself")
    begun: datetime
    seen: datetime
    here: bool


class Own(Schema):
    """Who asks, as they see themselves."""

    handle: str
    name: str
    owns_wiki: bool
    sessions: list[OwnSession]


class OwnName(Schema):
    """The name that others see."""

    name: str


class OwnPassword(Schema):
    """The password of now, and a new one."""

    present: str
    password: str = Field(description="12 to 128 characters that are not soon guessed")


class NewInvitation(Schema):
    """Somebody who is to be let in: the role in each volume, by its key."""

    roles: dict[str, Literal["reader", "writer", "owner"]]
    note: str = Field(default="", description="Whom it is for, for the list of invitations only")


class Link(Schema):
    """A link that works once; its token is told this once."""

    token: str
    address: str
    expires: datetime


class RoleGiven(Schema):
    """A role in a volume."""

    volume: str
    role: str


class Invitation(Schema):
    """An invitation that waits, to volumes that one owns."""

    id: int
    by: str
    note: str
    expires: datetime
    roles: list[RoleGiven]
    elsewhere: int = Field(description="In how many volumes that one does not own it gives a role as well")


class ComeIn(Schema):
    """Whoever was invited, with the token of their link."""

    token: str
    handle: str
    name: str
    password: str = Field(description="12 to 128 characters that are not soon guessed")


class RenewedPassword(Schema):
    """A new password, with the token of a link to one."""

    token: str
    password: str = Field(description="12 to 128 characters that are not soon guessed")


class PersonOfWiki(Schema):
    """A person as owners of the wiki see them."""

    handle: str
    name: str
    owns_wiki: bool
    closed: datetime | None
    volumes: int = Field(description="In how many volumes they have a role")
    seen: datetime | None = Field(description="When a session that has not ended was last in use")


class PeopleOfWiki(Schema):
    """The people of the wiki, by handle."""

    people: list[PersonOfWiki]
    more_after: str | None


class SignIn(Schema):
    """Who signs in."""

    handle: str
    password: str


class Session(Schema):
    """A session: send ``Authorization: Bearer`` with its token."""

    token: str


class Password(Schema):
    """A new password."""

    password: str = Field(description="12 to 128 characters that are not soon guessed", max_length=1000)
