"""What a folder that was brought to a volume would change there: compared with the volume of this moment."""

from __future__ import annotations

import json
import unicodedata
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any, cast

from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError, Refused
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.assets import Asset, AssetChange
from mokuji.core.model.sources import as_json
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.bringing.assets import AssetItem, compare_files, compare_sources
from mokuji.core.refactor.bringing.comparing import SIDES, Comparison, Side, compare
from mokuji.core.refactor.bringing.matching import Brought, Left
from mokuji.core.refactor.bringing.order import Order, brought_order
from mokuji.core.syntax import files as file_names
from mokuji.core.syntax.pointers import source_key
from mokuji.formats import bibliography
from mokuji.formats.folder import FolderVolume, FolderWiki, read
from mokuji.formats.folder_base import Base, VolumeBase, hash_of_source, read_base
from mokuji.services.app_context import ReadContext
from mokuji.services.folders.folders import SOURCE_FILES
from mokuji.store import brought as stored
from mokuji.store import files, pages, sources
from mokuji.store.index import assets
from mokuji.store.log import history
from mokuji.store.places import placing

ORDER = "contents"
"""The id of the order of the contents, for a choice."""


@dataclass(frozen=True)
class Coming:
    """What would come: pages compared, places, files and sources with what changes of them. ``naming`` says by file
    which pages name those that get another name; ``said`` what does not come and why, each a sentence. ``based``: it is
    known how the folder left."""

    folder: stored.Folder
    volume: Volume
    comparison: Comparison
    order: Order
    assets: tuple[AssetItem, ...]
    changes: tuple[AssetChange, ...]
    naming: Mapping[int, Sequence[int]]
    said: tuple[str, ...]
    based: bool

    @property
    def open(self) -> int:
        """How much somebody has to choose before all of it can come."""
        return len(self.comparison.open) + sum(1 for item in self.assets if not item.chosen)


@dataclass(frozen=True)
class _Here:
    """The volume as it is stored (``bringing.comparing.Here``)."""

    context: ReadContext
    home: Volume

    @property
    def volume(self) -> int:
        return self.home.id

    @property
    def key(self) -> str:
        return self.home.key

    def heads(self, ids: Collection[int]) -> Mapping[int, PageHead]:
        return pages.heads_in(self.context.connection, self.home.id, ids)

    def called(self, keys: Collection[str]) -> Mapping[str, PageHead]:
        found = self.context.wiki.titles([(self.home.id, key) for key in keys])
        return {key: head for (_, key), head in found.items()}

    def pages(self, ids: Collection[int]) -> Mapping[int, Page]:
        return self.context.wiki.pages(ids)

    def texts_left(self, left: Collection[Left]) -> Mapping[int, str]:
        wanted = [(entry.page, entry.revision) for entry in left if 0 < entry.revision < 2**31]
        return history.texts_of_some(self.context.connection, self.context.reads, wanted)


@dataclass(frozen=True)
class _Folder:
    """The volume of a folder that is brought to one, and how it left; paths begin with ``top``."""

    volume: FolderVolume
    left: Sequence[Left]
    files_left: Mapping[str, str]
    was: VolumeBase | None


def compared(context: ReadContext, volume: Volume, folder: stored.Folder) -> Coming:
    """What a folder would change. Refused if none of its volumes is meant."""
    given = stored.read(context.connection, folder.id)
    wiki, base = read(given.items(), name=folder.name), read_base(given)
    if not isinstance(folder.said, dict) or not folder.said.get("known"):
        base = Base()  # how pages left another wiki says nothing of those here
    refused = set(folder.said.get("refused", ())) if isinstance(folder.said, dict) else set()
    found = _meant(wiki, base, volume, refused)
    choices = _choices(folder.choices)
    here = _Here(context, volume)
    based = found.was is not None
    brought = [_as_brought(page.path, page.title, page.text, given) for page in found.volume.pages]
    comparison = compare(here, brought, found.left, choices, based=based)
    kept = stored.kept(context.connection, folder.id)
    listed = _read_sources(given)
    items = [
        *_files(context, volume, found, kept, choices),
        *_sources(context, listed.told, base, choices),
    ]
    changes = list(_changed(context, volume, items, kept, listed.told, found.volume.at("files")))
    renamed = [change.before for change in changes if change.renamed and change.before is not None]
    return Coming(
        folder,
        volume,
        comparison,
        _order(here, context, found, comparison, choices.get(ORDER)),
        tuple(items),
        tuple(change for change in changes if change.before is None or change.before != change.after),
        {asset.id: assets.naming(context.connection, asset) for asset in renamed},
        (*_said(wiki, found, given, folder), *listed.problems),
        based,
    )


def _choices(told: Any) -> dict[str, Side]:
    return {
        str(id_): cast(Side, side) for id_, side in told.items() if side in SIDES
    } if isinstance(told, dict) else {}  # fmt: skip


def _as_brought(path: str, title: str, text: str, given: Mapping[str, bytes]) -> Brought:
    return Brought(_composed(path), title, text, sha256(given[path]).hexdigest())


def _composed(path: str) -> str:
    """A path in one way of writing letters: some file systems take them apart."""
    return unicodedata.normalize("NFC", path)


def _meant(wiki: FolderWiki, base: Base, volume: Volume, refused: Collection[str]) -> _Folder:
    """Which volume of a folder is brought to a volume. Files that are ``refused`` lie there, so they are not gone."""
    if not wiki.volumes:
        raise Refused("There are no page files (.md) in it. Bring a folder of pages.", code="no_pages")
    was = next((each for each in base.volumes if each.volume == volume.id), None)
    meant = next((each for each in wiki.volumes if was is not None and each.top == was.top), None)
    if meant is None and len(wiki.volumes) == 1:
        meant = wiki.volumes[0]
    if meant is None:
        meant = next((each for each in wiki.volumes if names.key(each.title) == volume.key), None)
    if meant is None:
        held = ", ".join(f"“{each.title}”" for each in wiki.volumes[:5])
        raise Refused(
            f"It holds {len(wiki.volumes)} volumes ({held}), and none of them is “{volume.title}”. Bring the folder "
            "of one volume.",
            code="no_pages",
        )
    if was is None:
        return _Folder(meant, (), {}, None)
    unread = {problem.path for problem in wiki.problems} - {page.path for page in meant.pages}
    # A claim may name a page twice.
    by_page = {
        entry.page: Left(_composed(path), entry.title, entry.hash, entry.placed, entry.page, entry.revision)
        for entry in base.pages.values()
        if (path := _moved(entry.path, was.top, meant.top)) is not None and path not in unread
    }
    files_left = {
        path.rpartition("/")[2]: hash_
        for each, hash_ in base.files.items()
        if (path := _moved(each, was.top, meant.top)) is not None and path not in refused
    }
    return _Folder(meant, tuple(by_page.values()), files_left, was)


def _moved(path: str, top: str, now: str) -> str | None:
    """The path of something that left in folder ``top``, which lies at ``now``; None for what lay elsewhere."""
    inside = path.removeprefix(f"{top}/") if top else path
    if inside == path and top:
        return None
    return f"{now}/{inside}" if now else inside


def _files(
    context: ReadContext,
    volume: Volume,
    found: _Folder,
    kept: Mapping[str, stored.Kept],
    choices: Mapping[str, Side],
) -> list[AssetItem]:
    lead = f"{found.volume.at('files')}/"
    brought = {
        path[len(lead) :]: each.hash.hex()
        for path, each in kept.items()
        if path.startswith(lead) and "/" not in path[len(lead) :]
    }
    here = {each.name: each.hash.hex() for each in files.every(context.connection, volume.id)}
    return compare_files(here, found.files_left, brought, choices)


@dataclass(frozen=True, slots=True)
class _Sources:
    """The sources of a folder by key: name and fields; and what could not be read of them."""

    told: Mapping[str, tuple[str, dict[str, Any]]]
    problems: Sequence[str]


def _read_sources(given: Mapping[str, bytes]) -> _Sources:
    told: dict[str, tuple[str, dict[str, Any]]] = {}
    problems: list[str] = []
    for path in SOURCE_FILES:
        try:
            found = bibliography.read(given[path]) if path in given else bibliography.Read((), ())
        except MokujiError as fault:
            problems.append(f"{path}: {fault.message}")
            continue
        problems += (f"{path}: {said}" for said in found.problems)
        for typed, fields in found.items:
            name = "-".join(typed.split())
            if name:
                told.setdefault(source_key(name), (name, fields))
    return _Sources(told, problems)


def _sources(
    context: ReadContext,
    brought: Mapping[str, tuple[str, dict[str, Any]]],
    base: Base,
    choices: Mapping[str, Side],
) -> list[AssetItem]:
    here = sources.called(context.connection, brought.keys())
    return compare_sources(
        {key: hash_of_source(each.fields) for key, each in here.items()},
        {source_key(name): hash_ for name, hash_ in base.sources.items()},
        {key: hash_of_source(fields) for key, (_, fields) in brought.items()},
        choices,
    )


def _changed(
    context: ReadContext,
    volume: Volume,
    items: Sequence[AssetItem],
    kept: Mapping[str, stored.Kept],
    told: Mapping[str, tuple[str, dict[str, Any]]],
    place: str,
) -> Iterator[AssetChange]:
    """What becomes of files and sources, for those that come."""
    done = [item for item in items if item.done]
    keys = {file_names.key(item.here) for item in done if item.sort == "file" and item.here}
    here = {each.key: each for each in assets.files_called(context.connection, volume.id, keys)}
    for item in done:
        if item.sort == "source":
            name, fields = told[item.name]
            before = assets.called(context.connection, "source", item.name) if item.here else None
            after = Asset(
                "source", before.id if before else 0, 0, before.name if before else name, as_json(fields)
            )
            yield AssetChange(before, after)
            continue
        before = here.get(file_names.key(item.here)) if item.here else None
        if item.what == "gone":
            yield AssetChange(before, None)
        elif item.what == "renamed" and before is not None:
            yield AssetChange(before, Asset("file", before.id, before.volume, item.name, before.content))
        else:
            about = kept[f"{place}/{_named(kept, place, item)}"].about
            if about is not None:
                told_of = {name: about[name] for name in ("type", "size", "width", "height")}
                content = json.dumps({"hash": item.hash, **told_of})
                yield AssetChange(
                    before, Asset("file", before.id if before else 0, volume.id, item.name, content)
                )


def _named(kept: Mapping[str, stored.Kept], place: str, item: AssetItem) -> str:
    """What a file is called in the folder, whatever it is called here."""
    key = file_names.key(item.name)
    inside = (path[len(place) + 1 :] for path in kept if path.startswith(f"{place}/"))
    return next(name for name in inside if file_names.key(name) == key)


def _order(
    here: _Here, context: ReadContext, found: _Folder, comparison: Comparison, chosen: Side | None
) -> Order:
    rows = placing.rows(context.connection, here.volume)
    by_key = {key: head.id for key, head in here.called([row.key for row in rows]).items()}
    listed = found.volume.contents[: found.volume.listed] if found.volume.contents_text is not None else None
    left = found.was.contents if found.was is not None else None
    return brought_order(here.volume, comparison, rows, by_key, listed, left, chosen)


def _said(
    wiki: FolderWiki, found: _Folder, given: Mapping[str, bytes], folder: stored.Folder
) -> Iterator[str]:
    """What of a folder does not come, and why."""
    top = found.volume.top
    for problem in wiki.problems:
        if not top or problem.path.startswith(f"{top}/"):
            yield str(problem)
    settings = given.get(found.volume.at("volume.yaml"))
    if found.was is not None and settings is not None and sha256(settings).hexdigest() != found.was.settings:
        yield (
            f"{found.volume.at('volume.yaml')} was changed. The settings of a volume that is there are changed in "
            "Mokuji, so nothing of it comes."
        )
    others = [each.title for each in wiki.volumes if each is not found.volume]
    if others:
        named = ", ".join(f"“{title}”" for title in others[:5])
        yield f"It holds other volumes, too ({named}). Bring it to each of these."
    told = folder.said if isinstance(folder.said, dict) else {}
    yield from told.get("problems", ())
    surplus = told.get("surplus", ())
    if surplus:
        more = f" and {told.get('more', 0):,} more" if told.get("more") else ""
        yield f"Nothing that a wiki takes, and left out: {', '.join(surplus)}{more}."
