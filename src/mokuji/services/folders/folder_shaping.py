"""Acts on a plain folder that shape its pages: sections made pages and pages sections, pages made and taken away, other
names, references led elsewhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.language.headings import words as words_of
from mokuji.core.language.page import Page
from mokuji.core.language.scan import check_page
from mokuji.core.model.wiki import Place
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import References, delete
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.retarget import Retargeted, retarget
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.split import Leave, split
from mokuji.services.folders.folder_reuse import volume_called
from mokuji.services.folders.folders import FolderPlan, Loaded, files_along, load, made, page_called


def plan_split(
    folder: Path,
    page: str,
    section: str,
    title: str = "",
    *,
    leave: Leave = "link",
    present_words: bool = False,
) -> FolderPlan:
    """The plan to make a page of a section; without a title it is called after its heading."""
    found = load(folder)
    here = _page(found, page)
    index = _heading(found, here, section)
    title = title or _words(found, here, index)
    return made(
        folder, found, split(found.wiki, here.head.id, index, title, leave=leave, present_words=present_words)
    )


def plan_join(folder: Path, page: str, into: str, *, present_words: bool = False) -> FolderPlan:
    """The plan to make a page a section of another."""
    found = load(folder)
    one, other = _page(found, page), page_called(found, into)
    along, copied = files_along(folder, found, one, other.volume)
    rows = found.index.rows(one.head.volume)
    plan = join(found.wiki, one.head.id, other.id, present_words=present_words, rows=rows, copies=along)
    return replace(made(folder, found, plan), copied=copied)


def plan_delete(
    folder: Path, page: str, *, references: References = "leave", to: str = "", branch: bool = False
) -> FolderPlan:
    """The plan to take a page away (with its ``branch`` of the contents), and to leave the references to it, to make
    words of them, or to lead them ``to`` another page."""
    found = load(folder)
    head = page_called(found, page)
    ids = [head.id]
    if branch:
        ids += _below(found, (head.volume, head.key))
    if references == "retarget" and not to.strip():
        raise Refused("Say with --to which page the references are to lead to.", code="target_missing")
    target = page_called(found, to).id if references == "retarget" else None
    return made(folder, found, delete(found.wiki, ids, references=references, target=target))


def _below(found: Loaded, place: Place) -> list[int]:
    """The pages that stand below a name in the contents of its volume, in order."""
    rows = found.index.rows(place[0])
    at = next((n for n, row in enumerate(rows) if row.key == place[1]), None)
    if at is None:
        return []
    below = []
    for row in rows[at + 1 :]:
        if row.depth <= rows[at].depth:
            break
        below.append((place[0], row.key))
    heads = found.wiki.titles(below)
    return [heads[each].id for each in below if each in heads]


def plan_retarget(
    folder: Path, name: str, to: str, *, volume: str = "", present_words: bool = False
) -> FolderPlan:
    """The plan to lead all references to a page, or to a name that is not written, to another page."""
    found = load(folder)
    target = page_called(found, to)
    place, title = _place(found, name, volume)
    plan = retarget(found.wiki, place, target.id, present_words=present_words)
    assert isinstance(plan.facts, Retargeted)
    return made(folder, found, replace(plan, facts=replace(plan.facts, name=title)))


def _place(found: Loaded, name: str, volume: str) -> tuple[Place, str]:
    """What a name means as it is typed: a page, or a name without one, in a volume."""
    try:
        head = page_called(found, f"{volume}/{name}" if volume else name)
    except Missing:
        first, slash, rest = name.partition("/")
        inside = found.wiki.volumes.get(names.key(first)) if slash and not volume else None
        home = inside or volume_called(found, volume)
        title = rest if inside is not None else name
        return (home.id, names.key(names.check_title(title))), title.strip()
    return (head.volume, head.key), head.title


def plan_section(
    folder: Path, page: str, section: str, words: str, *, present_words: bool = False
) -> FolderPlan:
    """The plan to give a heading other words."""
    found = load(folder)
    here = _page(found, page)
    index = _heading(found, here, section)
    return made(
        folder, found, rename_section(found.wiki, here.head.id, index, words, present_words=present_words)
    )


def plan_aliases(folder: Path, page: str, *, add: Sequence[str] = (), drop: Sequence[str] = ()) -> FolderPlan:
    """The plan to give a page more other names, and to take some from it. Missing for one that it has not."""
    found = load(folder)
    here = _page(found, page)
    now = {names.key(each): each for each in here.content.front_matter.names("aliases")}
    for each in drop:
        if names.key(each) not in now:
            raise Missing(f"“{here.head.title}” has no other name “{each}”.", code="alias_missing")
        del now[names.key(each)]
    wanted = now | {names.key(each): each for each in add if names.key(each) not in now}
    return made(folder, found, set_aliases(found.wiki, here.head.id, list(wanted.values())))


def plan_create(folder: Path, title: str, text: str = "", *, volume: str = "", under: str = "") -> FolderPlan:
    """The plan to write a new page; references that asked for its name lead to it then."""
    found = load(folder)
    home = volume_called(found, volume)
    check_page(text)
    key = names.key(under)
    if key and key not in {row.key for row in found.index.rows(home.id, listed=False)}:
        raise Missing(f"“{under}” has no place in the contents.", code="place_missing")
    return made(folder, found, create(found.wiki, home.id, title, text, under=key or None))


def _page(found: Loaded, typed: str) -> Page:
    return found.wiki.pages_by_id[page_called(found, typed).id]


def _words(found: Loaded, page: Page, index: int) -> str:
    headings = page.content.headings
    return words_of(headings[index], page.text, page.content.references, found.wiki.volumes)


def _heading(found: Loaded, page: Page, section: str) -> int:
    """The heading with these words, this identifier (``#limits``), or this number, counted from 1 (``2.``)."""
    headings = page.content.headings
    number = section.strip().removesuffix(".")
    if section.strip().endswith(".") and number.isdecimal():
        if 1 <= int(number) <= len(headings):
            return int(number) - 1
        raise Missing(f"“{page.head.title}” has no heading number {number}; it has {len(headings)}.")
    if section.startswith("#"):
        matching = [n for n, each in enumerate(headings) if each.id == section[1:]]
    else:
        key = names.key(section)
        matching = [n for n in range(len(headings)) if names.key(_words(found, page, n)) == key]
    if not matching:
        known = "; ".join(f"{n + 1}. {_words(found, page, n)}" for n in range(len(headings)))
        raise Missing(
            f"“{page.head.title}” has no section “{section}”. It has {f'these: {known}' if known else 'none'}.",
            code="section_missing",
        )
    if len(matching) > 1:
        numbers = ", ".join(f"“{n + 1}.”" for n in matching)
        raise Refused(
            f"“{page.head.title}” has several sections “{section}”. Name one by its number: {numbers}.",
            code="ambiguous",
        )
    return matching[0]
