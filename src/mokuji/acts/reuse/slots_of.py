"""The slots of the template in hand, for questions about one of them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from mokuji.acts.act import Choices
from mokuji.acts.context import PlanningContext
from mokuji.core.language.page import PageHead

if TYPE_CHECKING:
    from mokuji.services.reading.reading import VolumeView


def choices(context: PlanningContext, _: Any, __: VolumeView | None, head: PageHead | None) -> Choices:
    """The names of the slots that it declares, in order."""
    if head is None:
        return Choices()
    return Choices(slots=tuple(context.wiki.pages([head.id])[head.id].content.declared.slots))
