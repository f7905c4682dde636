"""Readers that pages gain or lose by an act, and what is said of them before it is done."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import TypeAlias

from mokuji.core.base.phrases import counted
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Volume


@dataclass(frozen=True, slots=True)
class Readers:
    """The readers that one volume has and another has not: everybody else, or the people with these names."""

    everybody: bool = False
    names: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return self.everybody or bool(self.names)


@dataclass(frozen=True, slots=True)
class Passing:
    """Pages that come from one volume to another by an act: who reads them then, and who no longer. ``older`` is how
    many revisions were written in the first one; they go ``along``, or stay with its readers."""

    source: Volume
    target: Volume
    pages: int
    gained: Readers
    lost: Readers
    older: int
    along: bool


@dataclass(frozen=True, slots=True)
class BroughtBack:
    """A page that gets words back which were written in a volume with fewer readers than it has where it is now."""

    page: PageHead
    written_in: Volume
    gained: Readers


@dataclass(frozen=True, slots=True)
class Opening:
    """A volume that everybody reads from now on, or only its people (by name) and the owners of the wiki: what there is
    to read in it, revisions that were written in it included; how many pages lie in its trash."""

    volume: Volume
    pages: int
    revisions: int
    trash: int
    people: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Given(Opening):
    """Somebody who begins to read a closed volume, or reads it no more."""

    who: str
    reads: bool


Seen: TypeAlias = Passing | BroughtBack | Opening | Given


# ---- in words -------------------------------------------------------------------


def sentences(found: Collection[Seen], volumes: Mapping[int, Volume]) -> list[str]:
    """What is to be known of readers before an act is done."""
    said: list[str] = []
    for each in found:
        if isinstance(each, BroughtBack):
            said.append(
                f"“{each.page.title}” gets words back that were written in “{each.written_in.title}”. "
                f"It is in “{volumes[each.page.volume].title}” now, and {_who(each.gained)} will read them there."
            )
            continue
        if isinstance(each, Opening):
            said.append(_opening(each))
            continue
        pages = "page" if each.pages == 1 else f"{each.pages:,} pages"
        if each.gained:
            said.append(f"{_begun(_who(each.gained))} will read the {pages} in “{each.target.title}”.")
            said += _older(each)
        if each.lost:
            more = " nor what was written there before" if each.older else ""
            said.append(
                f"{_begun(_who(each.lost))} will no longer read the {pages}{',' + more if more else ''}: "
                f"“{each.target.title}” is closed to them."
            )
    return said


def _opening(each: Opening) -> str:
    there = counted(each.pages, "page")
    were = "was" if each.revisions == 1 else "were"
    there = f"{there}, {counted(each.revisions, 'revision')} that {were} written there, and its log"
    if isinstance(each, Given):
        if each.reads:
            return f"{each.who} will read “{each.volume.title}”: {there}."
        return f"{each.who} will no longer read “{each.volume.title}”, nor what was written there before."
    if not each.volume.closed:
        return (
            f"Everybody will read “{each.volume.title}”: {there}, with the names of who wrote them. What is found, "
            f"counted and put in elsewhere is open then, too.{_trash(each)}"
        )
    who = _who(Readers(names=each.people)) if each.people else "nobody"
    there = f"“{each.volume.title}”"
    return (
        f"{_begun(who)} will read {there} then, and the owners of the wiki; for all others it is not there."
    )


def _trash(each: Opening) -> str:
    return (
        f" Whoever signs in sees what lies in its trash: {counted(each.trash, 'page')}." if each.trash else ""
    )


def _older(each: Passing) -> Iterator[str]:
    if not each.older:
        return
    one = each.older == 1
    revisions = "The revision that was" if one else f"The {each.older:,} revisions that were"
    if each.along:
        yield f"{revisions} written in “{each.source.title}” {'goes' if one else 'go'} along: they will read that too."
    else:
        yield (
            f"{revisions} written in “{each.source.title}” {'stays' if one else 'stay'} with the page, and only who "
            f"reads “{each.source.title}” reads {'it' if one else 'them'}."
        )


NAMED = 6
"""Maximum number of people that are named; of more, how many they are."""


def _begun(words: str) -> str:
    """Words as the beginning of a sentence; names keep their capitals."""
    return words[:1].upper() + words[1:]


def _who(readers: Readers) -> str:
    if readers.everybody:
        return "everybody else"
    if len(readers.names) > NAMED:
        return f"{len(readers.names):,} people more"
    *first, last = readers.names
    return f"{', '.join(first)} and {last}" if first else last
