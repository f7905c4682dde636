"""Several plans as one: each made upon what the ones before it make of the wiki, all shown, done and undone together.

``Combining`` gives the wiki that the next plan is to be made on, and takes that plan. What a plan says in the texts of
its moment is told, and done, in those that are there now.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from dataclasses import replace
from typing import Any

from mokuji.core.base.edits import Back, Edit, Shift, compose
from mokuji.core.base.errors import Refused
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.changes import ChangeSet, Fate, PageChange, Removed
from mokuji.core.model.later import LaterWiki
from mokuji.core.model.wiki import Wiki
from mokuji.core.refactor.engine.outcome import AffectedReference, Followed
from mokuji.core.refactor.facts import Facts
from mokuji.core.refactor.plan import OptionalChange, Plan, free, leads_of, need

_LISTS = ("captured", "lost", "lost_sections", "other_texts", "resettled", "released", "returned")


class Combining:
    """Plans brought together so far. ``wiki`` is the wiki as they leave it."""

    def __init__(self, wiki: Wiki, act: str) -> None:
        self._base, self._act = wiki, act
        self._plans: list[Plan] = []
        self._changes: dict[int, PageChange] = {}
        self._removed: dict[int, Removed] = {}
        self._lists: dict[str, list[AffectedReference]] = {name: [] for name in _LISTS}
        self._landed: dict[int, tuple[int, frozenset[Span]]] = {}
        self._free: set[int] = set()
        self.wiki: Wiki = wiki

    @property
    def changed(self) -> list[PageHead]:
        """The pages that were changed so far, with their heads of before."""
        return [change.head for change in self._changes.values()]

    @property
    def gone(self) -> Set[int]:
        """The pages that go to the trash."""
        return self._removed.keys()

    def add(self, plan: Plan) -> None:
        """Takes the next plan. Refused for one that makes pages or volumes, leaves texts in conflict, or changes a file
        or source that another one changes."""
        self._check(plan)
        changes = plan.change_set
        for name in _LISTS:
            self._lists[name] += self._as_now(getattr(plan.followed, name))
        page = plan.page.id if plan.page is not None else None
        texts = [change.head.id for change in changes.rewritten]
        self._free |= free(plan.act, page, texts, plan.free)
        for change in changes.changes:
            self._change(change)
        self._land(plan)
        for removed in changes.removed:
            self._remove(removed)
        self._plans.append(plan)
        self.wiki = LaterWiki(
            self._base,
            ChangeSet(self._act, tuple(self._changes.values()), tuple(self._removed.values())),
        )

    def _as_now(self, references: Iterable[AffectedReference]) -> list[AffectedReference]:
        """References where they stand in the texts that are there now; what was only put in by a plan is left out."""
        found = []
        for reference in references:
            change = self._changes.get(reference.page.id)
            if change is None:
                found.append(reference)
            elif (span := Back(len(change.before), change.edits)(reference.span)) is not None:
                found.append(AffectedReference(change.head, span))
        return found

    def _change(self, change: PageChange) -> None:
        first = self._changes.get(change.head.id)
        if first is None:
            self._changes[change.head.id] = change
            return
        content = change.content or Page(change.head_after, change.after).content
        self._changes[change.head.id] = PageChange(
            head=first.head,
            title=change.title,
            before=first.before,
            composed=change.after,
            edits=compose(len(first.before), first.edits, change.edits),
            content=content,
            renamed={**first.renamed, **change.renamed},
            labelled=first.labelled | change.labelled,
            volume=change.volume or first.volume,
            own=first.own or change.own,
        )

    def _land(self, plan: Plan) -> None:
        """Where captured references stand once all is done: a later plan moves those of the ones before."""
        for change in plan.change_set.changes:
            landed = self._landed.get(change.head.id)
            if landed is not None and change.edits:
                self._landed[change.head.id] = (landed[0], _moved(landed[1], change.edits))
        for page, (revision, spans) in plan.followed.landed.items():
            before = self._landed.get(page, (revision, frozenset[Span]()))[1]
            self._landed[page] = (revision, before | spans)

    def _check(self, plan: Plan) -> None:
        changes = plan.change_set
        if (
            changes.volumes
            or changes.roles
            or any(change.fate is not Fate.KEPT for change in changes.changes)
        ):
            raise Refused(
                "What makes a page or a volume, or changes who may do what, is planned by itself.",
                code="not_together",
            )
        if plan.conflicts:
            raise Refused("Texts would have to be brought together. Do that by itself.", code="not_together")
        for removed in changes.removed:
            first = self._changes.get(removed.head.id)
            if first is not None and first.content is not None and first.text_changed:
                raise Refused(
                    f"“{first.head.title}” would be changed, and then go to the trash. Plan one of the two.",
                    code="not_together",
                    named=[first.head.volume],
                )

    def _remove(self, removed: Removed) -> None:
        self._changes.pop(removed.head.id, None)
        # It goes with the text that it has now, and leads as that does now.
        page = need(self._base, removed.head.id)
        removed = replace(removed, head=page.head, leads=leads_of(self._base, [page])[page.head.id])
        self._landed.pop(removed.head.id, None)
        for id_, each in self._removed.items():
            if each.successor == removed.head.id:
                self._removed[id_] = replace(each, successor=removed.successor)
        self._removed[removed.head.id] = removed

    def plan(self, facts: Facts, rows: Sequence[OptionalChange] = ()) -> Plan:
        """All as one plan. ``facts`` are told of it, ``rows`` can be chosen from."""
        plans = self._plans
        assets = [change for plan in plans for change in plan.change_set.assets]
        touched = [(side.sort, side.id) for change in assets for side in (change.before,) if side is not None]
        if len(set(touched)) < len(touched):
            raise Refused(
                "Two of these change the same file or source. Plan one of the two.", code="not_together"
            )
        changes = tuple(sorted(self._changes.values(), key=lambda each: (each.head.volume, each.head.key)))
        change_set = ChangeSet(
            self._act,
            changes,
            tuple(sorted(self._removed.values(), key=lambda each: (each.head.volume, each.head.key))),
            tuple(placing for plan in plans for placing in plan.change_set.contents),
            (),
            tuple(assets),
        )
        return Plan(
            None,
            change_set,
            self._followed(changes),
            tuple(word for plan in plans for word in (plan.digest, *plan.asked)),
            facts=facts,
            rows=tuple(rows),
            entries={page: entry for plan in plans for page, entry in plan.entries.items()},
            free=frozenset(self._free),
            along=any(plan.along for plan in plans),
        )

    def _followed(self, changes: tuple[PageChange, ...]) -> Followed:
        fields: dict[str, Any] = {name: tuple(dict.fromkeys(found)) for name, found in self._lists.items()}
        for name in ("references", "sections", "labels_kept", "labels_added"):
            fields[name] = sum(getattr(plan.followed, name) for plan in self._plans)
        landed = {
            page: (self._revision(page, number), spans) for page, (number, spans) in self._landed.items()
        }
        return Followed(changes, landed=landed, **fields)

    def _revision(self, page: int, otherwise: int) -> int:
        """The revision of a page once all is done, which is one act whatever it was in steps."""
        change = self._changes.get(page)
        return change.head.revision + 1 if change is not None and change.text_changed else otherwise


def _moved(spans: frozenset[Span], edits: Sequence[Edit]) -> frozenset[Span]:
    """Ranges of references after some edits: one whose name is edited is there still, one that is replaced is not."""
    shift = Shift(edits)
    kept = (s for s in spans if not any(_replaces(e.span, s) for e in edits))
    return frozenset(Span(shift(span.start), shift(span.end)) for span in kept)


def _replaces(edit: Span, reference: Span) -> bool:
    """Whether an edit takes more of a reference than what stands inside it."""
    inside = reference.start < edit.start and edit.end < reference.end
    return edit.start < reference.end and reference.start < edit.end and not inside
