"""What a reference is to say is decided without writing anything down, and alike in whatever order that is asked."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.language.page import PageHead
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.decide import Decider
from mokuji.core.refactor.engine.outcome import Outcome
from mokuji.core.refactor.engine.state import State
from tests.wikis import TITLES, wikis


def test_decisions_are_the_same_in_any_order_and_write_nothing_down() -> None:
    decided: list[int] = []

    @given(wikis(), st.sampled_from(TITLES), st.booleans(), st.data())
    @settings(deadline=None, suppress_health_check=list(HealthCheck))
    def try_one(wiki: MemoryWiki, title: str, present: bool, data: st.DataObject) -> None:
        page = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
        head = wiki.pages_by_id[page].head
        new = PageHead(head.id, head.volume, names.key(title), title, head.revision)
        if wiki.titles([(new.volume, new.key)]):
            return
        state = State(wiki, Outcome(heads={page: new}), present, {}, False)
        candidates = Candidates(state)
        uses = list(candidates.candidates(candidates.touched()))
        shuffled = data.draw(st.permutations(uses))
        try:
            one = {(p.head.id, use.index): Decider(state, uses).decide(p, use) for p, use in uses}
            several = Decider(state, shuffled)
            other = {(p.head.id, use.index): several.decide(p, use) for p, use in shuffled}
        except MokujiError:
            return  # a title that cannot be written in some place
        assert one == other
        assert not state.edits and not state.renamed and not state.captured and not state.lost
        decided.append(len(uses))

    try_one()
    assert sum(map(bool, decided)) >= 5
