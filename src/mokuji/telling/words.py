"""What is said of a change: what was done, by whom, and why somebody is told."""

from __future__ import annotations

from mokuji.acts import registry
from mokuji.core.base.phrases import counted
from mokuji.core.telling.watching import Why
from mokuji.services.telling.inbox import Entry, PageTold
from mokuji.services.telling.watching import Watched

_WHY = {
    Why.GIVEN: "gives you a task",
    Why.NAMED: "names you",
    Why.DUE: "a task of yours is due",
    Why.PAGE: "you are told of this page",
    Why.OWN: "you wrote here",
    Why.BRANCH: "below a page that you are told of",
    Why.CATEGORY: "in a category that you are told of",
    Why.QUESTION: "answers a question that you are told of",
    Why.VOLUME: "in a volume that you are told of",
}


def why(entry: Entry) -> str:
    """Why somebody is told: what they asked for by its name, if they may read it still."""
    named = _named(entry.watched) if entry.watched is not None else ""
    match entry.why:
        case Why.BRANCH if named:
            return f"below “{named}”"
        case Why.CATEGORY if named:
            return f"in category “{named}”"
        case Why.QUESTION if named:
            return f"answers “{named}”"
        case Why.VOLUME if named:
            return f"in “{named}”"
    return _WHY[entry.why]


def _named(watched: Watched) -> str:
    if watched.page is not None:
        return watched.page.title
    if watched.kind == "volume" and watched.volume is not None:
        return watched.volume.title
    return watched.name


def done(entry: Entry) -> str:
    """What was done, in a word or two: “Text changed”, “Page renamed”."""
    if entry.act is None:
        return "Task due"
    return registry.done(entry.act.act)


def about(entry: Entry) -> str:
    """The pages of an entry, or its volume, in short: “Mast”, “Mast and 3 other pages”."""
    if not entry.pages:
        return entry.volume.title if entry.volume is not None else ""
    others = len(entry.pages) - 1 + entry.more
    first = entry.pages[0].title
    return f"{first} and {counted(others, 'other page')}" if others else first


def where(page: PageTold) -> str:
    """Where a page is: its volume, or the trash of that."""
    return f"in the trash of {page.volume.title}" if page.gone else page.volume.title


def empty(*, first_time: bool, state: str) -> str:
    """What stands in an inbox that is empty."""
    if first_time:
        return (
            "You are told of nothing yet. Open a page and choose “tell me of changes” at its foot; the same is offered "
            "for a volume, a category and a question that you keep. Who names you by your handle reaches you anyway."
        )
    if state == "read":
        return "Nothing that you have read lies here."
    if state == "aside":
        return "You have put nothing aside."
    return "You have read all that you were told."
