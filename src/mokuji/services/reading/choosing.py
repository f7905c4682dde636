"""Pages of a volume to choose several of."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.policy import Actor, Permission
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.store import pages
from mokuji.store.database import reading

SHOWN = 200
"""Number of pages on a screen."""


@dataclass(frozen=True, slots=True)
class Choice:
    """Pages by name, of which there are more behind ``more_after`` (a key)."""

    place: VolumeView
    pages: tuple[PageHead, ...]
    more_after: str | None


def to_choose(app: AppContext, actor: Actor, volume_key: str, named: str = "", after: str = "") -> Choice:
    """Pages of a volume whose names hold some words, behind a key; for who may write there."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key, Permission.WRITE)
        wanted = names.key(named) if names.is_storable(named) else ""
        behind = after if names.is_storable(after) else ""
        found = pages.by_name(connection, volume.id, named=wanted, after=behind, most=SHOWN + 1)
        more = found[SHOWN - 1].key if len(found) > SHOWN else None
        return Choice(volume_view(context, volume), tuple(found[:SHOWN]), more)
