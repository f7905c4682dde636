"""What is offered while somebody types between brackets: sections of a page, and pages by an address of this wiki."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.policy import Actor
from mokuji.core.references import Resolver, Sections, name_for
from mokuji.core.reports.own_addresses import meant
from mokuji.core.text.headings import words as words_of
from mokuji.core.text.reference import Kind, Reference, read
from mokuji.core.wiki import Page
from mokuji.services.desk import Desk, Sight
from mokuji.store import people
from mokuji.store.database import reading
from mokuji.store.snapshot import StoredWiki

MOST = 200
"""Most sections that are offered."""


@dataclass(frozen=True, slots=True)
class SectionFor:
    """A section to refer to: its words, how deep it stands (2 to 6; 0 for a part), and how it is typed behind “#”."""

    words: str
    level: int
    insert: str


def sections_for(
    desk: Desk, actor: Actor, volume_key: str, typed: str, *, insert: bool = False
) -> list[SectionFor]:
    """The sections of the page that a typed target leads to, in its order; named parts first where one is put in.
    Empty if it leads to no page that the actor may read."""
    reference = read(f"[[{'=' if insert else ''}{typed}]]", 0)
    if not isinstance(reference, Reference) or reference.name is None:
        return []
    with reading(desk.engine) as connection:
        sight = Sight(connection, actor)
        home = sight.volume(volume_key)
        seen = StoredWiki(connection, sight.volumes)
        found = Resolver.of(seen, [(home, reference)])
        head = found.resolve(reference.name, home, insert=reference.kind is Kind.INSERT).page
        page = seen.pages([head.id]).get(head.id) if head is not None else None
        return _sections(page, frozenset(sight.volumes), insert=insert) if page is not None else []


def _sections(page: Page, volumes: frozenset[str], *, insert: bool) -> list[SectionFor]:
    sections = Sections.of(page, volumes)
    found = [
        SectionFor(part.name, 0, names.escape_section(part.name))
        for part in page.content.parts
        if insert and part.name is not None and sections.is_part(part.name)
    ]
    for index, heading in enumerate(page.content.headings):
        words = words_of(heading, page.text, page.content.references, volumes)
        # Only what leads there: of equal headings the first one, by its identifier if it has one.
        typed = next((each for each in (heading.id, words) if each and sections.find(each) == index), None)
        if typed is not None and not (insert and sections.is_part(typed)):
            found.append(SectionFor(words, heading.level, names.escape_section(typed)))
    return found[:MOST]


def people_for(desk: Desk, actor: Actor) -> list[tuple[str, str]]:
    """Handles and names of the people who write here; nothing for somebody who has not signed in."""
    if not actor.signed_in:
        return []
    with reading(desk.engine) as connection:
        return people.handles(connection)


def reference_to(
    desk: Desk, actor: Actor, volume_key: str, address: str, origins: Collection[str]
) -> tuple[str, str] | None:
    """What an address of this wiki is as a reference in a volume: its target as typed, and the words that it shows.
    None for an address of another site, or of no page that the actor may read."""
    with reading(desk.engine) as connection:
        sight = Sight(connection, actor)
        home = sight.volume(volume_key)
        found = meant(address, origins, sight.volumes)
        if found is None:
            return None
        (place, anchor), seen = found, StoredWiki(connection, sight.volumes)
        holders = seen.aliases([place]).get(place) or ()
        head = seen.titles([place]).get(place) or next(iter(holders), None)
        target = name_for(seen, home, head) if head is not None else None
        if head is None or target is None:
            return None
        page = seen.pages([head.id])[head.id] if anchor else None
        if page is not None:
            volumes = frozenset(sight.volumes)
            anchors = Sections.of(page, volumes).anchors()
            every = _sections(page, volumes, insert=False)
            if anchor in anchors:
                heading = page.content.headings[anchors.index(anchor)]
                words = words_of(heading, page.text, page.content.references, volumes)
                typed = next((each.insert for each in every if each.words == words), None)
                if typed is not None:
                    return f"{target}#{typed}", f"{head.title} § {words}"
        return target, head.title
