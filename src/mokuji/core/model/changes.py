"""A change set: all that one act changes, shown before it is done, done as one, undone as one.

``PageChange`` says of one page which revision it expects and what its text,
title and volume will be. ``digest`` covers everything that a person was shown,
so that what is done is what was seen.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum

from mokuji.core.base import names
from mokuji.core.base.edits import Edit, apply
from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import IndexedPage
from mokuji.core.language.page import PageHead
from mokuji.core.language.scan import PageText
from mokuji.core.model.assets import AssetChange
from mokuji.core.model.contents import Placing
from mokuji.core.model.policy import Role
from mokuji.core.model.wiki import Volume


class Fate(Enum):
    """What becomes of a page: it is there before and after, is written anew, or comes back from the trash."""

    KEPT = "kept"
    MADE = "made"
    RESTORED = "restored"


@dataclass(frozen=True, slots=True)
class PageChange:
    """One page before and after.

    ``edits`` are what makes ``after`` of ``before``, each at its range in the
    text before; ``composed`` is ``after``, or None where it need not be put
    together before somebody asks, and each edit says something new.
    ``content`` is what stands in the text after. It is None when
    only plain names were exchanged: then all that was read from the text
    before still stands, shifted, but for the names in ``renamed`` (by the
    index of their reference). ``labelled`` are the indexes of those that keep
    words of their own. ``read`` is the page before, where what stands in it
    is at hand. ``own`` says that the act changes more of this page
    than the references on it.
    """

    head: PageHead
    title: str
    before: str
    composed: str | None
    edits: tuple[Edit, ...]
    content: PageText | None
    renamed: Mapping[int, Name]
    labelled: frozenset[int] = frozenset()
    volume: int = 0
    fate: Fate = Fate.KEPT
    own: bool = False
    read: IndexedPage | None = None

    @property
    def after(self) -> str:
        """The text after."""
        return apply(self.before, self.edits) if self.composed is None else self.composed

    @property
    def text_changed(self) -> bool:
        """Whether a new text is to be stored."""
        if self.composed is None:
            return bool(self.edits)
        return self.before != self.after or self.fate is Fate.MADE

    @property
    def volume_after(self) -> int:
        """The volume in which the page stands once this is done."""
        return self.volume or self.head.volume

    @property
    def head_after(self) -> PageHead:
        """The head once this is done."""
        key = names.key(self.title)
        return PageHead(self.head.id, self.volume_after, key, self.title, self.head.revision + 1)

    @property
    def moved(self) -> bool:
        """Whether the page's name or volume is another one."""
        head = self.head
        return (
            self.title != head.title or self.volume_after != head.volume or names.key(self.title) != head.key
        )


@dataclass(frozen=True, slots=True)
class Removed:
    """A page that goes to the trash. ``successor`` is the page that its references now lead to.

    ``leads`` says which page each reference of its text leads to (by index), so that they can be
    mended when it comes back.
    """

    head: PageHead
    successor: int | None = None
    leads: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True, slots=True)
class VolumeChange:
    """A volume before and after: ``before`` is None for a new one, ``after`` for one that goes."""

    before: Volume | None
    after: Volume | None


@dataclass(frozen=True, slots=True)
class RoleChange:
    """What a person, by id, handle and name, is in a volume before and after."""

    volume: int
    person: int
    handle: str
    name: str
    before: Role
    after: Role


@dataclass(frozen=True, slots=True, repr=False)
class ChangeSet:
    """What an act will change; pages in the order of volume and page key."""

    act: str
    changes: tuple[PageChange, ...] = ()
    removed: tuple[Removed, ...] = ()
    contents: tuple[Placing, ...] = ()
    volumes: tuple[VolumeChange, ...] = ()
    assets: tuple[AssetChange, ...] = ()
    roles: tuple[RoleChange, ...] = ()

    def __repr__(self) -> str:
        return f"<ChangeSet {self.act}: {len(self.changes)} pages>"

    def head_after(self, page: int) -> PageHead:
        """The head of a changed page once this is done."""
        return next(change.head_after for change in self.changes if change.head.id == page)

    @property
    def rewritten(self) -> tuple[PageChange, ...]:
        """The pages that get another text."""
        return tuple(change for change in self.changes if change.text_changed)

    @property
    def empty(self) -> bool:
        """Whether nothing would change."""
        changed = any(change.text_changed or change.moved for change in self.changes)
        back = any(change.fate is not Fate.KEPT for change in self.changes)
        rest = (self.removed, self.contents, self.volumes, self.assets, self.roles)
        return not (changed or back or any(rest))

    def digest(self, *more: str) -> str:
        """A short name for exactly these changes (and ``more``, such as what the act was asked to do)."""
        hasher = hashlib.blake2b(digest_size=16)
        for word in (self.act, *more):
            hasher.update(word.encode() + b"\0")
        for change in self.changes:
            head = change.head
            words = [f"{head.id} {head.revision} {change.title} {change.volume}\0"]
            words += [f"{edit.span.start} {edit.span.end} {edit.words}\0" for edit in change.edits]
            hasher.update("".join(words).encode())
        for each in (*self.removed, *self.contents, *self.volumes, *self.assets, *self.roles):
            hasher.update(repr(each).encode() + b"\0")
        return hasher.hexdigest()
