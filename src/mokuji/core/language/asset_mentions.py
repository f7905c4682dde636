"""What a page holds that is kept apart from it: files that it names, sources that it cites, people whom it names."""

from __future__ import annotations

from collections import Counter
from enum import IntEnum

from mokuji.core.base import names
from mokuji.core.language.scan import PageText


class AssetKind(IntEnum):
    """The sorts, as they are stored."""

    FILE = 0
    SOURCE = 1
    PERSON = 2


def asset_mentions(content: PageText) -> Counter[tuple[AssetKind, str]]:
    """How often a page names each, by sort and key."""
    found = Counter((AssetKind.FILE, destination.key) for destination in content.destinations)
    found.update((AssetKind.SOURCE, cite.key) for cite in content.cites)
    found.update((AssetKind.PERSON, handle.key) for handle in content.handles)
    return Counter({(kind, key): number for (kind, key), number in found.items() if names.is_storable(key)})
