"""What the references of a page lead to, for one who reads it.

Everything is asked of the volumes that the actor may read, so a closed page
and one that is not written look the same.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from mokuji.core.base import names
from mokuji.core.base.names import Name
from mokuji.core.language.page import Page
from mokuji.core.model.references import Resolution, Resolver, Sections, lookups
from mokuji.core.model.wiki import Volume, Wiki
from mokuji.core.syntax.headings import shown
from mokuji.core.syntax.reference import Kind, Reference

if TYPE_CHECKING:
    from mokuji.services.app_context import AppContext
    from mokuji.store.database import Connection


@dataclass(frozen=True, slots=True)
class Link:
    """A reference as it is shown.

    ``state`` is page, unwritten or broken (the page is there, its section is
    not). ``label`` is Markdown and empty when there is none; ``words`` are
    what is shown then. ``volume`` and ``key`` make the address, ``title`` is
    the title that the page has, or would get.
    """

    state: str
    kind: Kind
    words: str
    label: str
    volume: str
    key: str
    title: str
    anchor: str = ""
    page: int = 0
    """The page that it leads to; 0 if there is none."""


def links(
    connection: Connection, app: AppContext, home: Volume, page: Page, volumes: dict[str, Volume]
) -> list[Link]:
    """All references of a page, in order, as they are to be shown."""
    from mokuji.store.snapshot import StoredWiki  # folders have no database

    wiki = StoredWiki(connection, volumes)
    return links_of(wiki, [page], {page.head.id: home})[page.head.id]


def links_of(wiki: Wiki, pages: Sequence[Page], homes: Mapping[int, Volume]) -> dict[int, list[Link]]:
    """All references of some pages, by page and in order; ``homes`` are the volumes of the pages by their ids."""
    volumes = dict(wiki.volumes)
    uses = [(homes[page.head.id], reference) for page in pages for reference in page.content.references]
    resolver = Resolver.of(wiki, uses)
    targets = _targets(wiki, pages, homes, resolver)
    by_id = {volume.id: volume for volume in volumes.values()}
    return {
        page.head.id: [
            _link(page, reference, homes[page.head.id], resolver, targets, volumes, by_id)
            for reference in page.content.references
        ]
        for page in pages
    }


def _targets(
    wiki: Wiki,
    pages: Sequence[Page],
    homes: Mapping[int, Volume],
    resolver: Resolver,
) -> dict[int, tuple[Sections, tuple[str, ...]]]:
    """The sections of every page that a section is asked of, the own ones included."""
    keys = frozenset(wiki.volumes)
    own = {page.head.id: page for page in pages}
    ids: set[int] = set()
    for page in pages:
        for reference in page.content.references:
            if reference.section and reference.name is not None:
                insert = reference.kind is Kind.INSERT
                head = resolver.resolve(reference.name, homes[page.head.id], insert=insert).page
                if head is not None and head.id not in own:
                    ids.add(head.id)
    known = {**(wiki.pages(ids) if ids else {}), **own}
    found_sections: dict[int, tuple[Sections, tuple[str, ...]]] = {}
    for id_, each in known.items():
        sections = Sections.of(each, keys)
        found_sections[id_] = (sections, sections.anchors())
    return found_sections


def _link(
    page: Page,
    reference: Reference,
    home: Volume,
    resolver: Resolver,
    targets: dict[int, tuple[Sections, tuple[str, ...]]],
    volumes: dict[str, Volume],
    by_id: Mapping[int, Volume],
) -> Link:
    resolution = None
    if reference.name is not None:
        resolution = resolver.resolve(reference.name, home, insert=reference.kind is Kind.INSERT)
    whole = (
        resolution is not None
        and resolution.page is not None
        and reference.name is not None
        and resolution.place[1] == reference.name.key
    )
    words = shown(reference, page.text, volumes, whole=whole)
    label = reference.label(page.text) if reference.kind is Kind.LINK else ""
    if reference.kind is Kind.LISTING:
        return Link("listing", reference.kind, words, label, home.key, "", "")
    if resolution is None:
        state, anchor = _section(reference.section, targets.get(page.head.id))
        return Link(state, reference.kind, words, label, home.key, page.head.key, page.head.title, anchor)
    if resolution.page is None:
        return _unwritten(reference, resolution, page, home, by_id, words, label)
    state, anchor = "page", ""
    if reference.section:
        part = reference.kind is Kind.INSERT and resolution.page.id in targets
        if not (part and targets[resolution.page.id][0].is_part(reference.section)):
            state, anchor = _section(reference.section, targets.get(resolution.page.id))
    volume, head = by_id[resolution.page.volume], resolution.page
    return Link(state, reference.kind, words, label, volume.key, head.key, head.title, anchor, head.id)


def _section(section: str | None, target: tuple[Sections, tuple[str, ...]] | None) -> tuple[str, str]:
    if target is None or not section:
        return "page", ""
    at = target[0].find(section)
    return ("broken", "") if at is None else ("page", target[1][at])


def _unwritten(
    reference: Reference,
    found: Resolution,
    page: Page,
    home: Volume,
    by_id: Mapping[int, Volume],
    words: str,
    label: str,
) -> Link:
    volume_id, key = found.place
    volume = by_id.get(volume_id, home)
    in_volume = volume_id != home.id or (reference.name is not None and reference.name.key != key)
    span = reference.title_span if in_volume else reference.name_span
    title = names.unescape(span.of(page.text)).lstrip("/")
    return Link("unwritten", reference.kind, words, label, volume.key, names.key(title), title)


def resolve_names(
    connection: Connection, home: Volume, volumes: dict[str, Volume], typed: Sequence[Name]
) -> list[Resolution]:
    """Where names typed in a volume lead, for one who may read these volumes."""
    from mokuji.store.snapshot import StoredWiki  # folders have no database

    wiki = StoredWiki(connection, volumes)
    places = {place for name in typed for place in lookups(name, home, volumes)}
    resolver = Resolver(volumes, wiki.titles(places), wiki.aliases(places))
    return [resolver.resolve(name, home) for name in typed]
