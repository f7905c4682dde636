"""What a plan may know of: a wiki as one moment holds it, seen by who asks.

``PlanningContext`` is all that the plans of acts get which folders can have as well; ``acts.stored_context`` is that of
a transaction, ``services.folders.context`` that of a folder.  Rights are checked as it hands out what requests name.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Protocol

from mokuji.core.base.errors import Refused
from mokuji.core.language.page import PageHead
from mokuji.core.model.assets import Asset, Sort
from mokuji.core.model.contents import Row
from mokuji.core.model.policy import Permission
from mokuji.core.model.wiki import Place, Volume, Wiki


class PlanningContext(Protocol):
    """What a plan may know of, for who asks. Missing, Forbidden or Refused say why something is not to be had."""

    @property
    def shown(self) -> bool:
        """Whether the plan is to be looked at, rather than done."""
        ...

    @property
    def wiki(self) -> Wiki:
        """The whole wiki, closed volumes included: to count and to follow, never to show."""
        ...

    @property
    def readable_wiki(self) -> Wiki:
        """The wiki of the volumes that may be read."""
        ...

    @property
    def reads(self) -> Collection[int]:
        """The ids of the volumes that may be read."""
        ...

    def volume(self, key: str, act: Permission = Permission.RENAME) -> Volume:
        """A volume in which this may be done."""
        ...

    def page(self, volume_key: str, page_key: str, act: Permission = Permission.RENAME) -> PageHead:
        """A page in a volume in which this may be done."""
        ...

    def page_named(self, typed: str, home: str, act: Permission = Permission.RENAME) -> PageHead:
        """A page as a person types it in a volume: “Title”, or “Volume/Title”."""
        ...

    def find(self, volume: Volume, page_key: str) -> PageHead | None:
        """The page of a volume that has this name, if there is one."""
        ...

    def name_typed(self, place: Place, otherwise: str = "") -> str:
        """A name as those type it who refer to it: an address has neither capitals nor hyphens."""
        ...

    def contents(self, volume: Volume) -> Sequence[Row]:
        """The contents of a volume, in order."""
        ...

    def branch(self, volume: int, key: str, most: int = 20_000) -> Sequence[Row]:
        """A name of the contents and all that stands below it, in order; its own depth is 0."""
        ...

    def saying(self, words: str) -> Sequence[int]:
        """Pages that may be written, and may hold these words."""
        ...

    def pages_with(self, volume: int | None, words: str | None, most: int) -> Sequence[int]:
        """Pages of a volume (None: of all that may be changed) whose text or title may hold words as they are typed;
        all of them, if no words are given."""
        ...

    def answering(self, volume: Volume, line: str, *, everywhere: bool = False) -> Sequence[int]:
        """Pages of a volume, or of all, that answer a question; Refused where there is no index of words."""
        ...

    def categories(self, volume: Volume) -> Mapping[str, str]:
        """The categories of a volume: names by key."""
        ...

    def naming_category(self, volume: Volume, key: str) -> Sequence[int]:
        """The pages of a volume that name a category."""
        ...

    def asset(self, sort: Sort, key: str, volume: int = 0) -> Asset | None:
        """A file of a volume, a source or a person by key."""
        ...

    def naming(self, asset: Asset) -> Sequence[int]:
        """The pages that name a file, source or person."""
        ...

    def files(self, volume: int, keys: Collection[str]) -> Mapping[str, Asset]:
        """The files of a volume that have these keys."""
        ...

    def gains_readers(self, target: Volume, source: Volume) -> bool:
        """Whether somebody reads ``target`` who does not read ``source``."""
        ...


def check_seen(head: PageHead, revision: int) -> None:
    """Refused if the page is not the one that ranges were chosen in."""
    if revision and head.revision != revision:
        raise Refused(
            f"“{head.title}” was edited since the text was selected. Open it again and select it there.",
            code="page_edited",
        )
