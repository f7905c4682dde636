"""Files in use: the names of files that pages point at, by links and pictures, with every place."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from urllib.parse import unquote

from mokuji.core.mentions import FILE, stretches
from mokuji.core.spans import Span
from mokuji.core.wiki import Page, PageHead


@dataclass(frozen=True, slots=True)
class FileUse:
    """A place that points at a file; ``span`` is that of the name as typed."""

    page: PageHead
    span: Span


def files_used(pages: Iterable[Page]) -> dict[str, list[FileUse]]:
    """The files that pages name, by name (percent signs resolved), each with its places in order. Addresses of pages
    and of other sites are none."""
    found: dict[str, list[FileUse]] = {}
    for page in pages:
        if "](" not in page.text:
            continue
        for stretch in stretches(page):
            name = unquote(stretch.span.of(page.text))
            if stretch.kind == FILE and not name.startswith(("/", "?")):
                found.setdefault(name, []).append(FileUse(page.head, stretch.span))
    return dict(sorted(found.items(), key=lambda pair: (pair[0].casefold(), pair[0])))
