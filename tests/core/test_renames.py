"""What a rename changes: the cases of tests/cases/renames.txt, before and after."""

from __future__ import annotations

import pytest

from mokuji.core.base.errors import BadName, Missing, Refused
from mokuji.core.model.changes import Fate
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.rename import rename
from tests.core.casebook import cases, outcome, parted
from tests.properties.promises import applied, check
from tests.wikis import page_called, wiki_of


@pytest.mark.parametrize(
    ("said", "block"), cases("renames.txt"), ids=[case[0] for case in cases("renames.txt")]
)
def test_a_case_comes_out_as_it_says(said: str, block: str) -> None:
    act, wiki, expected = parted(block)
    where, _, title = act.partition(" -> ")
    title, present = title.removesuffix(", present words"), title.endswith(", present words")
    try:
        page = page_called(wiki, where.split("/", 1)[1])
        plan = rename(wiki, page.head.id, title, present_words=present)
    except Refused as refusal:
        assert f"refused {refusal.code}" == expected
        return
    assert outcome(wiki, plan) == expected, said
    check(wiki, applied(wiki, plan), plan)


def test_the_plan_counts_references_labels_and_sections() -> None:
    texts = {"Pump": "", "Well": "[[Pump]] [[Pump|x]]\n\n## The [[pump]]", "Fault": "[[Well#The pump]]"}
    plan = rename(wiki_of({"Guide": texts}), 1, "Cell")
    followed = plan.followed
    assert (followed.references, followed.labels_kept, followed.labels_added, followed.sections) == (
        3,
        1,
        0,
        1,
    )
    assert len(plan.rewritten) == 2


def test_the_digest_is_another_when_anything_that_was_consulted_is() -> None:
    texts = {"Pump": "", "Well": "[[Pump]]", "Fault": "[[Cell]]"}
    digest = rename(wiki_of({"Guide": texts}), 1, "Cell").digest
    others = [
        rename(wiki_of({"Guide": {**texts, "Well": "x [[Pump]]"}}), 1, "Cell").digest,
        rename(wiki_of({"Guide": {**texts, "New": "[[Pump]]"}}), 1, "Cell").digest,
        rename(wiki_of({"Guide": {**texts, "Fault": "no more"}}), 1, "Cell").digest,
        rename(wiki_of({"Guide": texts}), 1, "Cell", present_words=True).digest,
        rename(wiki_of({"Guide": texts}), 1, "cell").digest,
    ]
    assert len({digest, *others}) == 6


def test_the_same_title_is_nothing_to_do() -> None:
    assert rename(wiki_of({"Guide": {"Pump": "[[Pump]]"}}), 1, "Pump").nothing_to_do


def test_what_cannot_be_a_title_is_refused_with_a_sentence() -> None:
    with pytest.raises(BadName, match="is empty"):
        rename(wiki_of({"Guide": {"Pump": ""}}), 1, "  ")


def test_a_page_that_is_gone_cannot_be_renamed() -> None:
    with pytest.raises(Missing):
        rename(wiki_of({"Guide": {"Pump": ""}}), 99, "Cell")


def test_a_new_page_takes_no_alias_away() -> None:
    wiki = wiki_of({"Guide": {"Battery": "---\naliases: [Cell]\n---\n", "Well": "[[Cell]] [[cell|x]]"}})
    plan = create(wiki, 1, "Cell")
    kept = [change.after for change in plan.change_set.changes if change.fate is Fate.KEPT]
    assert kept == ["[[Battery|Cell]] [[Battery|x]]"]
    assert plan.captured == ()


def test_a_new_page_captures_what_was_unwritten_and_says_so() -> None:
    wiki = wiki_of({"Guide": {"Well": "[[Cell]]"}, "Data": {"Sheet": "[[Guide/Cell]]"}})
    plan = create(wiki, 1, "Cell")
    assert [change.fate for change in plan.change_set.changes] == [Fate.MADE]
    assert [reference.page.title for reference in plan.captured] == ["Well", "Sheet"]
