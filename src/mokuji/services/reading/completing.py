"""What is offered while somebody types between brackets: sections of a page, and pages by an address of this wiki."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.references import Resolver, Sections, name_for, volumes_by_id
from mokuji.core.model.wiki import Place, Volume
from mokuji.core.reports.own_addresses import meant, meant_file
from mokuji.core.syntax import files
from mokuji.core.syntax.headings import words as words_of
from mokuji.core.syntax.reference import Kind, Reference, read
from mokuji.services import known_people
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.store.database import reading
from mokuji.store.index.unwritten import led_from, typed_title
from mokuji.store.snapshot import StoredWiki

MOST = 200
"""Maximum number of sections that are offered."""


@dataclass(frozen=True, slots=True)
class SectionFor:
    """A section to refer to: its words, how deep it stands (2 to 6; 0 for a part), and how it is typed behind “#”."""

    words: str
    level: int
    insert: str


def sections_for(
    app: AppContext, actor: Actor, volume_key: str, typed: str, *, insert: bool = False
) -> list[SectionFor]:
    """The sections of the page that a typed target leads to, in its order; named parts first where one is put in.
    Empty if it leads to no page that the actor may read."""
    reference = read(f"[[{'=' if insert else ''}{typed}]]", 0)
    if not isinstance(reference, Reference) or reference.name is None:
        return []
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        home = context.volume(volume_key)
        seen = StoredWiki(connection, context.volumes)
        resolver = Resolver.of(seen, [(home, reference)])
        head = resolver.resolve(reference.name, home, insert=reference.kind is Kind.INSERT).page
        page = seen.pages([head.id]).get(head.id) if head is not None else None
        return _sections(page, frozenset(context.volumes), insert=insert) if page is not None else []


def _sections(page: Page, volumes: frozenset[str], *, insert: bool) -> list[SectionFor]:
    sections = Sections.of(page, volumes)
    fors = [
        SectionFor(part.name, 0, names.escape_section(part.name))
        for part in page.content.parts
        if insert and part.name is not None and sections.is_part(part.name)
    ]
    for index, heading in enumerate(page.content.headings):
        words = words_of(heading, page.text, page.content.references, volumes)
        # Only what leads there: of equal headings the first one, by its identifier if it has one.
        typed = next((each for each in (heading.id, words) if each and sections.find(each) == index), None)
        if typed is not None and not (insert and sections.is_part(typed)):
            fors.append(SectionFor(words, heading.level, names.escape_section(typed)))
    return fors[:MOST]


def people_for(app: AppContext, actor: Actor) -> list[tuple[str, str]]:
    """Handles and names of the people with whom the actor shares a volume; nothing for somebody who has not signed
    in."""
    return known_people.shared(app, actor)


@dataclass(frozen=True, slots=True)
class Referred:
    """What an address of this wiki is in a text: the target of a reference as typed and the words that it shows, or
    the destination of a file of the volume in hand."""

    insert: str
    words: str
    file: bool = False


MOST_ADDRESSES = 200
"""Maximum number of addresses of one text that are looked up."""


def references_to(
    app: AppContext, actor: Actor, volume_key: str, addresses: Collection[str], origins: Collection[str]
) -> dict[str, Referred]:
    """What addresses are in a volume, by address: those of pages of this wiki that the actor may read, of names that
    are not written, of files of the volume. Others are left out."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        home = context.volume(volume_key)
        seen = StoredWiki(connection, context.volumes)
        asked = list(dict.fromkeys(addresses))[:MOST_ADDRESSES]
        found = {each: led for each in asked if (led := meant(each, origins, context.volumes)) is not None}
        places = {place for place, _ in found.values()}
        titles, aliases = seen.titles(places), seen.aliases(places)
        heads = {place: titles.get(place) or next(iter(aliases.get(place) or ()), None) for place in places}
        texts = seen.pages({head.id for (p, at) in found.values() if at and (head := heads[p]) is not None})
        made: dict[str, Referred] = {}
        for address, (place, anchor) in found.items():
            head = heads[place]
            referred = (
                _to_page(seen, home, head, texts.get(head.id), anchor)
                if head is not None
                else _to_unwritten(seen, home, place)
            )
            if referred is not None:
                made[address] = referred
        for address in asked:
            file = meant_file(address, origins, context.volumes)
            if file is not None and file[0] == home.id:
                made[address] = Referred(files.destination(file[1]), file[1], file=True)
        return made


def _to_page(
    seen: StoredWiki, home: Volume, head: PageHead, page: Page | None, anchor: str
) -> Referred | None:
    target = name_for(seen, home, head)
    if target is None:
        return None
    if page is not None and anchor:
        volumes = frozenset(seen.volumes)
        anchors = Sections.of(page, volumes).anchors()
        if anchor in anchors:
            heading = page.content.headings[anchors.index(anchor)]
            words = words_of(heading, page.text, page.content.references, volumes)
            every = _sections(page, volumes, insert=False)
            typed = next((each.insert for each in every if each.words == words), None)
            if typed is not None:
                return Referred(f"{target}#{typed}", f"{head.title} § {words}")
    return Referred(target, head.title)


def _to_unwritten(seen: StoredWiki, home: Volume, place: Place) -> Referred | None:
    volume = volumes_by_id(seen)[place[0]]
    if not names.is_key(place[1]):
        return None
    title = typed_title(seen, place, led_from(seen, place, 1)) or place[1]
    lead = "" if volume.id == home.id else f"{names.escape(volume.title)}/"
    return Referred(f"{lead}{names.escape(title)}", title)
