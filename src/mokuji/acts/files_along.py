"""Files that come along when pages go to another volume: one that is called as another file there gets a free name."""

from __future__ import annotations

from collections.abc import Iterable

from mokuji.core.base.edits import Edit, arrange
from mokuji.core.language import files as naming
from mokuji.core.language.destinations import destinations
from mokuji.core.language.page import Page
from mokuji.core.model.things import Copies, Thing, ThingChange, renaming
from mokuji.store import files
from mokuji.store.database import Connection
from mokuji.store.index import things


def copies(connection: Connection, pages: Iterable[Page], target: int) -> Copies:
    """What pages that go to volume ``target`` must name otherwise there, and the files that are copied under a free
    name for it. All others keep their names."""
    edits: dict[int, list[Edit]] = {}
    made: dict[tuple[int, str], Thing] = {}
    taken: set[str] = set()
    for page in pages:
        source = page.head.volume
        keys = {each.key for each in destinations(page.text, page.content)} if source != target else set()
        if not keys:
            continue
        here, there = files.called(connection, source, keys), files.called(connection, target, keys)
        for key in sorted(here.keys() & there.keys()):
            if here[key].hash == there[key].hash:
                continue
            old = things.thing(connection, "file", here[key].id)
            assert old is not None
            if (source, key) not in made:
                name = _free(connection, old.name, (source, target), taken)
                taken.add(naming.key(name))
                made[source, key] = Thing("file", 0, target, name, old.content)
            edits.setdefault(page.head.id, []).extend(renaming(page, old, made[source, key].name))
    changes = tuple(ThingChange(None, each) for each in made.values())
    return Copies({id_: arrange(each) for id_, each in edits.items()}, changes)


def _free(connection: Connection, name: str, volumes: tuple[int, int], taken: set[str]) -> str:
    """A name with a number that no file has in either volume."""
    number = 2
    while True:
        wanted = naming.numbered(name, number)
        key = naming.key(wanted)
        if key not in taken and not any(files.called(connection, each, [key]) for each in volumes):
            return wanted
        number += 1
