"""References as a list shows them: each with its page, its line and its words as typed."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from mokuji.core.base.spans import Lines
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import AffectedReference


@dataclass(frozen=True, slots=True)
class Listed:
    """A reference that leads elsewhere afterwards, with its line and its words as typed."""

    page: PageHead
    line: int
    words: str


def listed(wiki: Wiki, found: Collection[AffectedReference]) -> tuple[Listed, ...]:
    """References with their lines and words; those on pages that are not there yet are left out."""
    pages = wiki.pages({reference.page.id for reference in found})
    return tuple(
        Listed(reference.page, Lines(text).position(reference.span.start).line, reference.span.of(text))
        for reference in found
        if reference.page.id in pages and (text := pages[reference.page.id].text)
    )
