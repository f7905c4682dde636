"""A page whose references were read before: when it was saved, or when its folder was loaded.

What names something is found by numbers that all pages of a wiki share, so that
a plan reads the few references that matter instead of whole texts.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field
from enum import IntFlag

from mokuji.core.base.names import Name
from mokuji.core.language.page import Page, Use
from mokuji.core.language.scan import PageText
from mokuji.core.syntax.reference import Kind, Reference, read


class Flag(IntFlag):
    """What is kept of each reference besides its range and name."""

    INSERT = 1
    IN_HEADING = 2
    SECTION = 4


# Of plain numbers: a flag takes long.
INSERT, _IN_HEADING, _SECTION = int(Flag.INSERT), int(Flag.IN_HEADING), int(Flag.SECTION)


def flags_of(content: PageText, index: int) -> int:
    """What is kept of a reference of a text."""
    reference = content.references[index]
    flag = INSERT if reference.kind is not Kind.LINK else 0
    if index in content.in_heading:
        flag |= _IN_HEADING
    if reference.section:
        flag |= _SECTION
    return flag


class KnownNames(dict[int, Name]):
    """Names by their numbers, shared by pages; numbers begin at 1."""

    def __init__(self) -> None:
        super().__init__()
        self._found: dict[tuple[int, frozenset[str]], frozenset[int]] = {}

    def of(self, keys: Collection[str]) -> frozenset[int]:
        """The names that may mean one of these keys. All pages of a plan ask for the same."""
        asked = (len(self), keys if isinstance(keys, frozenset) else frozenset(keys))
        if asked not in self._found:
            self._found[asked] = frozenset(
                id_ for id_, name in self.items() if name.key in keys or name.title in keys
            )
        return self._found[asked]


@dataclass(frozen=True)
class IndexedPage(Page):
    """A page with the ranges (code points), the names (0: the page itself) and the flags of its references."""

    starts: Sequence[int] = ()
    ends: Sequence[int] = ()
    name_ids: Sequence[int] = ()
    flags: Sequence[int] = ()
    known: KnownNames = field(default_factory=KnownNames)
    aliases: tuple[str, ...] | None = None
    """Keys of its aliases, if they are known."""

    @property
    def alias_keys(self) -> tuple[str, ...]:
        return super().alias_keys if self.aliases is None else self.aliases

    def reference(self, index: int) -> Reference | None:
        """The reference at an index, read from its own characters."""
        found = read(self.text[self.starts[index] : self.ends[index]], self.starts[index])
        return found if isinstance(found, Reference) else None

    def every_use(self) -> Iterator[Use]:
        yield from self._at(iter(range(len(self.starts))))

    def uses(self, keys: Collection[str]) -> Iterator[Use]:
        wanted = self.known.of(keys)
        yield from self._at(index for index, id_ in enumerate(self.name_ids) if id_ in wanted)

    def section_uses(self, keys: Collection[str]) -> Iterator[Use]:
        wanted = self.known.of(keys) | {0}
        yield from self._at(
            index for index, id_ in enumerate(self.name_ids) if id_ in wanted and self.flags[index] & _SECTION
        )

    def use(self, index: int) -> Use | None:
        """The reference at an index, where it stands."""
        reference = self.reference(index)
        return None if reference is None else Use(index, reference, bool(self.flags[index] & _IN_HEADING))

    def typed(self, keys: frozenset[str]) -> list[tuple[int, str]] | None:
        """The references whose name holds one of these keys, by index and as they are typed; None if one of them is
        more than a name, with or without a label: an insert, in a heading, of a section."""
        wanted = self.known.of(keys)
        found = [index for index, id_ in enumerate(self.name_ids) if id_ in wanted]
        flags, starts, ends, text = self.flags, self.starts, self.ends, self.text
        if any(flags[index] for index in found):
            return None
        return [(index, text[starts[index] : ends[index]]) for index in found]

    def _at(self, indexes: Iterator[int]) -> Iterator[Use]:
        for index in indexes:
            use = self.use(index)
            if use is not None:
                yield use
