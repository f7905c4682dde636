"""What a report is: its words, what it reads, and what it finds."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import Enum

from mokuji.core.base.spans import Span
from mokuji.core.language.excerpt import Excerpt
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Volume
from mokuji.core.reports.look_alikes import Pair
from mokuji.core.style.flaws import Mend
from mokuji.services.app_context import ReadContext
from mokuji.store.database import Connection
from mokuji.store.index.upkeep import Counts
from mokuji.store.snapshot import StoredWiki


@dataclass(frozen=True, slots=True)
class Spot:
    """A place on a page: its line from 1, its range in code points, its sentence."""

    page: PageHead
    line: int
    span: Span
    sentence: Excerpt
    index: int | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to mend.

    ``title`` is the name in question, ``page`` its page if it has one, ``other`` a second one. ``number`` is how
    many pages ask for it; ``reason`` says why it is listed. ``spots`` are where it shows. ``missing`` is the name
    of a volume that is not there.
    """

    key: str
    title: str
    page: PageHead | None = None
    other: PageHead | None = None
    number: int = 0
    reason: str = ""
    spots: tuple[Spot, ...] = ()
    pair: Pair | None = None
    target: PageHead | None = None
    missing: str = ""
    turn: tuple[tuple[str, str], ...] = ()
    """Of categories that are broader than each other the keys and names."""
    mends: tuple[Mend, ...] = ()
    """What would put a flaw right."""
    nearest: tuple[str, ...] = ()
    """Of a section that is not there those that are called most like it."""


@dataclass(frozen=True)
class ReportContext:
    connection: Connection
    volume: Volume
    visible: Mapping[int, Volume]
    origins: tuple[str, ...]
    context: ReadContext
    until: float = float("inf")
    """Until when (of a clock that only goes on) texts are read; after that a report ends with what it has."""

    @property
    def late(self) -> bool:
        """Whether the time is over."""
        return time.monotonic() > self.until

    @property
    def seen(self) -> list[int]:
        return list(self.visible)

    @property
    def wiki(self) -> StoredWiki:
        """The wiki as the reader may see it."""
        return StoredWiki(self.connection, {volume.key: volume for volume in self.visible.values()})


Listing = tuple[list[Finding], Mapping[str, int]]


class Group(Enum):
    """The groups that reports stand in, by their headings."""

    REACH = "Reach"
    NAMES = "Names"
    TEXT = "Text"
    MATERIALS = "Materials"


@dataclass(frozen=True)
class Report:
    """A report: what it is called in addresses, JSON and files, and in words; what it finds.

    ``findings`` gives those behind a key, by key, at most so many, and the names that were too common to list.
    """

    name: str
    group: Group
    heading: str
    sentence: str
    """What is in it, in the overview."""
    about: str
    """What is in it, over its findings."""
    findings: Callable[[ReportContext, str, int], Listing]
    number: Callable[[ReportContext, Counts], int] | None = None
    """How many findings there are, where that is known without making them."""
    in_step: bool = False
    """Whether an index answers it, a screen at a time, right after every write; all others read texts or compare all
    names, are made whole, and kept."""
