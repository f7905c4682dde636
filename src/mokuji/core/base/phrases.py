"""Sentences in which the objects that they name stay objects, so that each reader is told only what they may read.

What is logged of an act outlives the moment in which its actor could read all
that it names. So the log keeps phrases, not words: ``told`` makes words of one
for somebody who may read some volumes, and says of the rest only what it is.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, Literal, cast

Kind = Literal["page", "volume"]
CLOSED: dict[Kind, str] = {
    "page": "a page that is closed to you",
    "volume": "a volume that is closed to you",
}


@dataclass(frozen=True, slots=True)
class Named:
    """An object with the name that it had then; ``volume`` is where a page stood (of a volume its own id)."""

    kind: Kind
    id: int
    volume: int
    title: str

    def __str__(self) -> str:
        return f"“{self.title}”" if self.title else CLOSED[self.kind]

    def seen(self, readable: Collection[int]) -> Named:
        """The same for who may read these volumes: without its name if it stands in none of them."""
        return self if self.volume in readable else Named(self.kind, 0, 0, "")


Phrase = str | tuple[str | Named, ...]
"""A sentence in parts, or one that names nothing beyond the volume in whose log it stands."""


def told(phrase: Phrase, readable: Collection[int] | None = None) -> str:
    """A phrase in words for who may read these volumes (None: all of them)."""
    if isinstance(phrase, str):
        return phrase
    return "".join(_told(part, readable) for part in phrase)


def _told(part: str | Named, readable: Collection[int] | None) -> str:
    if isinstance(part, str):
        return part
    return str(part if readable is None else part.seen(readable))


def as_data(phrase: Phrase) -> list[Any]:
    """A phrase as plain data for the log."""
    parts = (phrase,) if isinstance(phrase, str) else phrase
    return [
        part if isinstance(part, str) else [part.kind, part.id, part.volume, part.title] for part in parts
    ]


def from_data(data: Sequence[Any]) -> Phrase:
    """What ``as_data`` made."""
    return tuple(
        part if isinstance(part, str) else Named(cast(Kind, part[0]), part[1], part[2], part[3])
        for part in data
    )


def counted(number: int, one: str, many: str = "") -> str:
    """“1 page”, “1,204 pages”."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"
