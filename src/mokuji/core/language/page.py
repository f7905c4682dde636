"""A page: its head, its text, and what stands in it."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass
from functools import cached_property

from mokuji.core.base import names
from mokuji.core.language.scan import PageText, body_of, read_text
from mokuji.core.syntax import front_matter
from mokuji.core.syntax.body import Body
from mokuji.core.syntax.front_matter import FrontMatter
from mokuji.core.syntax.reference import Reference


@dataclass(frozen=True, slots=True)
class PageHead:
    """A page without its text. ``revision`` counts from 1."""

    id: int
    volume: int
    key: str
    title: str
    revision: int = 1

    @property
    def revised(self) -> tuple[int, int]:
        """Its id and revision: what stands there never changes."""
        return self.id, self.revision


@dataclass(frozen=True, slots=True)
class Use:
    """A reference where it stands: ``index`` among all references of its page."""

    index: int
    reference: Reference
    in_heading: bool


@dataclass(frozen=True)
class Page:
    """A page with its text, and what stands in it (read when first asked for)."""

    head: PageHead
    text: str

    @cached_property
    def content(self) -> PageText:
        """References, headings and problems of the text."""
        return read_text(self.text)

    def body(self) -> Body:
        """Its body with what the parser says of it, read anew at each call."""
        return body_of(self.text, self.content)

    def uses(self, keys: Collection[str]) -> Iterator[Use]:
        """The references whose name holds one of these keys, in order."""
        for index, reference in enumerate(self.content.references):
            name = reference.name
            if name is not None and (name.key in keys or name.title in keys):
                yield Use(index, reference, index in self.content.in_heading)

    def section_uses(self, keys: Collection[str]) -> Iterator[Use]:
        """The references that name a section, of the own page or of one whose name holds these keys."""
        for index, reference in enumerate(self.content.references):
            name = reference.name
            if reference.section and (name is None or name.key in keys or name.title in keys):
                yield Use(index, reference, index in self.content.in_heading)

    def every_use(self) -> Iterator[Use]:
        """All references, in order."""
        for index, reference in enumerate(self.content.references):
            yield Use(index, reference, index in self.content.in_heading)

    @property
    def alias_keys(self) -> tuple[str, ...]:
        """Keys of the aliases, those that can be keys, each once."""
        front = self.content.front_matter if "content" in self.__dict__ else front_matter.read(self.text)
        return alias_keys(front)


def alias_keys(front: FrontMatter) -> tuple[str, ...]:
    """Keys of the aliases that a front matter gives, those that can be keys, each once."""
    keys = (names.key(alias) for alias in front.names("aliases"))
    return tuple(dict.fromkeys(key for key in keys if names.is_key(key)))
