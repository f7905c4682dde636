"""Several pages of a volume, each with the branch below it if so wished, for acts that take more than one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from mokuji.acts.command import NOT_ASKED
from mokuji.acts.context import PlanningContext
from mokuji.acts.request import lines
from mokuji.core.language.page import PageHead
from mokuji.core.model.contents import Row

MOST = 500
"""Maximum number of pages that one act takes beside the one in hand; their branches are not counted."""
Also = Annotated[
    tuple[Annotated[str, Field(max_length=400)], ...],
    Field(max_length=MOST, description="Other pages of the volume, with which the same is done"),
    lines("also"),
    NOT_ASKED,
]


@dataclass(frozen=True, slots=True)
class Chosen:
    """A page that was chosen or stands below one, or (None) a name there without a page; ``row`` is its place within
    the branch that was chosen."""

    row: Row
    page: PageHead | None


def with_branches(
    context: PlanningContext, volume: str, titles: Sequence[str], *, branch: bool
) -> list[Chosen]:
    """Pages of a volume in the order in which they were chosen, each once; with ``branch`` what stands below them too.
    Missing if one is not there."""
    found: list[Chosen] = []
    seen: set[str] = set()
    for title in dict.fromkeys(titles):
        head = context.page(volume, title)
        if head.key in seen:
            continue
        rows = (context.branch(head.volume, head.key) if branch else ()) or [Row(0, head.title, head.key)]
        heads = context.wiki.titles([(head.volume, row.key) for row in rows])
        for row in rows:
            if row.key not in seen:
                seen.add(row.key)
                found.append(Chosen(row, heads.get((head.volume, row.key))))
    return found
