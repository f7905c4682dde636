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
    pages = wiki.pages({each.page.id for each in found})
    return tuple(
        Listed(each.page, Lines(text).position(each.span.start).line, each.span.of(text))
        for each in found
        if each.page.id in pages and (text := pages[each.page.id].text)
    )
