"""Makes references follow: the machine that all acts share.

An act says what becomes of the pages (``Outcome``): other heads, pages that
come and go, texts put together anew, other volumes. The machine looks at every
reference that could lead elsewhere afterwards, finds what it is to lead to,
and the edits that make it do so. Then sections: where headings have other
words, came, went or moved to another page, references to them follow, in
rounds until nothing moves. At the end every rewritten page is read again; if
its references are not exactly the expected ones, the act is refused.

What holds: characters outside the rewritten names, sections, added labels and
added ``{#id}`` stay; what was unwritten stays so or is listed as captured; what
loses its target is listed as lost.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping

from mokuji.core.base.spans import Span
from mokuji.core.model.wiki import Overlay, Place, Wiki
from mokuji.core.refactor.engine.apply import follow_names
from mokuji.core.refactor.engine.candidates import Candidates
from mokuji.core.refactor.engine.check import Outcomes
from mokuji.core.refactor.engine.outcome import Followed, Outcome
from mokuji.core.refactor.engine.sections import SectionNames
from mokuji.core.refactor.engine.state import State


def follow(
    wiki: Wiki,
    outcome: Outcome,
    *,
    present_words: bool = False,
    minimal: bool = False,
    leave: Mapping[int, tuple[int, frozenset[Span]]] | None = None,
    places: Collection[Place] = (),
) -> Followed:
    """All references made to follow an outcome.

    References by title say the new title, unless ``present_words`` keeps what
    readers see by a label. With ``minimal`` what leads to its page anyhow (by
    an alias, say) stays as typed. ``leave`` names references, by page and the
    revision they were seen in, that stay as typed whatever they lead to.
    ``places`` are looked at besides those that the outcome touches.
    """
    state = State(wiki, outcome, present_words, leave or {}, minimal)
    candidates = Candidates(state)
    decider = follow_names(state, candidates, places)
    SectionNames(state, candidates, decider).sections()
    return Outcomes(state).finish()


def wiki_after(wiki: Wiki, outcome: Outcome) -> Overlay:
    """The wiki as it will be, before references follow."""
    return State(wiki, outcome, False, {}, False).after
