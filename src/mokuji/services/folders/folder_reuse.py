"""Acts on a plain folder that say things once: categories and slots renamed, text extracted and put back; and where
templates and repeated text stand."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from mokuji.core.assembly.inserts import Fault
from mokuji.core.base import names
from mokuji.core.base.spans import Lines
from mokuji.core.model.categories import Filing as How
from mokuji.core.model.categories import Node, filed, tree
from mokuji.core.model.references import inserts_of
from mokuji.core.reports.repeats import Repeat, repeats
from mokuji.core.reports.uses import use
from mokuji.services.folders.folders import load, page_called, pages_of, volume_called


def uses_in(folder: Path, template: str) -> Iterator[tuple[str, int, dict[str, str], tuple[Fault, ...]]]:
    """Where a page is put in: file, line, the values given there, what is wrong about them."""
    found = load(folder)
    page = found.wiki.pages_by_id[page_called(found, template).id]
    for user, index in inserts_of(found.wiki, page):
        span = user.content.references[index].span
        told = use(span.of(user.text), page, found.wiki.volumes)
        line = Lines(user.text).position(span.start).line
        yield found.paths[user.head.id], line, dict(told.values), told.faults


def repeats_in(folder: Path) -> Iterator[tuple[Repeat, list[tuple[str, int]]]]:
    """Text that stands in several places, what saves most first, with files and lines."""
    found = load(folder)
    for repeat in repeats(found.wiki.pages_by_id.values()):
        places = []
        for head, span in repeat.places:
            line = Lines(found.wiki.pages_by_id[head.id].text).position(span.start).line
            places.append((found.paths[head.id], line))
        yield repeat, places


def categories_in(folder: Path, *, volume: str = "") -> Iterator[tuple[Node, str, int]]:
    """The categories of a volume as a tree: each with its name and how many pages are filed there by themselves."""
    found = load(folder)
    written: dict[str, str] = {}
    pages: dict[str, set[int]] = {}
    broader: dict[str, list[str]] = {}
    for page in pages_of(found, volume_called(found, volume)):
        for each in filed(page.content):
            if each.how in {How.PAGE, How.MARK}:
                written.setdefault(each.key, names.as_title(each.name))
                pages.setdefault(each.key, set()).add(page.head.id)
            elif each.how is How.BROADER:
                broader.setdefault(page.head.key, []).append(each.key)
                written.setdefault(each.key, names.as_title(each.name))
    known = {key: wider for key, wider in broader.items() if key in written}
    for node in tree(written, known)[0]:
        yield node, written.get(node.key, names.as_title(node.key)), len(pages.get(node.key, ()))
