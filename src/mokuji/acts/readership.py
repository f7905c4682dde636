"""Who reads more by an act, and who less: pages in a volume with other readers, and what was written before."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from mokuji.acts.readers import BroughtBack, Given, Opening, Passing, Readers
from mokuji.core.model.changes import ChangeSet, Fate
from mokuji.core.model.policy import Role
from mokuji.core.model.wiki import Volume
from mokuji.store import people, roles
from mokuji.store.database import Connection
from mokuji.store.log import history
from mokuji.store.log.history import Kept


def beyond(connection: Connection, volume: Volume, other: Volume) -> Readers:
    """Who reads a volume and not the other one. An owner of the wiki reads both."""
    if not other.closed:
        return Readers()
    if not volume.closed:
        return Readers(everybody=True)
    known = people.readers_of(connection, other.id)
    more = {id_: name for id_, name in people.readers_of(connection, volume.id).items() if id_ not in known}
    return Readers(names=tuple(sorted(more.values())))


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
    stands = {change.head.id: change.volume_after for change in change_set.changes}
    for change in change_set.changes:
        way = (change.head.volume, change.volume_after)
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
        source, target = volumes.get(written_in.get(change.head.id, 0)), volumes.get(change.volume_after)
        if source is None or target is None or not change.text_changed:
            continue
        gained = beyond(connection, target, source)
        if gained:
            yield BroughtBack(change.head_after, source, gained)


def opening(
    connection: Connection, change_set: ChangeSet, volumes: Mapping[int, Volume]
) -> Iterator[Opening]:
    """The volumes that more people read from now on, or fewer, as a whole: those that open or close, and those of which
    somebody becomes one of the people, or is no more."""
    for change in change_set.volumes:
        before, after = change.before, change.after
        if before is not None and after is not None and before.closed != after.closed:
            there = roles.holdings(connection, after.id)
            here = [each for each in roles.of_volume(connection, after.id) if not each.closed]
            names = tuple(sorted(each.name for each in here))
            yield Opening(after, there.pages, there.revisions, there.trash, names)
    for each in change_set.roles:
        volume = volumes.get(each.volume)
        reads = each.after is not Role.NOBODY
        if volume is None or not volume.closed or reads is (each.before is not Role.NOBODY):
            continue
        there = roles.holdings(connection, volume.id)
        yield Given(volume, there.pages, there.revisions, there.trash, (), each.name, reads)
