"""What telling people of changes takes and answers with, in JSON."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import Field

from mokuji.api.schemas import Schema

Why = Literal["given", "named", "due", "page", "own", "branch", "category", "question", "volume"]
State = Literal["unread", "read", "aside"]
How = Literal["not", "at once", "daily", "weekly"]
Kind = Literal["page", "branch", "category", "question", "volume"]


class ToldPage(Schema):
    """A page that a change was about, as it is called now; one that is in the trash has no key."""

    volume: str
    key: str
    title: str
    gone: bool


class ToldLine(Schema):
    """A line that a change made another one: as it was, as it is, and the words that differ."""

    before: str
    after: str
    taken: list[str]
    put: list[str]


class ToldChange(Schema):
    """Something that you were told: an act, or a task that is due. ``why`` is the first reason there is; ``more_pages``
    are not listed."""

    number: int
    at: datetime
    why: Why
    state: State
    act: str | None
    change: int | None = Field(description="number of the change set; none for a task that is due")
    by: str | None
    note: str
    due: date | None
    tasks: list[str]
    pages: list[ToldPage]
    more_pages: int
    lines: list[ToldLine]


class Inbox(Schema):
    """What you were told, the newest first, as far as you may read it now. ``unread`` is counted up to 100;
    ``more_before`` is what to ask for next, if there is more."""

    told: list[ToldChange]
    unread: int
    more_before: int | None


class Marked(Schema):
    """What became of some of what you were told, by its numbers."""

    numbers: list[int] = Field(max_length=500)
    state: State


class WatchOf(Schema):
    """What to be told of: a volume by its key, and in it a page or a category by its name; or a kept question by its
    number. A branch is a page with all that stands below it."""

    kind: Kind
    volume: str = ""
    name: str = Field(default="", max_length=400)
    question: int = Field(default=0, ge=0, le=2**31 - 1)


class Watched(Schema):
    """Something that you are told of, as it is called now; no volume for a question that asks all."""

    number: int
    kind: Kind
    volume: str | None
    name: str


class MutedPage(Schema):
    """A page of which you hear nothing, unless you are named there."""

    volume: str
    key: str
    title: str


class ToldOf(Schema):
    """All that you are told of. ``hidden`` is how much more there is that is gone or closed to you at the moment."""

    watched: list[Watched]
    muted: list[MutedPage]
    own: bool = Field(description="whether you are told of pages on which you wrote")
    hidden: int


class Wishes(Schema):
    """Whether to be told of pages on which you wrote."""

    own: bool


class Mute(Schema):
    """A page to hear nothing of, or to hear of again."""

    volume: str
    page: str
    on: bool


class ByMail(Schema):
    """How you are told by mail. An address that is not confirmed gets nothing but the question whether it is yours;
    ``stopped`` says why mail to it ended by itself."""

    address: str
    how: How
    confirmed: bool
    stopped: str


class Feeds(Schema):
    """The beginning of the addresses of your own feeds: the key of a volume goes behind it, with ``?page=`` (and
    ``&below=1``), ``?category=`` or ``?question=``. Who knows it reads what you may read."""

    address: str


class MailWish(Schema):
    """How to be told by mail, and where."""

    address: str = Field(default="", max_length=254)
    how: How
