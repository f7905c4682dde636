"""The snapshot: what a plan or a report may know of a wiki.

``Wiki`` is the contract. ``MemoryWiki`` keeps it with plain dictionaries (for
folders and tests); the store keeps it with queries inside one transaction.
During a plan nothing of it changes. ``Overlay`` is the wiki as it will be
once an act is done, so that a plan can look at its own result.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Protocol, runtime_checkable

from mokuji.core.base import names
from mokuji.core.base.names import Name
from mokuji.core.language.page import Page, PageHead
from mokuji.core.syntax.reference import Kind

Place = tuple[int, str]
"""A volume's id and a key in it. Volume 0 is one that does not exist: its key stands before the “/” of the key."""


@dataclass(frozen=True, slots=True)
class Volume:
    """An area with its own contents and rights. ``libraries`` are ids, in order, for inserts;
    ``language`` is a tag of BCP 47, empty if none is said."""

    id: int
    key: str
    title: str
    closed: bool = False
    libraries: tuple[int, ...] = ()
    language: str = ""


Named = tuple[Mapping[Place, PageHead], Mapping[Place, Sequence[PageHead]]]
"""What ``Wiki.titles`` and ``Wiki.aliases`` say of the same places."""


@runtime_checkable
class AsksTogether(Protocol):
    """A wiki far away, for which two questions are twice the way."""

    def titles_and_aliases(self, places: Collection[Place]) -> Named:
        """Both answers at once."""
        ...


class Wiki(Protocol):
    """What resolution and plans ask. All answers belong to one moment."""

    @property
    def volumes(self) -> Mapping[str, Volume]:
        """All volumes by key."""
        ...

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        """The pages that have these title keys."""
        ...

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        """For each alias the pages that have it, by key; the first one counts."""
        ...

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        """Pages with their texts; those that are gone are left out."""
        ...

    def naming(self, places: Collection[Place]) -> Collection[int]:
        """Ids of the pages with a reference whose name could mean one of these places: typed in that volume with that
        key, inserted by it in a volume that has that one as a library, or anywhere with the volume before it."""
        ...

    def naming_sections(self, places: Collection[Place]) -> Collection[int]:
        """As ``naming``, only pages whose reference names a section as well."""
        ...

    def naming_volume(self, key: str) -> Collection[int]:
        """Ids of the pages with a reference that has this key before its ``/``, whether or not it is a volume."""
        ...

    def inserting(self, volume: int) -> Collection[int]:
        """Ids of the pages of a volume that insert something."""
        ...

    def standing_in(self, volume: int) -> Collection[int]:
        """Ids of the pages of a volume."""
        ...


@dataclass
class MemoryWiki:
    """A wiki in memory. ``pages_by_id`` is not to be changed after the first question."""

    all_volumes: Iterable[Volume]
    all_pages: Iterable[Page]
    pages_by_id: dict[int, Page] = field(init=False)
    volumes: dict[str, Volume] = field(init=False)

    def __post_init__(self) -> None:
        self.pages_by_id = {page.head.id: page for page in self.all_pages}
        self.volumes = {volume.key: volume for volume in self.all_volumes}

    @cached_property
    def _titles(self) -> dict[Place, PageHead]:
        return {(p.head.volume, p.head.key): p.head for p in self.pages_by_id.values()}

    @cached_property
    def _aliases(self) -> dict[Place, list[PageHead]]:
        found: dict[Place, list[PageHead]] = {}
        for page in sorted(self.pages_by_id.values(), key=lambda page: page.head.key):
            for key in page.alias_keys:
                found.setdefault((page.head.volume, key), []).append(page.head)
        return found

    @cached_property
    def _naming(self) -> dict[Place, dict[int, bool]]:
        """Place → pages whose references could mean it → whether one names a section."""
        found: dict[Place, dict[int, bool]] = {}
        for page in self.pages_by_id.values():
            for kind, name, section in self.names_on(page):
                for place in self.places_of(page.head.volume, kind, name):
                    users = found.setdefault(place, {})
                    users[page.head.id] = users.get(page.head.id, False) or bool(names.key(section or ""))
        return found

    def names_on(self, page: Page) -> Iterator[tuple[Kind, Name, str | None]]:
        """The names that the references of a page give, each with its kind and section."""
        for reference in page.content.references:
            if reference.name is not None:
                yield reference.kind, reference.name, reference.section

    @cached_property
    def _by_id(self) -> dict[int, Volume]:
        return {volume.id: volume for volume in self.volumes.values()}

    def places_of(self, home: int, kind: Kind, name: Name) -> Iterator[Place]:
        """The places that a name typed in volume ``home`` could mean."""
        if not name.absolute:
            yield home, name.key
            if kind is Kind.INSERT:
                yield from ((library, name.key) for library in self._by_id[home].libraries)
        if name.volume is not None and name.title is not None:
            if name.volume in self.volumes:
                yield self.volumes[name.volume].id, name.title
            elif name.absolute:
                yield 0, f"{name.volume}/{name.title}"

    @property
    def all_titles(self) -> Mapping[Place, PageHead]:
        """All pages by the places of their titles."""
        return self._titles

    @property
    def all_aliases(self) -> Mapping[Place, Sequence[PageHead]]:
        """All pages by the places of their aliases."""
        return self._aliases

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        return {place: self._titles[place] for place in places if place in self._titles}

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        return {place: self._aliases[place] for place in places if place in self._aliases}

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        return {id_: self.pages_by_id[id_] for id_ in ids if id_ in self.pages_by_id}

    def naming(self, places: Collection[Place]) -> Collection[int]:
        return {id_ for place in places for id_ in self._naming.get(place, {})}

    def naming_sections(self, places: Collection[Place]) -> Collection[int]:
        found = (self._naming.get(place, {}) for place in places)
        return {id_ for users in found for id_, sections in users.items() if sections}

    def naming_volume(self, key: str) -> Collection[int]:
        return [
            page.head.id
            for page in self.pages_by_id.values()
            if any(name.volume == key for _, name, _ in self.names_on(page))
        ]

    def inserting(self, volume: int) -> Collection[int]:
        return [
            page.head.id
            for page in self.pages_by_id.values()
            if page.head.volume == volume and any(kind is Kind.INSERT for kind, _, _ in self.names_on(page))
        ]

    def standing_in(self, volume: int) -> Collection[int]:
        return [page.head.id for page in self.pages_by_id.values() if page.head.volume == volume]


class Overlay:
    """A wiki as it will be when some pages have other heads or aliases, came, or went.

    Texts and who names what are those of before: an act changes them only in
    its result. ``aliases`` gives the alias keys of pages that have other ones,
    or have moved to another volume, or are new.
    """

    def __init__(
        self,
        base: Wiki,
        heads: Mapping[int, PageHead],
        *,
        gone: Collection[int] = (),
        aliases: Mapping[int, Sequence[str]] | None = None,
        volumes: Mapping[str, Volume] | None = None,
    ) -> None:
        self._base = base
        self._heads = heads
        self._gone = frozenset(gone)
        self._other_aliases = aliases or {}
        self._by_place = {(head.volume, head.key): head for head in heads.values()}
        self._by_alias: dict[Place, list[PageHead]] = {}
        for id_, keys in self._other_aliases.items():
            if id_ in heads and id_ not in self._gone:
                for key in keys:
                    self._by_alias.setdefault((heads[id_].volume, key), []).append(heads[id_])
        self.volumes: Mapping[str, Volume] = base.volumes if volumes is None else volumes

    def titles(self, places: Collection[Place]) -> Mapping[Place, PageHead]:
        heads = {
            place: head
            for place, head in self._base.titles(places).items()
            if head.id not in self._heads and head.id not in self._gone
        }
        return heads | {place: self._by_place[place] for place in places if place in self._by_place}

    def aliases(self, places: Collection[Place]) -> Mapping[Place, Sequence[PageHead]]:
        base = self._base.aliases(places)
        found: dict[Place, Sequence[PageHead]] = {}
        for place in places:
            holders = [
                self._heads.get(head.id, head)
                for head in base.get(place, ())
                if head.id not in self._gone and head.id not in self._other_aliases
            ]
            holders += self._by_alias.get(place, ())
            if holders:
                found[place] = sorted(holders, key=lambda head: head.key)
        return found

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        return self._base.pages(ids)

    def naming(self, places: Collection[Place]) -> Collection[int]:
        return self._base.naming(places)

    def naming_sections(self, places: Collection[Place]) -> Collection[int]:
        return self._base.naming_sections(places)

    def naming_volume(self, key: str) -> Collection[int]:
        return self._base.naming_volume(key)

    def inserting(self, volume: int) -> Collection[int]:
        return self._base.inserting(volume)

    def standing_in(self, volume: int) -> Collection[int]:
        return self._base.standing_in(volume)
