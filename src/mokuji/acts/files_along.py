"""Files that come along: copies of those that pages name which go to another volume, and of those whose name says a
title that is renamed.

They are a change of the plan like any other. One that is called as another file in the target volume gets a free name
(``copies``); all others keep theirs (``with_files``).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from mokuji.acts.context import PlanningContext
from mokuji.core.base.edits import Edit, arrange
from mokuji.core.language.page import Page
from mokuji.core.model.assets import Asset, AssetChange, Copies, renaming
from mokuji.core.model.changes import Fate
from mokuji.core.refactor.plan import Plan
from mokuji.core.syntax import files as naming


def copies(context: PlanningContext, pages: Iterable[Page], target: int) -> Copies:
    """What pages that go to volume ``target`` must name otherwise there, and the files that are copied under a free
    name for it. All others keep their names."""
    edits: dict[int, list[Edit]] = {}
    made: dict[tuple[int, str], Asset] = {}
    taken: set[str] = set()
    for page in pages:
        source = page.head.volume
        keys = {destination.key for destination in page.content.destinations} if source != target else set()
        if not keys:
            continue
        here, there = context.files(source, keys), context.files(target, keys)
        for key in sorted(here.keys() & there.keys()):
            old = here[key]
            if old.content == there[key].content:
                continue
            if (source, key) not in made:
                name = _free(context, old.name, (source, target), taken)
                taken.add(naming.key(name))
                made[source, key] = Asset("file", 0, target, name, old.content)
            edits.setdefault(page.head.id, []).extend(renaming(page, old, made[source, key].name))
    changes = tuple(AssetChange(None, asset) for asset in made.values())
    return Copies({id_: arrange(each) for id_, each in edits.items()}, changes)


def _free(context: PlanningContext, name: str, volumes: tuple[int, int], taken: set[str]) -> str:
    """A name with a number that no file has in either volume."""
    number = 2
    while True:
        wanted = naming.numbered(name, number)
        key = naming.key(wanted)
        if key not in taken and not any(context.files(volume, [key]) for volume in volumes):
            return wanted
        number += 1


def with_files(context: PlanningContext, plan: Plan) -> Plan:
    """A plan with the files that its pages bring along to another volume, by themselves or into another page. What is
    called so there already stays."""
    changes = plan.change_set
    ways = [(each.head.volume, each) for each in changes.changes if each.fate is Fate.KEPT]
    by_id = {each.head.id: each for each in changes.changes}
    # A page that only references are led to takes nothing in, and who leads them there need not write in its volume.
    into = [
        (removed_page.head.volume, by_id.get(removed_page.successor or 0)) for removed_page in changes.removed
    ]
    ways += [(source, change) for source, change in into if change is not None and change.own]
    wanted: dict[tuple[int, int], set[str]] = {}
    for source, change in ways:
        target = change.volume_after
        if source != target and "](" in change.after:
            wanted.setdefault((source, target), set()).update(naming.names_in(change.after))
    taken = {(asset.after.volume, asset.after.key) for asset in changes.assets if asset.after is not None}
    found: list[AssetChange] = []
    for (source, target), keys in sorted(wanted.items()):
        there = context.files(target, keys)
        for key, file in sorted(context.files(source, keys).items()):
            if key not in there and (target, key) not in taken:
                taken.add((target, key))
                found.append(AssetChange(None, Asset("file", 0, target, file.name, file.content)))
    return _with(plan, found)


def with_renamed_files(context: PlanningContext, plan: Plan) -> Plan:
    """A plan with the files that names in its texts lead to which say another title now: what they name is called so,
    too."""
    changes: dict[tuple[int, str], AssetChange] = {}
    for change in plan.change_set.rewritten:
        volume = change.volume_after
        pairs = [(naming.key(old), new) for old, new in naming.renamed_in(change.before, change.after)]
        known = context.files(volume, {key for key, _ in pairs})
        there = context.files(volume, {naming.key(new) for _, new in pairs})
        for key, new in pairs:
            if key in known and naming.key(new) not in there:
                copy = Asset("file", 0, volume, new, known[key].content)
                changes.setdefault((volume, copy.key), AssetChange(None, copy))
    return _with(plan, list(changes.values()))


def _with(plan: Plan, copied: Sequence[AssetChange]) -> Plan:
    if not copied:
        return plan
    changes = plan.change_set
    return replace(plan, change_set=replace(changes, assets=(*changes.assets, *copied)))
