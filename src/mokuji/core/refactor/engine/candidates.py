"""Which references could lead elsewhere afterwards: the only ones that are looked at."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, Use
from mokuji.core.model.wiki import Place
from mokuji.core.refactor.engine.state import State, name_of
from mokuji.core.syntax.reference import Kind


class Candidates:
    """The references that an outcome can touch."""

    def __init__(self, state: State) -> None:
        self.state = state

    def candidates(
        self, places: Collection[Place], taken: Callable[[Page, frozenset[str]], bool] | None = None
    ) -> Iterator[tuple[Page, Use]]:
        """The references that could mean one of these places afterwards, and those of texts that are looked at whole.

        ``taken`` may take a page, with the keys that its names are looked up by, to look at it by itself.
        """
        dispersed = self._dispersed()
        wiki = self.state.wiki
        named = {*wiki.naming(places), *wiki.naming_sections(dispersed)}
        every = frozenset(key for _, key in (*places, *dispersed))
        whole, volumes, inserting = self._whole(), self.changed_volumes(), self._inserting()
        closely = whole | inserting
        aimed: dict[int, set[Span]] = {}
        for id_, span in (*self.state.outcome.aims, *self.state.outcome.plain):
            aimed.setdefault(id_, set()).add(span)
        naming = {id_ for key in volumes for id_ in self.state.wiki.naming_volume(key)}
        closely |= naming | aimed.keys()
        ids = named | closely
        self.state.load(ids)
        for id_ in sorted(ids & self.state.pages.keys()):
            page = self.state.pages[id_]
            if id_ not in closely:
                if taken is not None and taken(page, every):
                    continue
                yield from ((page, use) for use in page.uses(every))
                continue
            for use in page.every_use():
                name = use.reference.name
                if (
                    id_ in whole
                    or use.reference.span in aimed.get(id_, ())
                    or (name is not None and (name.key in every or name.title in every))
                    or (name is not None and name.volume in volumes)
                    or (id_ in inserting and use.reference.kind is Kind.INSERT)
                ):
                    yield page, use

    def touched(self) -> set[Place]:
        """All places at which a name can lead elsewhere afterwards."""
        outcome = self.state.outcome
        places: set[Place] = set()
        shifted: set[int] = set()
        for id_ in {*outcome.heads, *outcome.gone}:
            was = self.state.stored[id_].head if id_ in self.state.stored else None
            will = None if id_ in outcome.gone else outcome.heads[id_]
            if was is None or will is None or name_of(was) != name_of(will):
                places.update((head.volume, head.key) for head in (was, will) if head is not None)
                shifted.add(id_)
        places |= self._touched_aliases(shifted)
        return places

    def _touched_aliases(self, shifted: Collection[int]) -> set[Place]:
        outcome = self.state.outcome
        places: set[Place] = set()
        shared: set[Place] = set()
        for id_ in {*shifted, *self.state.recast}:
            was = self.state.alias_places(id_)
            will = (
                set()
                if id_ in outcome.gone
                else {(self.state.head_after(id_).volume, k) for k in self.state.aliases_after(id_)}
            )
            places |= was ^ will
            if id_ in shifted:
                shared |= was & will
        # Of two pages with one alias the first by key counts, and the key is changing.
        places.update(place for place, holders in self.state.wiki.aliases(shared).items() if len(holders) > 1)
        return places

    def _dispersed(self) -> set[Place]:
        """All names of pages that are left, but some of whose headings stand on another page afterwards."""
        pages = {id_ for id_, hosts in self.state.hosts.items() if any(host != id_ for _, host in hosts)}
        pages |= {id_ for id_, _ in self.state.outcome.became}
        places: set[Place] = set()
        for id_ in (pages & self.state.stored.keys()) - self.state.outcome.gone:
            head = self.state.stored[id_].head
            places |= {(head.volume, head.key)} | self.state.alias_places(id_)
        return places

    def _whole(self) -> set[int]:
        """Texts of which every reference must be looked at: they stand on another page or in another volume."""
        moved = {
            id_
            for id_, head in self.state.outcome.heads.items()
            if id_ in self.state.stored and self.state.stored[id_].head.volume != head.volume
        }
        carried = {
            source
            for source, hosts in self.state.hosts.items()
            if source not in self.state.stored or any(id_ != source for _, id_ in hosts)
        }
        became = {id_ for id_, _ in self.state.outcome.became}
        return (moved | carried | became) & self.state.pages.keys()

    def changed_volumes(self) -> set[str]:
        """The keys that are those of a volume before or afterwards only, or of another one."""
        if self.state.outcome.volumes is None:
            return set()
        before = {key: volume.id for key, volume in self.state.wiki.volumes.items()}
        after = {key: volume.id for key, volume in self.state.after.volumes.items()}
        return {key for key in before.keys() | after.keys() if before.get(key) != after.get(key)}

    def _inserting(self) -> set[int]:
        if self.state.outcome.volumes is None:
            return set()
        after = self.state.homes_after
        changed = [
            id_
            for id_, volume in self.state.homes.items()
            if id_ in after and volume.libraries != after[id_].libraries
        ]
        return {page for id_ in changed for page in self.state.wiki.inserting(id_)}
