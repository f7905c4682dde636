"""Materials: what a volume's pages are made with, its templates and its categories."""

from __future__ import annotations

from dataclasses import dataclass

from mokuji.core.model.policy import Actor
from mokuji.services.app_context import AppContext, ReadContext
from mokuji.services.reading.categories import Category, categories_in
from mokuji.services.reading.reading import VolumeView, volume_view
from mokuji.services.reading.templates import Listed, templates_of
from mokuji.store.database import reading


@dataclass(frozen=True)
class Materials:
    """The templates of a volume and of its libraries (by the title of each), and its categories by name."""

    place: VolumeView
    templates: tuple[Listed, ...]
    libraries: tuple[tuple[str, str, tuple[Listed, ...]], ...]
    categories: tuple[Category, ...]


def materials(app: AppContext, actor: Actor, volume_key: str) -> Materials:
    """What a volume's pages are made with."""
    with reading(app.engine) as connection:
        context = ReadContext(connection, actor)
        volume = context.volume(volume_key)
        by_id = {each.id: each for each in context.volumes.values()}
        others = [by_id[id_] for id_ in volume.libraries if id_ in by_id]
        return Materials(
            volume_view(context, volume),
            tuple(templates_of(context, volume)),
            tuple((each.key, each.title, tuple(templates_of(context, each))) for each in others),
            tuple(categories_in(context, volume)),
        )
