"""Files in use: the names of files that pages point at, by links and pictures, with every place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead


@dataclass(frozen=True, slots=True)
class FileUse:
    """A place that points at a file; ``span`` is that of the name as typed."""

    page: PageHead
    span: Span


def files_used(pages: Iterable[Page]) -> dict[str, list[FileUse]]:
    """The files that pages name, by name as it is meant, each with its places in order."""
    found: dict[str, list[FileUse]] = {}
    for page in pages:
        for destination in page.content.destinations:
            found.setdefault(destination.name, []).append(FileUse(page.head, destination.span))
    return dict(sorted(found.items(), key=lambda pair: (pair[0].casefold(), pair[0])))
