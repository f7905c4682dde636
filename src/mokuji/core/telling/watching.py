"""What people can ask to be told of, and why they are told."""

from __future__ import annotations

from enum import IntEnum


class Watching(IntEnum):
    """What somebody asks to be told of, as it is stored. A branch is a page with all that stands below it."""

    PAGE = 0
    BRANCH = 1
    CATEGORY = 2
    QUESTION = 3
    VOLUME = 4


class Why(IntEnum):
    """Why somebody is told; of several reasons the first counts. Who is named, or has a task, is told whatever they
    asked for."""

    GIVEN = 0
    NAMED = 1
    DUE = 2
    PAGE = 3
    OWN = 4
    BRANCH = 5
    CATEGORY = 6
    QUESTION = 7
    VOLUME = 8


class State(IntEnum):
    """What became of something that somebody was told."""

    UNREAD = 0
    READ = 1
    ASIDE = 2


class Mail(IntEnum):
    """When somebody is told by mail."""

    NOT = 0
    AT_ONCE = 1
    DAILY = 2
    WEEKLY = 3


class Letter(IntEnum):
    """What a mail is for."""

    CONFIRM = 0
    AT_ONCE = 1
    DIGEST = 2


class Sent(IntEnum):
    """What became of a mail. One of which nothing was left to be told is dropped."""

    WAITING = 0
    SENT = 1
    DROPPED = 2
    FAILED = 3


OF = {
    Watching.PAGE: Why.PAGE,
    Watching.BRANCH: Why.BRANCH,
    Watching.CATEGORY: Why.CATEGORY,
    Watching.QUESTION: Why.QUESTION,
    Watching.VOLUME: Why.VOLUME,
}
"""Why somebody is told of what they asked for."""
