"""What of a plan may be seen: the only form of one that leaves the acts.

It is built of what may be shown, never of a plan from which something was hidden:
a part of a plan that is not named here cannot come into words, pages or JSON.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from mokuji.core.base.phrases import told
from mokuji.core.language.page import PageHead
from mokuji.core.model.changes import Fate
from mokuji.core.model.contents import Placing
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import AffectedReference
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan
from mokuji.services.reading.reference_lists import Listed, listed

if TYPE_CHECKING:
    from mokuji.acts.view import PlanView


@dataclass(frozen=True, slots=True)
class VisiblePlan:
    """A plan for who reads some volumes.

    ``facts`` tell of what was asked for, ``contents`` and ``rows`` of volumes that may be read. ``conflicts`` are pages
    whose text could not be brought together; ``hidden_conflicts`` says how many more there are.
    """

    act: str
    digest: str
    facts: Facts
    contents: tuple[Placing, ...]
    rows: tuple[OptionalChange, ...]
    sections: int
    conflicts: tuple[PageHead, ...]
    hidden_conflicts: int
    nothing_to_do: bool
    only_places: bool
    """Whether nothing but places in the contents changes."""
    copied: tuple[str, ...] = ()
    """Names of the files that are copied along to volumes that may be read."""

    @property
    def in_the_way(self) -> int:
        """How many pages keep it from being done."""
        return len(self.conflicts) + self.hidden_conflicts


def visible(plan: Plan, readable: Collection[int], *, without: Collection[int] = ()) -> VisiblePlan:
    """A plan for who may read these volumes, but not the pages ``without`` whose texts of before are closed to them."""
    changes = plan.change_set
    conflicts = tuple(page for page in plan.conflicts if page.volume in readable and page.id not in without)
    return VisiblePlan(
        act=plan.act,
        digest=plan.digest,
        facts=plan.facts.seen(readable),
        contents=tuple(each for each in changes.contents if each.volume in readable),
        rows=tuple(row for row in plan.rows if row.page.volume in readable),
        sections=plan.followed.sections,
        conflicts=conflicts,
        hidden_conflicts=len(plan.conflicts) - len(conflicts),
        nothing_to_do=plan.nothing_to_do,
        copied=tuple(
            asset.after.name
            for asset in changes.assets
            if asset.before is None and asset.after is not None and not asset.after.id
            if asset.after.sort == "file" and asset.after.volume in readable
        ),
        only_places=not (changes.changes or changes.removed or changes.volumes or changes.assets),
    )


def seen(
    empty: PlanView, plan: Plan, wiki: Wiki, *, home: int = 0, without: Collection[int] = ()
) -> PlanView:
    """The view of a plan for who may read its volumes, but not the texts of the pages ``without``: own changes first,
    then those in the volume in hand (``home``)."""
    readable = empty.volumes.keys()
    rewritten = [
        change for change in plan.change_set.changes if change.text_changed or change.fate is not Fate.KEPT
    ]
    shown = [
        change for change in rewritten if change.head.volume in readable and change.head.id not in without
    ]
    hidden = [
        change for change in rewritten if change.head.volume not in readable or change.head.id in without
    ]

    def lines(found: Iterable[AffectedReference]) -> tuple[Listed, ...]:
        return listed(wiki, [reference for reference in found if reference.page.volume in readable])

    followed = plan.followed
    return replace(
        empty,
        plan=visible(plan, readable, without=without),
        changes=tuple(sorted(shown, key=lambda each: (not each.own, each.head.volume != home))),
        removed=tuple(
            removed_page for removed_page in plan.change_set.removed if removed_page.head.volume in readable
        ),
        captured=lines(followed.captured),
        lost=lines(followed.lost),
        lost_sections=lines(followed.lost_sections),
        other_texts=lines(followed.other_texts),
        resettled=lines(followed.resettled),
        released=lines(followed.released),
        returned=lines(followed.returned),
        hidden_pages=len(hidden),
        hidden_references=sum(len(change.renamed) for change in hidden),
        note=told(empty.act.note(plan.facts.seen(readable))),
    )
