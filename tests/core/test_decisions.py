"""What a reference is to say is decided without writing anything down, and alike in whatever order that is asked."""

from __future__ import annotations

from hypothesis import assume, given
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


@given(wikis(), st.sampled_from(TITLES), st.booleans(), st.data())
def test_decisions_are_the_same_in_any_order_and_write_nothing_down(
    wiki: MemoryWiki, title: str, present: bool, data: st.DataObject
) -> None:
    page = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
    head = wiki.pages_by_id[page].head
    new = PageHead(head.id, head.volume, names.key(title), title, head.revision)
    assume(not wiki.titles([(new.volume, new.key)]))
    state = State(wiki, Outcome(heads={page: new}), present, {}, False)
    candidates = Candidates(state)
    uses = list(candidates.candidates(candidates.touched()))
    assume(uses)
    shuffled = data.draw(st.permutations(uses))
    try:
        one = {(p.head.id, use.index): Decider(state, uses).decide(p, use) for p, use in uses}
        several = Decider(state, shuffled)
        other = {(p.head.id, use.index): several.decide(p, use) for p, use in shuffled}
    except MokujiError:
        assume(False)  # a title that cannot be written in some place
    assert one == other
    assert not state.edits and not state.renamed and not state.captured and not state.lost
