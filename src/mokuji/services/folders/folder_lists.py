"""What pages of a plain folder hold: files and sources renamed, tasks gathered, fields as a table."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path

from mokuji.core.assembly.listing import ListedPage, Query, arrange, fields
from mokuji.core.base import names
from mokuji.core.base.errors import Missing
from mokuji.core.language.page import Page
from mokuji.core.language.task_words import plain_words
from mokuji.core.model.categories import Filing, filed
from mokuji.formats.tasks import TaskLine
from mokuji.services.folders.folders import load, pages_of, volume_called


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
    rows: tuple[ListedPage, ...]
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
    shown = (field, *(column for column in columns if column != field))
    ordered, _ = arrange(rows, Query(sort=sort or field, limit=len(rows)))
    return FolderTable(shown, tuple(ordered), found.paths)


def _rows(pages: list[Page], field: str, value: str) -> Iterator[ListedPage]:
    for page in pages:
        told = fields(page.content.front_matter)
        if field in told and (not value or names.key(value) in map(names.key, told[field])):
            words = {name: ", ".join(each) for name, each in told.items()}
            yield ListedPage(page.head, page.content.front_matter.words("summary"), words)
