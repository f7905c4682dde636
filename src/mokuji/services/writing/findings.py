"""Findings while somebody writes: everything that is wrong or could be better in a text, each with what mends it.

What is found says the core (``core.reports.page_findings``); here is what it asks of the database.
"""

from __future__ import annotations

import difflib
from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass

from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor
from mokuji.core.model.wiki import Volume
from mokuji.core.reports import page_findings
from mokuji.core.reports.page_findings import Led, PageFinding
from mokuji.core.syntax.reference import Kind
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.known_people import known_names
from mokuji.services.reading.house_styles import style_of
from mokuji.services.reading.page_style import found_in
from mokuji.services.reading.rendering import PlacedProblem
from mokuji.services.writing.writing import Preview, preview_saved
from mokuji.store import files
from mokuji.store import sources as stored_sources
from mokuji.store.database import Connection, reading
from mokuji.store.index import search
from mokuji.store.snapshot import StoredWiki

LIKE = 0.6
"""How alike two names must be (as ``difflib`` counts) to be offered."""
MOST_SOURCES = 5_000
"""Among so many sources one that is called nearly so is looked for."""


@dataclass(frozen=True, slots=True)
class StoredSurroundings:
    """What a text names beside pages, in the database (``core.reports.page_findings.Surroundings``)."""

    connection: Connection
    actor: Actor

    def near_page(self, volume: int, key: str) -> PageHead | None:
        for page in search.by_name(self.connection, key, [volume], most=3):
            if page.near or difflib.SequenceMatcher(None, page.key, key).ratio() >= LIKE:
                return PageHead(page.page, page.volume, page.key, page.title)
        return None

    def files(self, volume: int, keys: Collection[str]) -> Collection[str]:
        return files.called(self.connection, volume, keys).keys()

    def near_file(self, volume: int, key: str) -> str | None:
        near = files.near(self.connection, volume, key)
        return near.name if near is not None else None

    def sources(self, keys: Collection[str]) -> Collection[str]:
        return stored_sources.called(self.connection, keys).keys()

    def near_source(self, key: str) -> str | None:
        return near_name(key, stored_sources.keys(self.connection)[:MOST_SOURCES])

    def nobody(self, keys: Collection[str]) -> Mapping[str, str | None]:
        known = known_names(self.connection, self.actor)
        return {key: near_name(key, known) for key in keys if key not in known}


def near_name(key: str, known: Collection[str]) -> str | None:
    """The name that is most like one, if it is like it at all."""
    return next(iter(difflib.get_close_matches(key, known, 1, LIKE)), None)


def findings(
    app: AppContext,
    actor: Actor,
    seen: Preview,
    problems: Collection[PlacedProblem],
    origins: Collection[str],
) -> list[PageFinding]:
    """All findings of a previewed text, in its order. ``problems`` are those that its rendering found, ``origins``
    how addresses of this wiki begin."""
    page = seen.ready.page
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        home = next(volume for volume in context.volumes.values() if volume.id == page.head.volume)
        return page_findings.findings(
            StoredWiki(connection, context.volumes),
            page,
            list(_leads(context.volumes, seen)),
            StoredSurroundings(connection, actor),
            problems=[each.problem for each in problems],
            origins=origins,
            style=found_in(page, style_of(connection, home)),
        )


def of_page(
    app: AppContext, actor: Actor, volume_key: str, page_key: str, origins: Collection[str]
) -> tuple[Preview, list[PageFinding]]:
    """A page as it is saved, and all findings of it; only who may write may ask for them."""
    seen = preview_saved(app, actor, volume_key, page_key)
    problems = seen.rendered(app).problems
    return seen, findings(app, actor, seen, problems, origins)


def _leads(volumes: Mapping[str, Volume], seen: Preview) -> Iterator[Led]:
    """What the references of a text lead to, as it was laid out."""
    for reference, link in zip(seen.ready.page.content.references, seen.links, strict=True):
        volume = volumes[link.volume].id if link.volume in volumes else 0
        if reference.kind is Kind.LISTING:
            yield Led("nowhere", 0, "", "")
        elif link.state == "unwritten":
            yield Led("unwritten", volume, link.key, link.title)
        else:
            broken = link.state == "broken"
            yield Led("section missing" if broken else "page", volume, link.key, link.title, link.page)
