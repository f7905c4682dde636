"""The contents of a large volume, looked through a level at a time, around a name, or by a part of names."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.store.database import reading
from mokuji.store.places import contents
from mokuji.store.places.contents import Level

AT_ONCE = 50
"""Maximum number of levels that are given at once: branches that stood open."""


@dataclass(frozen=True, slots=True)
class Levels:
    """Levels of the contents of a volume, each above those that stand below it. ``more``: not all that is called so."""

    levels: tuple[Level, ...]
    more: bool = False


def below(app: AppContext, actor: Actor, volume_key: str, under: Sequence[str], skip: int = 0) -> Levels:
    """The levels below these names (an empty one: the topmost level), each behind its first ``skip`` entries. Names
    without a place are left out.

    Raises: Missing for a volume that is not there or closed to the actor.
    """
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        wanted = dict.fromkeys(names.key(name) for name in under if not name or names.is_storable(name))
        levels = (
            contents.level(connection, volume.id, context.reads, key, skip) for key in list(wanted)[:AT_ONCE]
        )
        return Levels(tuple(level for level in levels if level is not None))


def around(app: AppContext, actor: Actor, volume_key: str, name: str) -> Levels:
    """The levels that lead to a name, each around where it or what it stands below is.

    Raises: Missing for a volume as above, and for a name without a place.
    """
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        loaded = contents.contents(
            connection,
            volume.id,
            context.reads,
            path_to=names.key(name) if names.is_storable(name) else None,
        )
        if loaded.of(names.key(name)) is None:
            raise Missing(f"“{name}” has no place in the contents.", code="place_missing")
        return Levels(tuple(contents.levels_of(loaded)))


def named(app: AppContext, actor: Actor, volume_key: str, words: str) -> Levels:
    """What is called so in a part of its name, with all that it stands below.

    Raises: Missing for a volume as above.
    """
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        key = names.key(words) if names.is_storable(words) else ""
        if not key:
            return Levels(())
        levels, more = contents.named_so(connection, volume.id, context.reads, key)
        return Levels(tuple(levels), more)
