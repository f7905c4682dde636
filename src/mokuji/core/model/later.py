"""The wiki once a change set is done, texts included, so that a second act can be planned upon a first one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import ChangeSet, PageChange
from mokuji.core.model.wiki import MemoryWiki, Place, Volume, Wiki


def page_after(change: PageChange) -> Page:
    """A page once it is changed. It keeps the number of its revision: the change set is not done yet."""
    after = change.head_after
    head = PageHead(after.id, after.volume, after.key, after.title, change.head.revision)
    return Page(head, change.after)


class LaterWiki:
    """A wiki once a change set of pages is done (volumes are those of before)."""

    def __init__(self, base: Wiki, changes: ChangeSet) -> None:
        self._base = base
        self._touched = {change.head.id for change in changes.changes} | {
            removed.head.id for removed in changes.removed
        }
        self._new = MemoryWiki(base.volumes.values(), [page_after(change) for change in changes.changes])
        self.volumes: Mapping[str, Volume] = base.volumes

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        before = self._base.titles(places).items()
        return {place: head for place, head in before if head.id not in self._touched} | dict(
            self._new.titles(places)
        )

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        before, new = self._base.aliases(places), self._new.aliases(places)
        found: dict[Place, Sequence[PageHead]] = {}
        for place in places:
            holders = [head for head in before.get(place, ()) if head.id not in self._touched]
            if holders := [*holders, *new.get(place, ())]:
                found[place] = sorted(holders, key=lambda head: head.key)
        return found

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        before = self._base.pages([id_ for id_ in ids if id_ not in self._touched])
        return {**before, **self._new.pages(ids)}

    def naming(self, places: Collection[Place]) -> Collection[int]:
        return self._either(self._base.naming(places), self._new.naming(places))

    def naming_sections(self, places: Collection[Place]) -> Collection[int]:
        return self._either(self._base.naming_sections(places), self._new.naming_sections(places))

    def naming_volume(self, key: str) -> Collection[int]:
        return self._either(self._base.naming_volume(key), self._new.naming_volume(key))

    def inserting(self, volume: int) -> Collection[int]:
        return self._either(self._base.inserting(volume), self._new.inserting(volume))

    def standing_in(self, volume: int) -> Collection[int]:
        return self._either(self._base.standing_in(volume), self._new.standing_in(volume))

    def _either(self, before: Collection[int], new: Collection[int]) -> Collection[int]:
        return {id_ for id_ in before if id_ not in self._touched} | set(new)
