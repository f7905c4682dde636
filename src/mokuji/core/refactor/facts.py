"""Facts: what is told of an act beside the change set, as typed values; each plan has its own.

The log keeps them with the number of their form. Objects that may stand in another volume than the act's own are
``Named`` values, so that each reader is told only what they may read.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, fields, replace
from typing import Any, ClassVar, Self

from mokuji.core.base.phrases import Named


@dataclass(frozen=True, slots=True)
class Facts:
    """What is told of an act. ``VERSION`` counts the forms that its facts have had in the log."""

    VERSION: ClassVar[int] = 1

    @property
    def leads_to(self) -> Named | None:
        """The page to go on with when the one in hand is gone."""
        return None

    def seen(self, readable: Collection[int]) -> Self:
        """The same for who may read these volumes: what else is named has no name."""
        changed: dict[str, Any] = {}
        for field in fields(self):
            value = getattr(self, field.name)
            if isinstance(value, Named):
                changed[field.name] = value.seen(readable)
        return replace(self, **changed) if changed else self


@dataclass(frozen=True, slots=True)
class NoFacts(Facts):
    """Nothing is told but what the change set says."""
