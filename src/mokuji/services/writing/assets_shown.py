"""Files, sources and people that pages name, as they are shown to one reader.

Those of a page and of all that is put in on it are looked up together, a question for each sort, before it is laid out.
Whoever may not read a volume learns nothing of its files; which handles are somebody's, only of whom they share a
volume with.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from urllib.parse import quote, urlencode

from mokuji.core.base.names import address
from mokuji.core.model.policy import Actor
from mokuji.core.model.sources import formatted
from mokuji.core.model.wiki import Volume
from mokuji.core.syntax import files as naming
from mokuji.core.syntax.pointers import source_key
from mokuji.services import site
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.known_people import known_names
from mokuji.services.reading.inserting import Inserted
from mokuji.services.reading.rendering import FileShown
from mokuji.services.writing import files
from mokuji.store import files as stored_files
from mokuji.store import sources as stored_sources
from mokuji.store.database import Connection, reading


def shown_file(volume: Volume, file: files.StoredFile) -> FileShown:
    """A file with its address, which is another one when its content is."""
    path = f"/-/file{address(volume.key)}/{quote(file.name, safe='')}"
    href = f"{site.link(path)}?v={file.hash[:6].hex()}"
    return FileShown(href, file.type, file.width, file.height, files.widths(file))


@dataclass
class AssetsShown:
    """What pages name, for one reader. ``prepare`` looks up what a page needs; what was overlooked is asked for when it
    is met."""

    app: AppContext
    actor: Actor
    _files: dict[tuple[int, str], FileShown | None] = field(default_factory=dict)
    _sources: dict[str, str | None] = field(default_factory=dict)
    _people: Mapping[str, str] | None = None

    def prepare(self, inserted: Inserted) -> None:
        """Looks up all that some pages name, in one moment."""
        pages = list(inserted.pages.values())
        keys = {
            page.head.id: naming.names_in(page.text)
            for page in pages
            if "](" in page.text or "]:" in page.text
        }
        cited = {cite.key for page in pages for cite in page.content.cites}
        by_volume: dict[int, set[str]] = {}
        for page in pages:
            by_volume.setdefault(page.head.volume, set()).update(keys.get(page.head.id, ()))
        if pages:
            # A value of an insert names files of the volume where it is typed: that of the page itself.
            by_volume[pages[0].head.volume].update(key for several in keys.values() for key in several)
        named = any(page.content.handles for page in pages)
        if not (any(by_volume.values()) or cited or (named and self.actor.signed_in)):
            return
        with reading(self.app.engine) as connection:
            for volume, wanted in by_volume.items():
                if wanted:
                    self._look_up_files(connection, volume, wanted)
            if cited:
                self._look_up_sources(connection, cited)
            if named and self.actor.signed_in:
                self._people = known_names(connection, self.actor)

    def _look_up_files(self, connection: Connection, volume: int, keys: Collection[str]) -> None:
        volumes = ReadContext(connection, self.actor).volumes.values()
        home = next((each for each in volumes if each.id == volume), None)
        known = stored_files.called(connection, volume, keys) if home is not None else {}
        for key in keys:
            found = known.get(key)
            self._files[volume, key] = None if found is None or home is None else shown_file(home, found)

    def _look_up_sources(self, connection: Connection, keys: Collection[str]) -> None:
        known = stored_sources.called(connection, keys)
        self._sources |= {key: formatted(known[key].fields) if key in known else None for key in keys}

    def file(self, volume: int, name: str) -> FileShown | None:
        """A file that a page of a volume names, if the reader may read that volume and it is there."""
        key = naming.key(name)
        if (volume, key) not in self._files:
            with reading(self.app.engine) as connection:
                self._look_up_files(connection, volume, [key])
        return self._files[volume, key]

    def source(self, name: str) -> str | None:
        """How a source reads in the list at the end of a page, as HTML."""
        key = source_key(name)
        if key not in self._sources:
            with reading(self.app.engine) as connection:
                self._look_up_sources(connection, [key])
        return self._sources[key]

    def person(self, handle: str) -> tuple[str, str] | None:
        """The name of who has a handle, and the address of their tasks."""
        if self._people is None:
            with reading(self.app.engine) as connection:
                self._people = known_names(connection, self.actor)
        name = self._people.get(handle.casefold())
        tasks = site.link(f"/-/tasks?{urlencode({'person': handle.casefold()})}")
        return None if name is None else (name, tasks)
