"""The headings of the page in hand, for questions about one of them."""

from __future__ import annotations

from typing import Any

from mokuji.acts.act import Choices
from mokuji.acts.context import PlanningContext
from mokuji.core.language.headings import words
from mokuji.core.language.page import PageHead
from mokuji.services.reading.reading import VolumeView


def choices(context: PlanningContext, _: Any, __: VolumeView | None, head: PageHead | None) -> Choices:
    """Each heading in words, indented by its level."""
    if head is None:
        return Choices()
    page = context.wiki.pages([head.id])[head.id]
    return Choices(
        headings=tuple(
            "\u2003" * (heading.level - 2)
            + words(heading, page.text, page.content.references, context.volumes)
            for heading in page.content.headings
        )
    )
