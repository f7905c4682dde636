"""What a rename changes: the cases of tests/cases/renames.txt, before and after."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from mokuji.core.changes import Fate
from mokuji.core.errors import BadName, Missing, Refused
from mokuji.core.plan import Plan
from mokuji.core.plans.create import create
from mokuji.core.plans.rename import rename
from mokuji.core.wiki import MemoryWiki
from tests.properties.promises import applied, check
from tests.wikis import page_called, wiki_of

CASES = Path(__file__).parent.parent / "cases" / "renames.txt"


def _cases() -> list[tuple[str, str]]:
    parts = re.split(r"^=== (.+)\n", CASES.read_text(), flags=re.MULTILINE)
    return list(zip(parts[1::2], parts[2::2], strict=True))


def _pages(block: str) -> dict[str, dict[str, str]]:
    volumes: dict[str, dict[str, str]] = {}
    for name, text in re.findall(
        r"^@@ (.+)\n?((?:(?!@@ |captured |refused ).*\n?)*)", block, flags=re.MULTILINE
    ):
        volume, title = name.split("/", 1)
        # The line end before the next page belongs to the case, not to the text.
        volumes.setdefault(volume, {})[title] = text.replace("␍", "\r").removesuffix("\n")
    return volumes


def _made(block: str) -> tuple[MemoryWiki, str, str, bool]:
    act, _, pages = block.partition("\n")
    where, _, title = act.partition(" -> ")
    title, present = title.removesuffix(", present words"), title.endswith(", present words")
    library = re.match(r"libraries (\w+): (\w+)\n", pages)
    libraries = {library[1]: [library[2]]} if library else {}
    return wiki_of(_pages(pages), libraries), where.split("/", 1)[1], title, present


def _outcome(wiki: MemoryWiki, plan: Plan) -> str:
    volumes = {volume.id: volume.title for volume in wiki.volumes.values()}
    said = []
    for change in plan.rewritten:
        said.append(f"@@ {volumes[change.head.volume]}/{change.head.title}\n{change.after}")
    for each in plan.captured:
        page = wiki.pages_by_id[each.page.id]
        said.append(f"captured {volumes[page.head.volume]}/{page.head.title}: {each.span.of(page.text)}")
    return "\n".join(said).replace("\r", "␍")


@pytest.mark.parametrize(("said", "block"), _cases(), ids=[case[0] for case in _cases()])
def test_a_case_comes_out_as_it_says(said: str, block: str) -> None:
    before, _, expected = block.partition("\n-->\n")
    wiki, old, title, present = _made(before)
    try:
        plan = rename(wiki, page_called(wiki, old).head.id, title, present_words=present)
    except Refused as refusal:
        assert f"refused {refusal.code}" == expected.strip()
        return
    assert _outcome(wiki, plan) == expected.strip("\n"), said
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
    assert [each.page.title for each in plan.captured] == ["Well", "Sheet"]
