"""The note of a change as one reader may read it.

A note that a person wrote is theirs, and stands in the log of the volume in
which they wrote it: who may not read that volume is not told it. One that was
left as Mokuji proposed it is kept as a phrase, and told anew to each reader.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from mokuji.core.base.phrases import Phrase, as_data, from_data, told
from mokuji.core.model.policy import OF_PEOPLE

CROSSING = frozenset({"move", "merge", "join", "retarget", "link", "inline", "aliases"})
"""Acts that can name what stands in another volume. Those logged before phrases were kept do not say which: their notes
are told to nobody but an owner of the wiki."""


def kept(note: str, proposal: Phrase) -> tuple[str, list[Any]]:
    """A note as it is to be stored, and the phrase that is kept for it: no parts if it is somebody's own words."""
    if note and note != " ".join(told(proposal).split()):
        return note, []
    return "", as_data(proposal)


@dataclass(frozen=True, slots=True)
class Reader:
    """Who is told a note: the volumes that they may read, whether that is all there are, and those whose people they
    are one of (None: of all)."""

    volumes: Collection[int]
    all: bool = False
    belongs_in: Collection[int] | None = ()

    def knows_people(self, volume: int) -> bool:
        """Whether they are told who the people of a volume are."""
        return self.belongs_in is None or volume in self.belongs_in

    def told(self, note: str, act: str, volume: int, proposed: Sequence[Any] | None) -> str:
        """The note of an act in the log of a volume. ``proposed`` is what the log keeps of the proposal."""
        if volume not in self.volumes:
            return ""
        if act in OF_PEOPLE and not self.knows_people(volume):
            return ""
        if proposed:
            return told(from_data(proposed), self.volumes)
        if act in CROSSING and proposed is None and not self.all:
            return ""
        return note
