"""What a report is: its words, what it reads, and what it finds."""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field
from enum import Enum
from functools import cached_property
from typing import Literal

from mokuji.acts.request import Request
from mokuji.core.base import names
from mokuji.core.base.phrases import counted
from mokuji.core.base.spans import Span
from mokuji.core.language.excerpt import Excerpt
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import Volume
from mokuji.core.reports.look_alikes import Pair
from mokuji.core.style.flaws import Mend
from mokuji.services.app_context import ReadContext
from mokuji.services.reading.categories import VolumeCategories
from mokuji.store.database import Connection
from mokuji.store.index.to_mend import Counts
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

    @property
    def alike(self) -> bool:
        """Whether all its places say what its title says."""
        return bool(self.spots) and all(spot.sentence == Excerpt("", self.title, "") for spot in self.spots)


@dataclass(frozen=True, slots=True)
class Part:
    """Some words of the line that says a finding: those of a page, of a category (by key), of a name that nothing has,
    or words that bind these."""

    words: str
    page: PageHead | None = None
    category: str = ""
    name: Literal["", "unwritten", "no-file", "no-source"] = ""
    quiet: bool = False


@dataclass(frozen=True, slots=True)
class Way:
    """Where something is mended by hand: a page as text or as it is read, a name to be written, what a volume holds.

    ``volume`` is an id; ``key`` is that of a page or name, or a name as it is typed.
    """

    to: Literal["edit", "write", "read", "new volume", "new source", "files", "categories"]
    volume: int = 0
    key: str = ""
    line: int = 0


@dataclass(frozen=True, slots=True)
class Offer:
    """What mends a finding: an act to be planned (``open``: after its question), a way to where it is done by hand, or
    a word that the house style is to learn.

    ``many`` is what it is called for several findings at once; ``asks`` is the field of the act, and what that is
    called, that all of them are then given. Without ``many`` it is offered for one at a time.
    """

    words: str
    act: Request | None = None
    open: bool = False
    way: Way | None = None
    learn: tuple[Literal["word", "name"], str] | None = None
    many: str = ""
    asks: tuple[str, str] | None = None


@dataclass(frozen=True, slots=True)
class Place:
    """Where findings are mended: the volume that they were found in, and all that may be read. ``origins`` are the ways
    this site's own addresses begin."""

    volume: Volume
    volumes: Mapping[int, Volume]
    origins: tuple[str, ...] = ()

    def key(self, page: PageHead) -> str:
        """The key of the volume in which a page stands."""
        return self.volumes[page.volume].key


@dataclass(frozen=True)
class ReportContext:
    connection: Connection
    volume: Volume
    visible: Mapping[int, Volume]
    origins: tuple[str, ...]
    context: ReadContext
    put_aside: Mapping[str, Collection[str]] = field(default_factory=dict)
    """What was put aside in the volume, by report."""
    until: float = float("inf")
    """Until when (of a clock that only goes on) texts are read; after that a report ends with what it has."""

    @property
    def late(self) -> bool:
        """Whether the time is over."""
        return time.monotonic() > self.until

    def aside(self, report: str) -> Set[str]:
        """What was put aside in a report."""
        return frozenset(self.put_aside.get(report, ()))

    @cached_property
    def filed(self) -> VolumeCategories:
        """What is filed in the volume."""
        return VolumeCategories(self.context, self.volume)

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


def _none(_: Place, __: Finding) -> tuple[Offer, ...]:
    return ()


def by_page(finding: Finding) -> tuple[Part, ...]:
    """A finding that is about a page."""
    return (Part(finding.title, finding.page),)


def by_target(verb: str) -> Callable[[Finding], tuple[Part, ...]]:
    """A finding of a page that does something with another: “Pump says Well”."""
    return lambda finding: (
        Part(finding.page.title if finding.page else "", finding.page),
        Part(verb, quiet=True),
        Part(finding.title, finding.target),
    )


def by_name(sort: Literal["", "unwritten", "no-file", "no-source"]) -> Callable[[Finding], tuple[Part, ...]]:
    """A finding that is about a name, and how many pages have it."""
    return lambda finding: (
        Part(finding.title, name=sort),
        Part(f"· {counted(finding.number, 'page')}", quiet=True),
    )


def page_id(finding: Finding) -> str:
    """A finding is the same as long as it is about the same page."""
    return str(finding.page.id) if finding.page is not None else finding.key


def by_key(finding: Finding) -> str:
    """A finding is the same as long as it has the same key."""
    return finding.key


def by_words(finding: Finding) -> str:
    """A finding is the same as long as it is about the same pages, and says the same of the same words."""
    if finding.pair is not None:
        return "\t".join(sorted((finding.pair.one.key, finding.pair.other.key)))
    pages = (finding.page, finding.other, finding.target)
    named = [str(page.id) if page is not None else "" for page in pages]
    said = [spot.sentence.words for spot in finding.spots[:1]]
    return "\t".join(
        [*named, names.key(finding.title) if finding.page is None else "", finding.reason, *said]
    )


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
    mends: Callable[[Place, Finding], Sequence[Offer]] = _none
    """What mends a finding, the likeliest first."""
    parts: Callable[[Finding], Sequence[Part]] = by_page
    """The line that says a finding."""
    what: Callable[[Finding], str] = by_words
    """What names a finding as long as it says the same: by this it is put aside."""
    reasons: Literal["beside", "words", "problem"] = "beside"
    """Whether what a finding says besides is told as less, as much, or as what is wrong."""
    on_pages: Callable[[ReportContext, list[Page]], Iterator[Finding]] | None = None
    """The findings of some pages, page by page in the order of their texts, where it looks at each for itself; those of
    one page are told beside it, unless they were put aside."""
    to_mend: bool = False
    """Whether its number is told beside the name of the room."""
    number: Callable[[ReportContext, Counts], int] | None = None
    """How many findings there are that nobody put aside, where that is known without making them."""
    in_step: bool = False
    """Whether an index answers it, a screen at a time, right after every write; all others read texts or compare all
    names, are made whole, and kept."""
