"""Acts on a plain folder that say things once: categories and slots renamed, text extracted and put back; and where
templates and repeated text stand."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from mokuji.core.assembly.inserts import Fault
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.base.spans import Lines, Span
from mokuji.core.language.page import Page
from mokuji.core.model.categories import Filing as How
from mokuji.core.model.categories import Node, filed, tree
from mokuji.core.model.references import inserts_of
from mokuji.core.model.wiki import Volume
from mokuji.core.refactor.plans.category import rename_category
from mokuji.core.refactor.plans.extract import Wanted, extract, words_of
from mokuji.core.refactor.plans.inline import inline_everywhere
from mokuji.core.refactor.plans.slot import rename_slot
from mokuji.core.reports.repeats import Repeat, repeats
from mokuji.core.reports.uses import use
from mokuji.services.folders.folders import FolderPlan, Loaded, load, made, page_called


def plan_category(folder: Path, old: str, new: str, *, volume: str = "") -> FolderPlan:
    """The plan to give a category of a volume another name, or that of another one."""
    found = load(folder)
    home, key = volume_called(found, volume), names.key(old)
    known: dict[str, str] = {}
    naming: list[int] = []
    for page in pages_of(found, home):
        told = {each.key: each.name for each in filed(page.content) if each.key}
        known |= {each: name for each, name in told.items() if each not in known}
        if key in told:
            naming.append(page.head.id)
    if not naming:
        raise Missing(f"Nothing in “{home.title}” is filed under “{old}”.", code="category_missing")
    to = known.get(names.key(new), new) if names.key(new) != key else new
    return made(folder, found, rename_category(found.wiki, key, to, naming, name=known[key]))


def plan_slot(folder: Path, template: str, old: str, new: str) -> FolderPlan:
    """The plan to call a slot of a template otherwise."""
    found = load(folder)
    return made(folder, found, rename_slot(found.wiki, page_called(found, template).id, old, new))


def plan_inline(folder: Path, page: str, *, trash: bool = False) -> FolderPlan:
    """The plan to replace all inserts of a page by its text; with ``trash`` its file goes if none is left."""
    found = load(folder)
    return made(folder, found, inline_everywhere(found.wiki, page_called(found, page).id, trash=trash))


def plan_extract(
    folder: Path,
    page: str,
    title: str,
    lines: tuple[int, int],
    *,
    template: bool = True,
    slots: Sequence[tuple[str, str]] = (),
    everywhere: bool = False,
) -> FolderPlan:
    """The plan to make a template or page of some lines of a page (from 1, both included); with ``everywhere`` the
    same text is replaced wherever it stands."""
    found = load(folder)
    here = found.wiki.pages_by_id[page_called(found, page).id]
    count = here.text.count("\n") + 1
    first, last = lines
    if not 1 <= first <= last <= count:
        raise Refused(
            f"“{here.head.title}” has {count} lines: give two of them, such as 5-9.", code="nothing_selected"
        )
    at = Lines(here.text)
    passage = Span(at.line_span(first).start, at.line_span(last).end)
    wanted = Wanted(title, template, tuple(slots))
    every = list(found.wiki.pages_by_id) if words_of(here, passage, wanted) else []
    plan = extract(found.wiki, here.head.id, passage, wanted, offer=every)
    if everywhere:
        rows = [row.id for row in plan.rows]
        plan = extract(found.wiki, here.head.id, passage, wanted, rows=rows, offer=every)
    return made(folder, found, plan)


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
    for each in repeats(found.wiki.pages_by_id.values()):
        places = []
        for head, span in each.places:
            line = Lines(found.wiki.pages_by_id[head.id].text).position(span.start).line
            places.append((found.paths[head.id], line))
        yield each, places


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


def pages_of(found: Loaded, volume: Volume) -> list[Page]:
    """The pages of a volume of a folder."""
    return [page for page in found.wiki.pages_by_id.values() if page.head.volume == volume.id]


def volume_called(found: Loaded, typed: str) -> Volume:
    """The volume that is called so, or the only one; Missing or Refused say why there is none."""
    volumes = found.wiki.volumes
    if typed:
        volume = volumes.get(names.key(typed))
        if volume is None:
            raise Missing(f"There is no volume “{typed}” in the folder.", code="volume_missing")
        return volume
    if len(volumes) > 1:
        titles = ", ".join(f"“{each.title}”" for each in volumes.values())
        raise Refused(f"Say in which volume with --volume: {titles}.", code="ambiguous")
    return next(iter(volumes.values()))
