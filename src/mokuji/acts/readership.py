"""Who reads more by an act, and who less: pages in a volume with other readers, and what was written before."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import ChangeSet, Fate
from mokuji.core.model.wiki import Volume
from mokuji.store import history, people
from mokuji.store.database import Connection
from mokuji.store.history import Kept


@dataclass(frozen=True, slots=True)
class Readers:
    """The readers that one volume has and another has not: everybody else, or the people with these names."""

    everybody: bool = False
    names: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return self.everybody or bool(self.names)


def beyond(connection: Connection, volume: Volume, other: Volume) -> Readers:
    """Who reads a volume and not the other one. An owner of the wiki reads both."""
    if not other.closed:
        return Readers()
    if not volume.closed:
        return Readers(everybody=True)
    known = people.readers_of(connection, other.id)
    more = {id_: name for id_, name in people.readers_of(connection, volume.id).items() if id_ not in known}
    return Readers(names=tuple(sorted(more.values())))


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


def passing(
    connection: Connection,
    change_set: ChangeSet,
    volumes: Mapping[int, Volume],
    *,
    along: bool,
    back: Collection[Kept],
) -> Iterator[Passing]:
    """The ways that pages, or their texts, take from volume to volume, of those that can be read, where readers differ.
    ``back`` are the revisions that go where they were written first, so that nobody reads them who had not."""
    ways: dict[tuple[int, int], set[int]] = {}
    moved: dict[tuple[int, int], set[int]] = {}
    stands = {change.head.id: change.head_after.volume for change in change_set.changes}
    for change in change_set.changes:
        way = (change.head.volume, change.head_after.volume)
        if change.fate is Fate.KEPT and way[0] != way[1]:
            moved.setdefault(way, set()).add(change.head.id)
            ways.setdefault(way, set()).add(change.head.id)
    for gone in change_set.removed:
        target = stands.get(gone.successor or 0, gone.head.volume)
        if target != gone.head.volume:
            ways.setdefault((gone.head.volume, target), set()).add(gone.head.id)
    for (source, target), pages in sorted(ways.items()):
        if source not in volumes or target not in volumes:
            continue
        gained = beyond(connection, volumes[target], volumes[source])
        lost = beyond(connection, volumes[source], volumes[target])
        if gained or lost:
            pages_moved = moved.get((source, target), set())
            older = history.number_written_in(connection, pages_moved, [source])
            older -= sum(each.highest - each.lowest + 1 for each in back if each.page in pages_moved)
            yield Passing(volumes[source], volumes[target], len(pages), gained, lost, older, along)


def brought_back(
    connection: Connection,
    change_set: ChangeSet,
    written_in: Mapping[int, int],
    volumes: Mapping[int, Volume],
) -> Iterator[BroughtBack]:
    """The pages that an undoing gives words back which more will read than where they were written; ``written_in`` says
    of pages in which other volume that was."""
    for change in change_set.changes:
        source, target = volumes.get(written_in.get(change.head.id, 0)), volumes.get(change.head_after.volume)
        if source is None or target is None or not change.text_changed:
            continue
        gained = beyond(connection, target, source)
        if gained:
            yield BroughtBack(change.head_after, source, gained)


# ---- in words -------------------------------------------------------------------


def sentences(found: Collection[Passing | BroughtBack], volumes: Mapping[int, Volume]) -> list[str]:
    """What is to be known of readers before an act is done."""
    said: list[str] = []
    for each in found:
        if isinstance(each, BroughtBack):
            said.append(
                f"“{each.page.title}” gets words back that were written in “{each.written_in.title}”. "
                f"It is in “{volumes[each.page.volume].title}” now, and {_who(each.gained)} will read them there."
            )
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
