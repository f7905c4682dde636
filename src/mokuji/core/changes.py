"""A change set: all that one act changes, shown before it is done, done as one, undone as one.

``PageChange`` says of one page which revision it expects and what its text
and title will be. ``digest`` covers everything that a person was shown, so
that what is done is what was seen.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass

from mokuji.core import names
from mokuji.core.edits import Edit
from mokuji.core.names import Name
from mokuji.core.text.scan import PageText
from mokuji.core.wiki import PageHead


@dataclass(frozen=True, slots=True)
class PageChange:
    """One page before and after.

    ``edits`` are what makes ``after`` of ``before``, each at its range in the
    text before. ``content`` is what stands in the text after. It is None when
    only plain names were exchanged: then all that was read from the text
    before still stands, shifted, but for the names in ``renamed`` (by the
    index of their reference). ``labelled`` are the indexes of those that keep
    words of their own.
    """

    head: PageHead
    title: str
    before: str
    after: str
    edits: tuple[Edit, ...]
    content: PageText | None
    renamed: Mapping[int, Name]
    labelled: frozenset[int] = frozenset()

    @property
    def text_changed(self) -> bool:
        """Whether a new text is to be stored."""
        return self.before != self.after


@dataclass(frozen=True, slots=True)
class ChangeSet:
    """What an act will change, in the order of volume and page key."""

    act: str
    changes: tuple[PageChange, ...]

    def head_after(self, page: int) -> PageHead:
        """The head of a changed page once this is done."""
        change = next(change for change in self.changes if change.head.id == page)
        head = change.head
        return PageHead(head.id, head.volume, names.key(change.title), change.title, head.revision + 1)

    def digest(self, *more: str) -> str:
        """A short name for exactly these changes (and ``more``, such as what the act was asked to do)."""
        hasher = hashlib.blake2b(digest_size=16)
        for word in (self.act, *more):
            hasher.update(word.encode() + b"\0")
        for change in self.changes:
            head = change.head
            hasher.update(f"{head.id} {head.revision} {change.title}\0".encode())
            for edit in change.edits:
                hasher.update(f"{edit.span.start} {edit.span.end} {edit.words}\0".encode())
        return hasher.hexdigest()
