"""Resolution: what a reference leads to. References are kept by key and resolved when used.

The order for ``[[X]]``: a title of this volume, an alias of this volume, and
if X has an unescaped ``/`` behind the name of a volume, title and alias there.
An insert looks in the libraries of its volume after its own. What is found
nowhere is unwritten.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import Enum

from mokuji.core.base import names
from mokuji.core.base.names import Name
from mokuji.core.language.page import Page, PageHead, Use
from mokuji.core.model.wiki import AsksTogether, Place, Volume, Wiki
from mokuji.core.syntax.headings import words
from mokuji.core.syntax.reference import Kind, Reference, read


class By(Enum):
    """Through which of its names a page was found."""

    TITLE = "title"
    ALIAS = "alias"


@dataclass(frozen=True, slots=True)
class Resolution:
    """Where a name leads: a page, or the place where one would be written."""

    page: PageHead | None
    by: By | None
    place: Place

    @property
    def written(self) -> bool:
        """Whether there is a page."""
        return self.page is not None


def lookups(name: Name, home: Volume, volumes: Mapping[str, Volume], *, insert: bool = False) -> list[Place]:
    """The places to look at, in order; at each first for a title, then for an alias."""
    found: list[Place] = []
    if not name.absolute:
        found.append((home.id, name.key))
    if name.volume is not None and name.title is not None and name.volume in volumes:
        found.append((volumes[name.volume].id, name.title))
    if insert and not name.absolute:
        found += [(library, name.key) for library in home.libraries]
    return found


def unwritten_place(name: Name, home: Volume, volumes: Mapping[str, Volume]) -> Place:
    """Where a page of this name would be written; volume 0 is one that does not exist."""
    if name.volume is not None and name.title is not None:
        if name.volume in volumes:
            return volumes[name.volume].id, name.title
        if name.absolute:
            return 0, f"{name.volume}/{name.title}"
    return home.id, name.key


class Resolver:
    """Resolves many names with two questions to the wiki."""

    def __init__(
        self,
        volumes: Mapping[str, Volume],
        titles: Mapping[Place, PageHead],
        aliases: Mapping[Place, Sequence[PageHead]],
    ) -> None:
        self._volumes = volumes
        self._titles = titles
        self._aliases = aliases
        self._known: dict[tuple[Name, int, bool], Resolution] = {}

    @classmethod
    def of(cls, wiki: Wiki, uses: Iterable[tuple[Volume, Reference]]) -> Resolver:
        """A resolver that knows all that these references, typed in these volumes, may lead to."""
        places: set[Place] = set()
        for home, reference in uses:
            if reference.name is not None:
                insert = reference.kind is Kind.INSERT
                places.update(lookups(reference.name, home, wiki.volumes, insert=insert))
        if isinstance(wiki, AsksTogether):
            return cls(wiki.volumes, *wiki.titles_and_aliases(places))
        return cls(wiki.volumes, wiki.titles(places), wiki.aliases(places))

    def resolve(self, name: Name, home: Volume, *, insert: bool = False) -> Resolution:
        """Where a name typed in volume ``home`` leads."""
        key = (name, home.id, insert)
        resolution = self._known.get(key)
        if resolution is None:
            resolution = self._known[key] = self._resolve(name, home, insert=insert)
        return resolution

    def _resolve(self, name: Name, home: Volume, *, insert: bool) -> Resolution:
        for place in lookups(name, home, self._volumes, insert=insert):
            page = self._titles.get(place)
            if page is not None:
                return Resolution(page, By.TITLE, place)
            holders = self._aliases.get(place)
            if holders:
                return Resolution(holders[0], By.ALIAS, place)
        return Resolution(None, None, unwritten_place(name, home, self._volumes))


def uses_of(wiki: Wiki, place: Place) -> Iterator[tuple[Page, Use]]:
    """The references that find their page at this place, or would have it written there; page by page."""
    pages = [page for _, page in sorted(wiki.pages(wiki.naming([place])).items())]
    homes = volumes_by_id(wiki)
    key = place[1] if place[0] else place[1].partition("/")[2]
    uses = [(page, use) for page in pages for use in page.uses({key})]
    resolver = Resolver.of(wiki, ((homes[page.head.volume], use.reference) for page, use in uses))
    for page, use in uses:
        name = use.reference.name
        if name is not None:
            insert = use.reference.kind is Kind.INSERT
            if resolver.resolve(name, homes[page.head.volume], insert=insert).place == place:
                yield page, use


def inserts_of(wiki: Wiki, page: Page) -> Iterator[tuple[Page, int]]:
    """The inserts that lead to a page: page by page, on its own too, the index of each among the references there."""
    head = page.head
    places = [(head.volume, head.key), *((head.volume, key) for key in page.alias_keys)]
    ids = wiki.naming(places)
    homes = volumes_by_id(wiki)
    users = [user for _, user in sorted(wiki.pages(ids).items())]
    inserts = [
        (user, use.index, use.reference)
        for user in users
        for use in user.every_use()
        if use.reference.kind is Kind.INSERT
    ]
    resolver = Resolver.of(wiki, ((homes[user.head.volume], each) for user, _, each in inserts))
    for user, index, reference in inserts:
        name = reference.name
        found = name and resolver.resolve(name, homes[user.head.volume], insert=True).page
        if found and found.id == head.id:
            yield user, index


def name_for(wiki: Wiki, home: Volume, head: PageHead, *, insert: bool = False) -> str | None:
    """The shortest name that leads from a volume to a page, as it is typed; None if none does."""
    title = names.escape(head.title)
    full = f"{names.escape(volumes_by_id(wiki)[head.volume].title)}/{title}"
    for form in (title, full, f"/{full}"):
        reference = read(f"[[{'=' if insert else ''}{form}]]", 0)
        if not isinstance(reference, Reference) or reference.name is None or reference.section is not None:
            continue
        found = Resolver.of(wiki, [(home, reference)]).resolve(reference.name, home, insert=insert).page
        if found is not None and found.id == head.id:
            return form
    return None


def volumes_by_id(wiki: Wiki) -> dict[int, Volume]:
    """The volumes of a wiki by id."""
    return {volume.id: volume for volume in wiki.volumes.values()}


class Sections:
    """The headings of a page as targets: identifiers as typed, and keys of words, in order; and the keys of its named
    parts, which inserts find."""

    def __init__(self, ids: Sequence[str | None], keys: Sequence[str], parts: Collection[str] = ()) -> None:
        self.ids = tuple(ids)
        self.keys = tuple(keys)
        self.parts = frozenset(parts)
        self._by_id: dict[str, int] = {}
        self._by_id_key: dict[str, int] = {}
        self._by_key: dict[str, int] = {}
        for index, (id_, key) in enumerate(zip(self.ids, self.keys, strict=True)):
            if id_ is not None:
                self._by_id.setdefault(id_, index)
                self._by_id_key.setdefault(names.key(id_), index)
            self._by_key.setdefault(key, index)

    @classmethod
    def of(cls, page: Page, volumes: Collection[str]) -> Sections:
        """The sections of a page; ``volumes`` are the keys of all volumes."""
        content = page.content
        shown = (words(h, page.text, content.references, volumes) for h in content.headings)
        keys = [names.key(each) for each in shown]
        return cls([h.id for h in content.headings], keys, [p.key for p in content.parts if p.key])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sections) and (self.ids, self.keys) == (other.ids, other.keys)

    def __hash__(self) -> int:
        return hash((self.ids, self.keys))

    def find(self, section: str) -> int | None:
        """The index of the heading a section leads to: by ``{#id}`` exactly, by the key of an
        ``{#id}``, by the key of its words; the first of equals."""
        key = names.key(section)
        if not key:
            return None
        by_id = self._by_identifier(section)
        return by_id if by_id is not None else self._by_key.get(key)

    def _by_identifier(self, section: str) -> int | None:
        found = self._by_id.get(section)
        return found if found is not None else self._by_id_key.get(names.key(section))

    def is_part(self, section: str) -> bool:
        """Whether an insert of this section is one of a named part: identifiers go before, words of headings behind."""
        return names.key(section) in self.parts and self._by_identifier(section) is None

    def holds(self, section: str, *, insert: bool) -> bool:
        """Whether there is such a section, or for an insert such a part."""
        return (insert and self.is_part(section)) or self.find(section) is not None

    def anchors(self) -> tuple[str, ...]:
        """An anchor for each heading, all different; the first of equals has the plain one."""
        taken: set[str] = set()
        counts: dict[str, int] = {}
        found: list[str] = []
        for id_, key in zip(self.ids, self.keys, strict=True):
            base = anchor = id_ or key.replace(" ", "-") or "section"
            while anchor in taken:
                counts[base] = counts.get(base, 1) + 1
                anchor = f"{base}-{counts[base]}"
            taken.add(anchor)
            found.append(anchor)
        return tuple(found)


def section_for(wiki: Wiki, target: Page, fragment: str) -> str:
    """The section that an address leads to, as it is typed; empty if there is none."""
    sections = Sections.of(target, frozenset(wiki.volumes))
    anchors = sections.anchors()
    if fragment not in anchors:
        return ""
    index = anchors.index(fragment)
    heading = target.content.headings[index]
    return names.escape_section(
        heading.id or words(heading, target.text, target.content.references, frozenset(wiki.volumes))
    )
