"""Makes edits and lists of what was decided of references."""

from __future__ import annotations

from collections.abc import Collection

from mokuji.core.base.edits import Edit
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, Use
from mokuji.core.model.wiki import Place
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.decide import LEFT, Decider, Decision, Note
from mokuji.core.refactor.engine.outcome import AffectedReference
from mokuji.core.refactor.engine.state import State


def follow_names(state: State, candidates: Candidates, places: Collection[Place] = ()) -> Decider:
    """Lets the names follow in all references that could lead elsewhere; gives what decided of them."""
    uses = list(candidates.candidates({*candidates.touched(), *places}))
    decider = Decider(state, uses)
    for page, use in uses:
        decision = decider.decide(page, use)
        if decision is not LEFT:
            _apply(state, page, use, decision)
    return decider


def _apply(state: State, page: Page, use: Use, decision: Decision) -> None:
    id_, span = page.head.id, use.reference.span
    at = (id_, span)
    if decision.leads:
        state.wanted_ids[at] = decision.wanted
    if decision.unsectioned:
        state.unsectioned.add(at)
    if decision.note is not None:
        _listed(state, decision.note)[at] = AffectedReference(page.head, span)
    if decision.words:
        for inside in [each for each in state.edits.get(id_, {}) if span.covers(each)]:
            del state.edits[id_][inside]
    for edit in decision.edits:
        state.edit(page, use, Edit(edit.span.moved(span.start), edit.words))
    if decision.words:
        state.gone_references.add(at)
    if decision.name is not None:
        state.renamed.setdefault(id_, {})[use.index] = decision.name
    if decision.labelled:
        state.labelled.setdefault(id_, set()).add(use.index)
    if decision.careful:
        state.careful.add(id_)
    state.added += decision.label_added


def _listed(state: State, note: Note) -> dict[tuple[int, Span], AffectedReference]:
    return {
        Note.CAPTURED: state.captured,
        Note.LOST: state.lost,
        Note.OTHER_TEXTS: state.other_texts,
        Note.RESETTLED: state.resettled,
        Note.RELEASED: state.released,
        Note.RETURNED: state.returned,
    }[note]
