"""What the JSON interface takes and gives of rights: people of volumes, offers, keys, the audit trail."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from mokuji.api.schemas import Schema


class Member(Schema):
    """Somebody, and what they are in a volume by a role of their own."""

    handle: str
    name: str
    role: str
    owns_wiki: bool


class Offer(Schema):
    """A role that waits for whoever has a handle to take it."""

    id: int
    handle: str
    role: str
    by: str
    expires: datetime


class LeftTasks(Schema):
    """A handle that open tasks name, and that none of the people of the volume has."""

    handle: str
    number: int


class LeftDraft(Schema):
    """A draft of somebody who may write in the volume no more."""

    id: int
    handle: str
    key: str
    title: str
    changed: datetime


class PeopleOfVolume(Schema):
    """The people of a volume; ``own`` is what you are there."""

    people: list[Member]
    owners_of_wiki: list[Member]
    own: str
    offers: list[Offer]
    left_tasks: list[LeftTasks]
    left_drafts: list[LeftDraft]


class NewOffer(Schema):
    """A role for whoever has a handle."""

    handle: str
    role: Literal["reader", "writer", "owner"]


class OfferMade(Schema):
    """Until when an offer holds."""

    expires: datetime


class TakenOver(Schema):
    """The page of a draft that is yours now."""

    key: str


class FrontPage(Schema):
    """The page that a volume opens on."""

    page: str = Field(description="Key or title of a page of the volume")


class OwnOffer(Schema):
    """A role that is offered to you."""

    id: int
    volume: str
    title: str
    role: str
    by: str
    expires: datetime


class Accepted(Schema):
    """The volume in which you have the role now."""

    volume: str


class OwnKey(Schema):
    """A key for a program; ``volumes`` are those of it in which you have a role still."""

    id: int
    name: str
    may: Literal["read", "write"]
    volumes: list[str]
    made: datetime
    expires: datetime
    used: datetime | None


class NewKey(Schema):
    """A key for a program: what it is for, what it may do in which volumes, and for how many days."""

    name: str
    volumes: list[str] = Field(max_length=500)
    may: Literal["read", "write"] = "read"
    days: Literal[30, 90, 365] = 90


class KeyMade(Schema):
    """A key, told this once."""

    id: int
    key: str
    expires: datetime


class Leaving(Schema):
    """What becomes of a person's things once they leave."""

    handle: str
    alone: list[str] = Field(description="Keys of the volumes that nobody else owns")
    tasks: int
    drafts: int
    sessions: int
    keys: int
    last_of_wiki: bool


class AuditEntry(Schema):
    """What was done: by whom and about whom, by handle."""

    at: datetime
    kind: str
    by: str | None
    about: str | None
    volume: str | None
    change: int | None = Field(description="The number of the change that was made by it")
    address: str
    details: str


class Trail(Schema):
    """Entries of the audit trail, the newest first."""

    entries: list[AuditEntry]
    more_after: str | None
