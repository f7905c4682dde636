"""Lets names follow: every reference that could lead elsewhere is decided, and what was decided is written down.

Most pages say a name once or twice, in brackets and nothing more. Those are taken page by page: references typed alike
in one volume are decided once, and no more is kept of each than its index (``Exchange``). All others go one by one."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from mokuji.core.language.indexed_page import IndexedPage
from mokuji.core.language.page import Page, Use
from mokuji.core.model.wiki import Place
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.decide import Decider, Typed
from mokuji.core.refactor.engine.decision import LEFT, Decision, Exchange
from mokuji.core.refactor.engine.state import State


def follow_names(state: State, candidates: Candidates, places: Collection[Place] = ()) -> Decider:
    """Lets the names follow in all references that could lead elsewhere; gives what decided of them."""
    alike = _TypedAlike(state)
    uses = list(candidates.candidates({*candidates.touched(), *places}, alike.take))
    decider = Decider(state, [*uses, *alike.examples()])
    alike.decide(decider)
    for page, use in uses:
        decision = decider.decide(page, use)
        if decision is not LEFT:
            state.decided(page, use, decision)
    return decider


class _TypedAlike:
    """Pages of which no reference that could lead elsewhere is more than a name."""

    def __init__(self, state: State) -> None:
        self.state = state
        self._pages: list[tuple[IndexedPage, list[tuple[int, str]]]] = []
        self._first: dict[Typed, tuple[IndexedPage, Use | None]] = {}

    def take(self, page: Page, keys: frozenset[str]) -> bool:
        """Takes a page, if it is such a one."""
        if not isinstance(page, IndexedPage) or page.head.id in self.state.apart:
            return False
        found = page.typed(keys)
        if found is None:
            return False
        self._pages.append((page, found))
        home, first = page.head.volume, self._first
        for index, typed in found:
            if (home, typed) not in first:
                first[home, typed] = page, page.use(index)
        return True

    def examples(self) -> Iterator[tuple[Page, Use]]:
        """One reference of each sort."""
        yield from ((page, use) for page, use in self._first.values() if use is not None)

    def decide(self, decider: Decider) -> None:
        """Decides of all that were taken, and writes it down."""
        ways: dict[Typed, Decision] = {
            typed: LEFT if use is None else decider.decide(page, use)
            for typed, (page, use) in self._first.items()
        }
        plain = {typed for typed, decision in ways.items() if decision.plain}
        for page, found in self._pages:
            home = page.head.volume
            made = [(index, ways[home, typed]) for index, typed in found if ways[home, typed] is not LEFT]
            if made:
                self.state.exchanged[page.head.id] = Exchange(page, made)
                if not all((home, typed) in plain for _, typed in found):
                    self.state.settle(page.head.id)
