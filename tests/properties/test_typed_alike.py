"""References typed alike are taken page by page where a text was read before; one by one they come out the same."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import event, given
from hypothesis import strategies as st

from mokuji.core.base.errors import MokujiError
from mokuji.core.base.names import Name
from mokuji.core.language.indexed_page import IndexedPage, KnownNames, flags_of
from mokuji.core.language.page import Page
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.merge import merge
from mokuji.core.refactor.plans.move import move_to_volume
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.volumes import rename_volume
from tests.wikis import TITLES, VOLUMES, chosen, page_called, wiki_of, wikis


def read_before(wiki: MemoryWiki) -> MemoryWiki:
    """The same wiki, its pages with what stands in them."""
    known = KnownNames()
    ids: dict[Name, int] = {}

    def indexed(page: Page) -> Page:
        references = page.content.references
        for each in references:
            if each.name is not None and each.name not in ids:
                ids[each.name] = len(ids) + 1
                known[ids[each.name]] = each.name
        return IndexedPage(
            page.head,
            page.text,
            [each.span.start for each in references],
            [each.span.end for each in references],
            [0 if each.name is None else ids[each.name] for each in references],
            [flags_of(page.content, index) for index in range(len(references))],
            known,
        )

    return MemoryWiki(list(wiki.volumes.values()), [indexed(page) for page in wiki.pages_by_id.values()])


def outcome_of(act: Callable[[], Plan]) -> tuple[object, ...]:
    """All that a plan says, but for what a page was read as; or the reason of its refusal."""
    try:
        plan = act()
    except MokujiError as refusal:
        return type(refusal), refusal.code, str(refusal)
    changes = tuple(
        replace(change, composed=change.after, content=None, read=None) for change in plan.change_set.changes
    )
    contents = [change.content is None for change in plan.change_set.changes]
    told = replace(plan.followed, changes=changes)
    return plan.digest, contents, told, replace(plan.change_set, changes=changes)


ACTS = ("rename", "present", "alias", "delete", "lead", "merge", "move", "volume", "create", "section")


@st.composite
def acts(draw: st.DrawFn, wiki: MemoryWiki) -> Callable[[MemoryWiki], Plan]:
    """An act that could lead references of many pages elsewhere."""
    name = chosen(draw, ACTS)
    page, other = (chosen(draw, sorted(wiki.pages_by_id)) for _ in range(2))
    title = chosen(draw, [*TITLES, "Battery compartment", "pumpe"])
    home = chosen(draw, sorted(volume.id for volume in wiki.volumes.values()))
    headings = wiki.pages_by_id[page].content.headings
    heading = chosen(draw, range(max(1, len(headings))))
    made: dict[str, Callable[[MemoryWiki], Plan]] = {
        "rename": lambda w: rename(w, page, title),
        "present": lambda w: rename(w, page, title, present_words=True),
        "alias": lambda w: rename(w, page, title, keep_alias=True),
        "delete": lambda w: delete(w, [page]),
        "lead": lambda w: delete(w, [page], references="retarget", target=other),
        "merge": lambda w: merge(w, page, other),
        "move": lambda w: move_to_volume(w, [page], home),
        "volume": lambda w: rename_volume(w, home, chosen_volume),
        "create": lambda w: create(w, home, title, "## Limits\n"),
        "section": lambda w: rename_section(w, page, heading, "Bounds [[Pump]]"),
    }
    chosen_volume = chosen(draw, [*VOLUMES, "Handbook"])
    event(name)
    return made[name]


@given(wikis(), st.data())
def test_page_by_page_and_one_by_one_come_out_the_same(wiki: MemoryWiki, data: st.DataObject) -> None:
    act = data.draw(acts(wiki))
    one_by_one = outcome_of(lambda: act(wiki))
    read = read_before(wiki)
    assert outcome_of(lambda: act(read)) == one_by_one


MORE_THAN_NAMES = {
    "a heading that others name": {"Well": "## The [[pump]]\n", "Fault": "[[Pump]] [[Well#The pump]]"},
    "a section": {"Pump": "## Limits\n", "Well": "[[Pump]] [[Pump#Limits]]"},
    "an insert": {"Well": "[[=Pump]] [[pump]]"},
    "a label that is formatted": {"Well": "[[Pump|*its*]] [[Pump]]"},
    "a name in capitals": {"Well": "[[PUMP]] [[pump]] [[Guide/Pump]] [[/Guide/Pump]]"},
    "a name that waits": {"Well": "[[Cell]] [[Pump]]"},
    "brackets in the values of an insert": {"T": "{{x}}", "Well": "[[=T | x: [[Pump]]]] [[Pump]]"},
    "own words in front": {
        "Well": "---\naliases: [Cell pump]\n---\n[[Pump]]",
        "Fault": "[[Cell pump]] [[Pump]]",
    },
}


@pytest.mark.parametrize("texts", MORE_THAN_NAMES.values(), ids=list(MORE_THAN_NAMES))
@pytest.mark.parametrize("title", ["Cell", "Cell [2]", "PUMP"])
@pytest.mark.parametrize("present", [False, True])
def test_pages_with_more_than_names_come_out_the_same(
    texts: dict[str, str], title: str, present: bool
) -> None:
    wiki = wiki_of({"Guide": {"Pump": "", **texts}})
    pump = page_called(wiki, "Pump").head.id
    one_by_one = outcome_of(lambda: rename(wiki, pump, title, present_words=present))
    read = read_before(wiki)
    assert outcome_of(lambda: rename(read, pump, title, present_words=present)) == one_by_one
    assert isinstance(one_by_one[0], str), "it was planned"


def test_a_page_of_plain_names_is_not_read_again() -> None:
    texts = {"Pump": "", "Well": "a [[Pump]] b [[pump|its label]] c [[Other]] [[Pump]]"}
    plan = rename(read_before(wiki_of({"Guide": texts})), 1, "Cell")
    well = next(change for change in plan.rewritten if change.title == "Well")
    assert well.read is not None and well.content is None and well.composed is None
    assert well.after == "a [[Cell]] b [[cell|its label]] c [[Other]] [[Cell]]"
    assert set(well.renamed) == {0, 1, 3} and well.labelled == {1}
