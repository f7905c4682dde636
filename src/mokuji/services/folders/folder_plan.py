"""A plan on a folder: the files that it changes, what it says of them, and writing them, all or none."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Lines
from mokuji.core.model.changes import ChangeSet, Fate
from mokuji.core.refactor.plan import Plan
from mokuji.formats.folder_base import PAGES_FILE, NowAt, in_step
from mokuji.formats.folder_wiki import changed_files, path_after
from mokuji.services.folders import folder_writing
from mokuji.services.folders.context import FolderContext
from mokuji.services.folders.folders import SOURCE_FILES, Loaded


@dataclass(frozen=True)
class FolderPlan:
    """A plan on a folder, and the files that it changes: their new text, or None for such as go. ``moved`` and
    ``copied`` are files that are no texts, by the path that they will have; ``others`` texts that are neither pages
    nor about volumes, as they are."""

    folder: Path
    loaded: Loaded
    plan: Plan
    files: Mapping[str, str | None]
    moved: Mapping[str, str] = field(default_factory=dict)
    copied: Mapping[str, str] = field(default_factory=dict)
    others: Mapping[str, str] = field(default_factory=dict)
    base: tuple[str, str] | None = None
    """What lies beside the pages of a folder that Mokuji wrote: as it is, and as it will be."""

    def before(self, path: str) -> str:
        """The text of a file as it is; empty for one that is not there."""
        if path in self.others:
            return self.others[path]
        by_path = {each: id_ for id_, each in self.loaded.paths.items()}
        if path in by_path:
            return self.loaded.wiki.pages_by_id[by_path[path]].text
        for volume in self.loaded.index.volumes.values():
            if path == volume.at("contents.md"):
                return volume.contents_text or ""
            if path == volume.at("volume.yaml"):
                return volume.settings_text or ""
        return ""


def made(context: FolderContext, plan: Plan) -> FolderPlan:
    """A plan with the files that it changes."""
    changes = plan.change_set
    only_places = not (changes.changes or changes.removed or changes.assets)
    files = changed_files(context.loaded.index, changes, place_all=only_places)
    lists = _source_lists(context.folder)
    moved, copied = {}, {}
    for asset in changes.assets:
        if asset.after is None or asset.after.sort != "file":
            continue
        if asset.before is not None:
            moved[context.path_of(asset.after)] = context.path_of(asset.before)
        elif (path := context.holding(asset.after.content)) is not None:
            copied[context.path_of(asset.after)] = path
    written = {**files, **_sources(lists, changes)}
    base = _base(context, changes, files)
    return FolderPlan(context.folder, context.loaded, plan, written, moved, copied, lists, base)


def _base(
    context: FolderContext, changes: ChangeSet, files: Mapping[str, str | None]
) -> tuple[str, str] | None:
    """Keeps what lies beside the pages in step with their files."""
    lies = context.folder / PAGES_FILE
    if not lies.is_file() or not lies.resolve().is_relative_to(context.folder.resolve()):
        return None
    data = lies.read_bytes()
    paths = context.loaded.paths
    became: dict[str, NowAt | None] = {paths[removed.head.id]: None for removed in changes.removed}
    gone = {path for path, text in files.items() if text is None}
    for change in changes.changes:
        if change.fate is Fate.MADE:
            continue
        old = paths[change.head.id]
        new = path_after(context.loaded.index, change, old) if old in gone else old
        became[old] = NowAt(new, files.get(new) or change.after, change.title)
    made = in_step(data, became)
    before = data.decode("utf-8", "replace")
    return None if made == before else (before, made)


def _source_lists(folder: Path) -> dict[str, str]:
    paths = (path for path in SOURCE_FILES if (folder / path).is_file())
    return {path: (folder / path).read_text(encoding="utf-8") for path in paths}


def _sources(lists: Mapping[str, str], changes: ChangeSet) -> dict[str, str]:
    """The lists of sources in which some are called otherwise; nothing else in them changes."""
    changed: dict[str, str] = {}
    for asset in changes.assets:
        if asset.before is None or asset.after is None or asset.before.sort != "source" or not asset.renamed:
            continue
        before = {**lists, **changed}
        after = {
            path: _renamed(path, text, asset.before.name, asset.after.name) for path, text in before.items()
        }
        if after == before:
            raise Refused(
                f"Where “{asset.before.name}” gets its name in the list cannot be told. Rename it there.",
                code="bad_sources",
            )
        changed |= {path: text for path, text in after.items() if text != lists[path]}
    return changed


def _renamed(path: str, text: str, old: str, new: str) -> str:
    """A list of sources in which one is called otherwise; nothing else changes."""
    if path.endswith(".json"):
        pattern = rf'("(?:id|citation-key)"\s*:\s*"){re.escape(old)}(")'
    else:
        pattern = rf"(@\s*\w+\s*[{{(]\s*){re.escape(old)}(\s*,)"
    return re.sub(pattern, lambda found: f"{found[1]}{new}{found[2]}", text)


def as_diff(plan: FolderPlan) -> Iterator[str]:
    """The changed files as a unified diff."""
    for path in sorted(plan.files):
        text = plan.files[path]
        before, after = plan.before(path), text or ""
        yield from difflib.unified_diff(
            before.splitlines(),
            after.splitlines(),
            path if before or (plan.folder / path).exists() else "/dev/null",
            path if text is not None else "/dev/null",
            lineterm="",
        )


def lines_of(plan: FolderPlan) -> Iterator[str]:
    """The references that lead elsewhere afterwards, a line each."""
    for references, words in (
        (plan.plan.captured, "led nowhere and leads to a page now"),
        (plan.plan.lost, "leads nowhere now"),
        (plan.plan.followed.lost_sections, "leads to a section that is gone"),
        (plan.plan.followed.resettled, "is unwritten, and would be written in another volume now"),
        (plan.plan.followed.released, "leads nowhere again"),
        (plan.plan.followed.returned, "leads again where it led before"),
        (plan.plan.followed.other_texts, "put in a text that its readers do not see there any more"),
    ):
        for reference in references:
            page = plan.loaded.wiki.pages_by_id[reference.page.id]
            at = Lines(page.text).position(reference.span.start)
            yield (
                f"{plan.loaded.paths[reference.page.id]}:{at.line}:{at.column}: {reference.span.of(page.text)} {words}."
            )


def apply(plan: FolderPlan) -> None:
    """Writes the files of a plan, all or none.

    Refused, with nothing changed, if a file is no longer as it was read.
    """
    before = {path: plan.before(path) for path in plan.files}
    texts = dict(plan.files)
    if plan.base is not None:
        before[PAGES_FILE], texts[PAGES_FILE] = plan.base
    folder_writing.write(
        plan.folder, plan.plan.act, texts, before=before, copied=plan.copied, moved=plan.moved
    )
