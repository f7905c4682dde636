"""Files and sources that come back with the pages that name them: which are new, others, called otherwise, or gone."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Literal

from mokuji.core.model.assets import Sort
from mokuji.core.refactor.bringing.comparing import Side
from mokuji.core.syntax import files as naming

What = Literal["new", "changed", "renamed", "gone"]


@dataclass(frozen=True, slots=True)
class AssetItem:
    """What is to become of a file or source. ``id`` names it for a choice; ``name`` is what it will be called, ``here``
    what it is called (empty for a new one), ``hash`` that of what it will be. ``clash``: it was changed here, too, so
    that somebody chooses, and until then it stays."""

    sort: Sort
    id: str
    what: What
    name: str
    here: str = ""
    hash: str = ""
    clash: bool = False
    chosen: Side | Literal[""] = "folder"

    @property
    def done(self) -> bool:
        """Whether it comes into the wiki."""
        return self.chosen == "folder"


Hashes = Mapping[str, str]
"""The SHA-256 of files by their names."""


def compare_files(
    here: Hashes, left: Hashes, brought: Hashes, choices: Mapping[str, Side]
) -> list[AssetItem]:
    """Compares the files of a folder with those of a volume; ``left`` are those that the folder left with."""
    now = {naming.key(name): (name, hash_) for name, hash_ in here.items()}
    then = {naming.key(name): hash_ for name, hash_ in left.items()}
    there = {naming.key(name): (name, hash_) for name, hash_ in brought.items()}
    renamed = dict(_renamed(now, then, there))
    item = partial(_item, "file", choices)
    found = [item("renamed", there[new][0], now[old], now[old][1]) for new, old in renamed.items()]
    for key, (name, hash_) in there.items():
        if key in renamed or then.get(key) == hash_:
            continue
        held = now.get(key)
        if held is None:
            found.append(item("new", name, None, hash_))
        elif held[1] != hash_:
            clash = bool(left) and then.get(key) != held[1]
            found.append(item("changed", held[0], held, hash_, clash=clash))
    for key, hash_ in then.items():
        if key not in there and key in now and key not in renamed.values():
            found.append(item("gone", now[key][0], now[key], "", clash=now[key][1] != hash_))
    return sorted(found, key=lambda item: (not item.clash, item.name))


def _renamed(
    now: Mapping[str, tuple[str, str]], then: Mapping[str, str], there: Mapping[str, tuple[str, str]]
) -> Iterator[tuple[str, str]]:
    """Files that lie under another name, and nothing else lies under the one they had: keys, new and old."""
    missing = {
        hash_: key for key, hash_ in then.items() if key not in there and now.get(key, ("", ""))[1] == hash_
    }
    for key, (_, hash_) in sorted(there.items()):
        if key not in then and key not in now and hash_ in missing:
            yield key, missing.pop(hash_)


def compare_sources(
    here: Hashes, left: Hashes, brought: Hashes, choices: Mapping[str, Side]
) -> list[AssetItem]:
    """Compares sources by their keys. None goes: a folder has only those that its pages cite."""
    found = []
    for key, hash_ in sorted(brought.items()):
        held, then = here.get(key), left.get(key)
        if hash_ in {held, then}:
            continue
        if held is None:
            found.append(_item("source", choices, "new", key, None, hash_))
        else:
            clash = bool(left) and then != held
            found.append(_item("source", choices, "changed", key, (key, held), hash_, clash=clash))
    return found


def _item(
    sort: Sort,
    choices: Mapping[str, Side],
    what: What,
    name: str,
    held: tuple[str, str] | None,
    hash_: str,
    *,
    clash: bool = False,
) -> AssetItem:
    id_ = f"{sort} {held[0] if held is not None else name}"
    chosen: Side | Literal[""] = choices.get(id_) or ("" if clash else "folder")
    return AssetItem(sort, id_, what, name, held[0] if held is not None else "", hash_, clash, chosen)
