"""Create, rename or delete a volume, change where its inserts look, say its language or who reads it: but for the last
two each can take a reference away.

``[[A/B]]`` may be a page “A/B” here or page B of volume A; inserts look in
libraries after their own volume. Whatever led somewhere still leads there.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.errors import Collision, Missing
from mokuji.core.base.phrases import Named
from mokuji.core.model.changes import VolumeChange
from mokuji.core.model.references import volumes_by_id
from mokuji.core.model.wiki import Volume, Wiki
from mokuji.core.refactor.engine.outcome import Outcome, Successor
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make

NEW = 0
"""The id of the volume that is still to be made."""


@dataclass(frozen=True, slots=True)
class VolumeMade(Facts):
    """A volume that was not there."""

    title: str


@dataclass(frozen=True, slots=True)
class VolumeRenamed(Facts):
    """A volume that has another name."""

    before: str
    after: str


@dataclass(frozen=True, slots=True)
class LibrariesChanged(Facts):
    """The volumes in which inserts of a volume look after its own, in order."""

    title: str
    libraries: tuple[Named, ...]

    def seen(self, readable: Collection[int]) -> LibrariesChanged:
        return LibrariesChanged(
            self.title, tuple(library for library in self.libraries if library.volume in readable)
        )


@dataclass(frozen=True, slots=True)
class LanguageChanged(Facts):
    """The language that a volume is written in; empty for none."""

    title: str
    language: str


@dataclass(frozen=True, slots=True)
class AccessChanged(Facts):
    """Who reads a volume: its people only (``closed``), or everybody."""

    title: str
    closed: bool


@dataclass(frozen=True, slots=True)
class VolumeDeleted(Facts):
    """A volume that goes to the trash with its pages."""

    title: str
    pages: int


def create_volume(wiki: Wiki, title: str, *, closed: bool = False) -> Plan:
    """The plan to make an empty volume. BadName or Collision if it cannot be called so."""
    title = names.check_volume_title(title)
    volume = Volume(NEW, names.key(title), title, closed)
    _check_free(wiki, volume)
    volumes = {**wiki.volumes, volume.key: volume}
    return _plan(wiki, "create volume", None, volume, volumes, (title, closed), VolumeMade(title))


def rename_volume(wiki: Wiki, volume: int, title: str) -> Plan:
    """The plan to call a volume otherwise; references that name it follow."""
    title = names.check_volume_title(title)
    before = _need(wiki, volume)
    after = replace(before, key=names.key(title), title=title)
    _check_free(wiki, after)
    others = {key: each for key, each in wiki.volumes.items() if each.id != volume}
    facts = VolumeRenamed(before.title, after.title)
    return _plan(wiki, "rename volume", before, after, {**others, after.key: after}, (volume, title), facts)


def set_libraries(wiki: Wiki, volume: int, libraries: Sequence[int]) -> Plan:
    """The plan to have inserts of a volume look in these volumes after its own, in order."""
    before = _need(wiki, volume)
    for library in libraries:
        _need(wiki, library)
    after = replace(before, libraries=tuple(each for each in dict.fromkeys(libraries) if each != volume))
    by_id = volumes_by_id(wiki)
    named = tuple(Named("volume", each, each, by_id[each].title) for each in after.libraries)
    volumes = {**wiki.volumes, after.key: after}
    asked = (volume, *libraries)
    return _plan(wiki, "libraries", before, after, volumes, asked, LibrariesChanged(after.title, named))


def set_language(wiki: Wiki, volume: int, language: str) -> Plan:
    """The plan to say which language a volume is written in: a tag of BCP 47, empty for none. BadName if it is none."""
    before = _need(wiki, volume)
    after = replace(before, language=names.check_language(language))
    volumes = {**wiki.volumes, after.key: after}
    facts = LanguageChanged(after.title, after.language)
    return _plan(wiki, "language", before, after, volumes, (volume, after.language), facts)


def set_closed(wiki: Wiki, volume: int, *, closed: bool) -> Plan:
    """The plan to let only its people read a volume, or everybody."""
    before = _need(wiki, volume)
    after = replace(before, closed=closed)
    volumes = {**wiki.volumes, after.key: after}
    return _plan(wiki, "access", before, after, volumes, (volume, closed), AccessChanged(after.title, closed))


def delete_volume(
    wiki: Wiki, volume: int, pages: Sequence[int], successors: dict[int, Successor] | None = None
) -> Plan:
    """The plan to delete a volume with all of its ``pages``; references to them are left unwritten."""
    before = _need(wiki, volume)
    left = {
        key: replace(each, libraries=tuple(n for n in each.libraries if n != volume))
        for key, each in wiki.volumes.items()
        if each.id != volume
    }
    outcome = Outcome(gone=frozenset(pages), successors=successors or {}, volumes=left)
    changes = [VolumeChange(before, None)]
    changes += [
        VolumeChange(wiki.volumes[key], after) for key, after in left.items() if after != wiki.volumes[key]
    ]
    facts = VolumeDeleted(before.title, len(pages))
    return make(wiki, "delete volume", None, outcome, asked=(volume, *pages), volumes=changes, facts=facts)


def _plan(
    wiki: Wiki,
    act: str,
    before: Volume | None,
    after: Volume,
    volumes: dict[str, Volume],
    asked: tuple[object, ...],
    facts: Facts,
) -> Plan:
    changes = [VolumeChange(before, after)] if before != after else []
    return make(wiki, act, None, Outcome(volumes=volumes), asked=asked, volumes=changes, facts=facts)


def _need(wiki: Wiki, volume: int) -> Volume:
    found = volumes_by_id(wiki).get(volume)
    if found is None:
        raise Missing("The volume is not there any more.", code="volume_missing")
    return found


def _check_free(wiki: Wiki, volume: Volume) -> None:
    holder = wiki.volumes.get(volume.key)
    if holder is not None and holder.id != volume.id:
        raise Collision(
            f"There is a volume “{holder.title}” already. Choose another name.", named=[holder.id]
        )
