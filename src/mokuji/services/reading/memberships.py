"""The categories of one page: by its front matter, by marks in its text, and through templates that it inserts."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from mokuji.core.base import names
from mokuji.core.language.page import PageHead
from mokuji.core.model.categories import Filing
from mokuji.store.database import Connection
from mokuji.store.index import memberships


@dataclass(frozen=True, slots=True)
class OfPage:
    """A category of a page: its key and name, whether the page is filed whole, how many marks file passages of it, and
    the template through which it is filed, if it is not filed by itself."""

    key: str
    name: str
    whole: bool = False
    marks: int = 0
    through: PageHead | None = None


def categories_of(
    connection: Connection, filed: Iterable[tuple[str, int, str, int]], inserted: Iterable[PageHead]
) -> list[OfPage]:
    """The categories that a page is filed under, by name: ``filed`` as it says itself (``store.pages.Opened``), and
    through the pages that it inserts."""
    pages: dict[str, OfPage] = {}
    for key, how, name, count in filed:
        if how == Filing.PAGE:
            pages[key] = OfPage(key, name, True)
        elif how == Filing.MARK:
            was = pages.get(key)
            pages[key] = OfPage(key, was.name if was else names.as_title(name), was is not None, count)
    templates = {head.id: head for head in inserted}
    for template, key, name in memberships.given_by(connection, templates):
        pages.setdefault(key, OfPage(key, name, through=templates[template]))
    return sorted(pages.values(), key=lambda each: names.key(each.name))
