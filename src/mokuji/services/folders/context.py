"""What a plan may know of a folder: a ``PlanningContext`` of the acts, without a database and without rights.

What is typed on a command line becomes the volume and page that a request names; files and the list of sources are
looked at when they are asked for.
"""

from __future__ import annotations

import hashlib
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.assets import Asset, Sort
from mokuji.core.model.categories import filed
from mokuji.core.model.contents import Row, branch_end
from mokuji.core.model.policy import Permission
from mokuji.core.model.references import volumes_by_id
from mokuji.core.model.wiki import MemoryWiki, Place, Volume
from mokuji.core.syntax import files as file_names
from mokuji.services.folders.folders import Loaded, load, page_called, pages_of, sources_of, volume_called

_WORD = re.compile(r"\w+")


@dataclass(frozen=True)
class FolderContext:
    """A folder as it was read, for plans."""

    folder: Path
    loaded: Loaded
    shown: bool = True

    @classmethod
    def of(cls, folder: Path) -> FolderContext:
        """Reads a folder; Missing if it holds no pages."""
        return cls(folder, load(folder))

    # ---- what is typed --------------------------------------------------------------

    def page_address(self, typed: str) -> tuple[str, str]:
        """Keys of the volume and page of a title (if it is one in the whole folder), “Volume/Title”, or a file."""
        head = page_called(self.loaded, typed)
        return self._by_id[head.volume].key, head.key

    def name_address(self, typed: str, volume: str = "") -> tuple[str, str]:
        """Key of a volume and a name in it, be there a page or not; ``volume`` says which one."""
        try:
            return self.page_address(f"{volume}/{typed}" if volume else typed)
        except Missing:
            first, slash, rest = typed.partition("/")
            inside = self.wiki.volumes.get(names.key(first)) if slash and not volume else None
            home = inside or volume_called(self.loaded, volume)
            return home.key, names.check_title(rest if inside is not None else typed)

    def volume_address(self, typed: str) -> str:
        """Key of the volume that is called so, or of the only one."""
        return volume_called(self.loaded, typed).key

    # ---- as plans ask ---------------------------------------------------------------

    @property
    def wiki(self) -> MemoryWiki:
        return self.loaded.wiki

    @property
    def readable_wiki(self) -> MemoryWiki:
        return self.loaded.wiki

    @cached_property
    def _by_id(self) -> Mapping[int, Volume]:
        return volumes_by_id(self.wiki)

    @property
    def reads(self) -> Collection[int]:
        return self._by_id.keys()

    def volume(self, key: str, _: Permission = Permission.RENAME) -> Volume:
        return self.wiki.volumes.get(key) or volume_called(self.loaded, key)

    def page(self, volume_key: str, page_key: str, _: Permission = Permission.RENAME) -> PageHead:
        volume = self.wiki.volumes.get(volume_key)
        head = self.wiki.all_titles.get((volume.id, page_key)) if volume is not None else None
        return head or page_called(self.loaded, f"{volume_key}/{page_key}" if volume_key else page_key)

    def page_named(self, typed: str, _: str, __: Permission = Permission.RENAME) -> PageHead:
        if not typed.strip():
            raise Missing("Type the name of a page.", code="page_missing")
        return page_called(self.loaded, typed)

    def find(self, volume: Volume, page_key: str) -> PageHead | None:
        return self.wiki.all_titles.get((volume.id, names.key(page_key)))

    def name_typed(self, place: Place, otherwise: str = "") -> str:
        head = self.wiki.all_titles.get(place)
        return head.title if head is not None else otherwise or place[1]

    def contents(self, volume: Volume) -> Sequence[Row]:
        return self.loaded.index.rows(volume.id, listed=False)

    def branch(self, volume: int, key: str, most: int = 20_000) -> Sequence[Row]:
        rows = self.loaded.index.rows(volume, listed=False)
        at = next((n for n, row in enumerate(rows) if row.key == key), None)
        if at is None:
            return []
        below = rows[at : min(branch_end(rows, at), at + most)]
        return [Row(row.depth - rows[at].depth, row.title, row.key) for row in below]

    def saying(self, words: str) -> Sequence[int]:
        wanted = set(_WORD.findall(words.casefold()))
        return [
            id_
            for id_, page in self.wiki.pages_by_id.items()
            if (text := page.text.casefold()) and all(word in text for word in wanted)
        ]

    def pages_with(self, volume: int | None, words: str | None, most: int) -> Sequence[int]:
        pages = self.wiki.pages_by_id.values()
        return [page.head.id for page in pages if volume is None or page.head.volume == volume][:most]

    def answering(self, volume: Volume, line: str, *, everywhere: bool = False) -> Sequence[int]:
        raise Refused("A folder has no index of words: leave the question out.", code="no_index")

    def _filed(self, volume: Volume) -> list[tuple[int, dict[str, str]]]:
        pages = pages_of(self.loaded, volume)
        return [
            (page.head.id, {each.key: each.name for each in filed(page.content) if each.key})
            for page in pages
        ]

    def categories(self, volume: Volume) -> Mapping[str, str]:
        known: dict[str, str] = {}
        for _, named in self._filed(volume):
            known = named | known
        return known

    def naming_category(self, volume: Volume, key: str) -> Sequence[int]:
        return [page for page, named in self._filed(volume) if key in named]

    def asset(self, sort: Sort, key: str, volume: int = 0) -> Asset | None:
        if sort == "file":
            return self._assets(volume).get(key)
        return self._sources.get(key)

    def naming(self, asset: Asset) -> Sequence[int]:
        if asset.sort == "file":
            pages = pages_of(self.loaded, self._by_id[asset.volume])
            return [
                page.head.id
                for page in pages
                if any(destination.key == asset.key for destination in page.content.destinations)
            ]
        return [
            page.head.id
            for page in self.wiki.pages_by_id.values()
            if "[^" in page.text and any(cite.key == asset.key for cite in page.content.cites)
        ]

    def files(self, volume: int, keys: Collection[str]) -> Mapping[str, Asset]:
        assets = self._assets(volume)
        return {key: self._with_content(assets[key]) for key in keys if key in assets}

    def gains_readers(self, target: Volume, source: Volume) -> bool:
        return False  # whoever reads a folder reads all of it

    # ---- files and sources ----------------------------------------------------------

    def path_of(self, file: Asset) -> str:
        """The path of a file of a volume, there or not."""
        return self.loaded.index.volumes[file.volume].at(f"files/{file.name}")

    def holding(self, content: str) -> str | None:
        """The path of a file with this content that was looked at; they are all alike."""
        return self._looked_at.get(content)

    @cached_property
    def _looked_at(self) -> dict[str, str]:
        return {}

    @cached_property
    def _by_volume(self) -> dict[int, dict[str, Asset]]:
        return {}

    def _assets(self, volume: int) -> dict[str, Asset]:
        """The files of a volume by key. What they hold is read when it matters."""
        if volume not in self._by_volume:
            top = self.folder / self.loaded.index.volumes[volume].at("files")
            paths = sorted(path for path in top.glob("*") if path.is_file())
            self._by_volume[volume] = {
                file_names.key(path.name): Asset("file", nth, volume, path.name)
                for nth, path in enumerate(paths, 1)
            }
        return self._by_volume[volume]

    def _with_content(self, file: Asset) -> Asset:
        path = self.path_of(file)
        content = hashlib.sha256((self.folder / path).read_bytes()).hexdigest()
        self._looked_at.setdefault(content, path)
        return Asset("file", file.id, file.volume, file.name, content)

    @cached_property
    def _sources(self) -> Mapping[str, Asset]:
        named = sources_of(self.folder).items()
        return {key: Asset("source", nth, 0, name) for nth, (key, (name, _)) in enumerate(named, 1)}
