"""The categories of the volume in hand, for questions that ask for one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from mokuji.acts.act import Choices
from mokuji.acts.context import PlanningContext
from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.model.wiki import Volume

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView


def choices(context: PlanningContext, request: Any, place: VolumeView | None, *_: Any) -> Choices:
    """The names of all but the one in hand."""
    if place is None:
        return Choices()
    known = context.categories(place.volume)
    return Choices(
        categories=tuple(sorted(name for key, name in known.items() if key != names.key(request.page)))
    )


def missing(volume: Volume, name: str) -> Missing:
    """What is said of a category that is none."""
    return Missing(f"Nothing in “{volume.title}” is filed under “{name}”.", code="category_missing")
