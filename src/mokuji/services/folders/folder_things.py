"""What pages of a plain folder hold: files and sources renamed, tasks gathered, fields as a table."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime
from pathlib import Path

from mokuji.core.assembly.listing import Query, Row, arrange, fields
from mokuji.core.base import names
from mokuji.core.base.errors import Missing, Refused
from mokuji.core.language import files as file_names
from mokuji.core.language.destinations import destinations
from mokuji.core.language.page import Page
from mokuji.core.language.pointers import source_key
from mokuji.core.model.categories import Filing, filed
from mokuji.core.model.things import Thing
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.things import ThingChanged, change_thing
from mokuji.formats.tasks import TaskLine
from mokuji.services.folders.folder_reuse import pages_of, volume_called
from mokuji.services.folders.folders import SOURCE_FILES, FolderPlan, load, made, sources_of
from mokuji.services.writing.tasks import plain_words


def plan_file(folder: Path, old: str, new: str, *, volume: str = "") -> FolderPlan:
    """The plan to give a file in ``files/`` of a volume another name; its ending stays, and what names it follows."""
    found = load(folder)
    home = volume_called(found, volume)
    top = found.index.volumes[home.id].at("files")
    there = {file_names.key(path.name): path.name for path in (folder / top).glob("*") if path.is_file()}
    name = there.get(file_names.key(old))
    if name is None:
        raise Missing(f"There is no file “{old}” in {top}/.", code="file_missing")
    end = file_names.ending(name)
    wanted = new.strip() if not end or file_names.ending(new.strip()) == end else f"{new.strip()}.{end}"
    thing = Thing("file", 1, home.id, name)
    holder = there.get(file_names.key(wanted))
    taken = Thing("file", 2, home.id, holder) if holder is not None and holder != name else None
    naming = [
        page.head.id
        for page in pages_of(found, home)
        if any(each.key == thing.key for each in destinations(page.text, page.content))
    ]
    plan = change_thing(found.wiki, "file rename", thing, naming, name=wanted, taken=taken)
    after = _name_of(plan)
    moved = {f"{top}/{after}": f"{top}/{name}"} if after != name else {}
    return replace(made(folder, found, plan), moved=moved)


def _name_of(plan: Plan) -> str:
    """The name that a thing has afterwards, as it is kept."""
    assert isinstance(plan.facts, ThingChanged)
    return plan.facts.after


def plan_source(folder: Path, old: str, new: str) -> FolderPlan:
    """The plan to give a source of the folder's list another name; what cites it follows."""
    found = load(folder)
    told = sources_of(folder)
    if source_key(old) not in told:
        raise Missing(f"There is no source “{old}” in the list of the folder.", code="source_missing")
    name = told[source_key(old)][0]
    holder = told.get(source_key(new))
    taken = Thing("source", 2, 0, holder[0]) if holder is not None and holder[0] != name else None
    thing = Thing("source", 1, 0, name)
    naming = [
        page.head.id
        for page in found.wiki.pages_by_id.values()
        if "[^" in page.text and any(each.key == thing.key for each in page.content.cites)
    ]
    plan = change_thing(found.wiki, "source rename", thing, naming, name=new, taken=taken)
    lists = {
        path: (folder / path).read_text(encoding="utf-8")
        for path in SOURCE_FILES
        if (folder / path).is_file()
    }
    wanted = _name_of(plan)
    after = {path: _renamed(path, text, name, wanted) for path, text in lists.items()}
    changed = {path: text for path, text in after.items() if text != lists[path]}
    if wanted != name and not changed:
        raise Refused(
            f"Where “{name}” gets its name in the list cannot be told. Rename it there.", code="bad_sources"
        )
    plan_made = made(folder, found, plan)
    return replace(plan_made, files={**plan_made.files, **changed}, others=lists)


def _renamed(path: str, text: str, old: str, new: str) -> str:
    """A list of sources in which one is called otherwise; nothing else changes."""
    if path.endswith(".json"):
        pattern = rf'("(?:id|citation-key)"\s*:\s*"){re.escape(old)}(")'
    else:
        pattern = rf"(@\s*\w+\s*[{{(]\s*){re.escape(old)}(\s*,)"
    return re.sub(pattern, lambda found: f"{found[1]}{new}{found[2]}", text)


def tasks_in(folder: Path, *, person: str = "", done: bool = False) -> list[tuple[str, int, TaskLine]]:
    """The tasks of a folder, late ones first: path and line of each, and what it says."""
    found = load(folder)
    volumes = {volume.id: volume for volume in found.wiki.volumes.values()}
    now = datetime(1970, 1, 1, tzinfo=UTC)
    told: list[tuple[str, int, TaskLine]] = []
    alike: Counter[tuple[int, str]] = Counter()
    for page in found.wiki.pages_by_id.values():
        for task in page.content.tasks if "[" in page.text else ():
            if task.done != done or (person and person.casefold() not in task.people):
                continue
            words = plain_words(page, task)
            alike[page.head.id, words] += 1
            line = TaskLine(
                page.head.id,
                alike[page.head.id, words],
                words,
                page.head.title,
                volumes[page.head.volume].title,
                found.paths[page.head.id],
                task.done,
                task.priority,
                task.due,
                task.people,
                tuple(each.name for each in filed(page.content) if each.how is Filing.PAGE and each.key),
                now,
            )
            told.append((found.paths[page.head.id], page.text.count("\n", 0, task.box.start) + 1, line))
    return sorted(told, key=lambda each: (each[2].due or date.max, each[2].priority or "~", each[0], each[1]))


@dataclass(frozen=True)
class FolderTable:
    """The pages of a volume that have a field, with others of their fields, in an order."""

    columns: tuple[str, ...]
    rows: tuple[Row, ...]
    paths: Mapping[int, str]


def table_of(
    folder: Path,
    field: str,
    *,
    volume: str = "",
    columns: tuple[str, ...] = (),
    value: str = "",
    sort: str = "",
) -> FolderTable:
    """The pages of a volume that have a field; ``value`` chooses those where it says that. Missing if none has it."""
    found = load(folder)
    home = volume_called(found, volume)
    rows = list(_rows(pages_of(found, home), field, value))
    if not rows:
        raise Missing(f"No page of “{home.title}” has a field “{field}”{f' “{value}”' if value else ''}.")
    shown = (field, *(each for each in columns if each != field))
    ordered, _ = arrange(rows, Query(sort=sort or field, limit=len(rows)))
    return FolderTable(shown, tuple(ordered), found.paths)


def _rows(pages: list[Page], field: str, value: str) -> Iterator[Row]:
    for page in pages:
        told = fields(page.content.front_matter)
        if field in told and (not value or names.key(value) in map(names.key, told[field])):
            words = {name: ", ".join(each) for name, each in told.items()}
            yield Row(page.head, page.content.front_matter.words("summary"), words)
