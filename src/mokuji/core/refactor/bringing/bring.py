"""Bring back: a folder's pages come into a volume as one act; references follow what was renamed there."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from mokuji.core.base import names
from mokuji.core.base.edits import Edit
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.assets import AssetChange, renaming
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import Placing
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.bringing.carrying import composed, words_of
from mokuji.core.refactor.bringing.comparing import Comparison, Item
from mokuji.core.refactor.engine.composing import Composition, Words
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import Plan, make


@dataclass(frozen=True, slots=True)
class BroughtBack(Facts):
    """Pages that came back from a folder: what that was called; how many pages are new, have another text, another
    title, or go; how many files came, changed or went; and how much of it was left out."""

    folder: str
    new: int
    changed: int
    renamed: int
    gone: int
    files: int = 0
    left_out: int = 0


def bring(
    wiki: Wiki,
    volume: int,
    comparison: Comparison,
    *,
    folder: str,
    contents: Sequence[Placing] = (),
    assets: Sequence[AssetChange] = (),
    naming: Mapping[int, Sequence[int]] | None = None,
    left_out: int = 0,
    asked: Sequence[object] = (),
) -> Plan:
    """The plan to bring back what was compared. ``naming`` says by file which pages name those that are renamed.

    What somebody has to choose and has not is in conflict, and stays as it is."""
    done = [item for item in comparison.items if item.done]
    coming = [item for item in done if item.kind != "gone"]
    known = wiki.pages({item.page.id for item in coming if item.page is not None})
    heads: dict[int, PageHead] = {}
    texts: dict[int, Composition] = {}
    fates: dict[int, Fate] = {}
    changed = 0
    for item in coming:
        if item.page is None:
            id_ = -len(fates)
            heads[id_] = PageHead(id_, volume, names.key(item.title), item.title, 0)
            fates[id_] = Fate.MADE
            texts[id_] = [Words(words_of(item.text, comparison.called))]
            continue
        page = known[item.page.id]
        if item.renamed:
            heads[page.head.id] = replace(page.head, key=names.key(item.title), title=item.title)
        if item.text != page.text:
            changed += 1
            texts[page.head.id] = composed(page, item.text, comparison.called)
    gone = frozenset(item.page.id for item in done if item.kind == "gone" and item.page is not None)
    edits = _files_called(wiki, assets, naming or {}, gone)
    facts = BroughtBack(
        folder,
        len(fates),
        changed,
        sum(1 for item in coming if item.renamed),
        len(gone),
        len([each for each in assets if _sort(each) == "file"]),
        left_out + sum(1 for item in comparison.items if not item.done and not item.open),
    )
    plan = make(
        wiki,
        "bring back",
        None,
        Outcome(heads=heads, gone=gone, texts=texts, edits=edits, fates=fates),
        asked=(folder, *asked, *(_told(item) for item in comparison.items)),
        contents=contents,
        assets=assets,
        facts=facts,
    )
    conflicts = tuple(item.page for item in comparison.open if item.page is not None)
    return replace(plan, conflicts=conflicts, free=frozenset(id_ for id_ in texts if id_ > 0))


def _told(item: Item) -> str:
    return f"{item.id} {item.kind} {item.clash} {item.chosen} {item.title}"


def _sort(change: AssetChange) -> str:
    side = change.after or change.before
    assert side is not None
    return side.sort


def _files_called(
    wiki: Wiki, assets: Sequence[AssetChange], naming: Mapping[int, Sequence[int]], gone: frozenset[int]
) -> dict[int, tuple[Edit, ...]]:
    """What makes pages name files by the names that those get."""
    found: dict[int, list[Edit]] = {}
    for change in assets:
        if change.renamed and change.before is not None and change.after is not None:
            pages = wiki.pages([id_ for id_ in naming.get(change.before.id, ()) if id_ not in gone])
            for id_, page in sorted(pages.items()):
                found.setdefault(id_, []).extend(_called(page, change))
    return {id_: tuple(sorted(set(each), key=lambda edit: edit.span)) for id_, each in found.items() if each}


def _called(page: Page, change: AssetChange) -> Sequence[Edit]:
    assert change.before is not None and change.after is not None
    return renaming(page, change.before, change.after.name)
