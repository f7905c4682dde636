"""Assets, which are no pages and which pages name: files of a volume, sources of the wiki, people.

They are renamed, exchanged and taken away by plans as pages are, and what names
them follows. ``Asset`` is one as it is at a moment; what it holds is only
told apart by ``content`` (the hash of a file's bytes, the fields of a source).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from mokuji.core.base.edits import Edit, arrange
from mokuji.core.base.errors import BadName
from mokuji.core.base.names import is_storable
from mokuji.core.language.asset_mentions import AssetKind
from mokuji.core.language.page import Page
from mokuji.core.syntax import definitions, files
from mokuji.core.syntax.pointers import source_key

Sort = Literal["file", "source", "person"]
KINDS: dict[Sort, AssetKind] = {
    "file": AssetKind.FILE,
    "source": AssetKind.SOURCE,
    "person": AssetKind.PERSON,
}
"""How pages that name one are found."""
_SOURCE = re.compile(r"[^\s\[\]^]{1,120}")
_HANDLE = re.compile(r"[^\W_][\w-]{0,39}")


@dataclass(frozen=True, slots=True)
class Asset:
    """One as it is: its id and name, the volume of a file (else 0), and its content."""

    sort: Sort
    id: int
    volume: int
    name: str
    content: str = ""

    @property
    def key(self) -> str:
        """What the ways to write its name have in common."""
        if self.sort == "file":
            return files.key(self.name)
        return source_key(self.name)


@dataclass(frozen=True, slots=True)
class AssetChange:
    """One before and after: ``before`` is None for one that comes, ``after`` for one that goes."""

    before: Asset | None
    after: Asset | None

    @property
    def renamed(self) -> bool:
        """Whether what names it must be written otherwise."""
        return self.before is not None and self.after is not None and self.before.name != self.after.name


@dataclass(frozen=True)
class Copies:
    """Files that pages take along to another volume under a free name: what their pages must say for it (by page), and
    the files that come about."""

    edits: Mapping[int, tuple[Edit, ...]] = field(default_factory=dict)
    changes: tuple[AssetChange, ...] = ()


def check_name(sort: Sort, name: str) -> str:
    """A name that such a thing can have; BadName says why one cannot."""
    if not is_storable(name):
        raise BadName("A name holds a NUL character, or half of a character, which none can. Take it out.")
    if sort == "file":
        return files.check_name(name)
    name = name.strip()
    if sort == "source" and not _SOURCE.fullmatch(name):
        raise BadName(
            f"“{name}” cannot name a source: use up to 120 characters without spaces and brackets, such as gale-2019.",
            code="bad_source_name",
        )
    if sort == "person" and not _HANDLE.fullmatch(name):
        raise BadName(
            f"“{name}” cannot be a handle: use up to 40 letters, digits and hyphens.", code="bad_handle"
        )
    return name.casefold() if sort == "person" else name


def renaming(page: Page, old: Asset, name: str) -> tuple[Edit, ...]:
    """What makes a page name a thing by another name, wherever it names it."""
    edits: Iterable[Edit]
    if old.sort == "file":
        if page.head.volume != old.volume:
            return ()
        edits = (
            destination.called(name)
            for destination in page.content.destinations
            if destination.key == old.key
        )
    elif old.sort == "source":
        edits = (Edit(cite.span, cite.called(name)) for cite in page.content.cites if cite.key == old.key)
    else:
        edits = (Edit(handle.span, f"@{name}") for handle in page.content.handles if handle.key == old.key)
    return arrange(edit for edit in edits if edit.span.of(page.text) != edit.words)


def defines_note(page: Page, name: str) -> bool:
    """Whether a page has a footnote of its own by this name, so that it would not cite the source."""
    defined = page.content.definitions.defined
    return definitions.key_of(name, note=True) in {definition.key for definition in defined}
