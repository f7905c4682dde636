"""What stands at the head of a volume, beside each of its pages: asked for in one go."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import Connection, func, select

from mokuji.store.index import to_mend, volume_pages
from mokuji.store.index.to_mend import Counts
from mokuji.store.places.contents import CONTENTS_SIZE, WHOLE_CONTENTS
from mokuji.store.statements import fixed, value
from mokuji.store.tables import volume as volumes


@dataclass(frozen=True, slots=True)
class VolumeFacts:
    """The sentence on the cover of a volume, the key of its front page, what there is to mend in it (up to
    ``to_mend.MANY`` of each sort), how many pages it has, and whether its contents are few enough to be
    loaded whole."""

    summary: str
    front: str | None
    counts: Counts
    pages: int
    few_entries: bool


FACTS = select(
    volumes.c.summary,
    volumes.c.front,
    *to_mend.numbers_of(value("volume"), all_of_them=False),
    func.coalesce(volume_pages.NUMBER.scalar_subquery(), fixed(0)),
    CONTENTS_SIZE.scalar_subquery(),
).where(volumes.c.id == value("volume"))


def facts(connection: Connection, volume: int, visible: Collection[int]) -> VolumeFacts:
    """The facts of a volume that is there, for one who may read some volumes; what there is to mend is as it was when
    upkeep last looked."""
    values = {"volume": volume, "visible": visible, "most": WHOLE_CONTENTS + 1}
    summary, front, orphans, away, unwritten, pages, entries = connection.execute(FACTS, values).one()
    return VolumeFacts(summary, front, Counts(orphans, away, unwritten), pages, entries <= WHOLE_CONTENTS)
