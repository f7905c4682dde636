"""Chains of all acts on small wikis full of traps, looked at by a second reader that shares no code with Mokuji.

Every reference that led to a page, a section or a part leads to it afterwards, wherever its text went, or the plan said
that it would not; and none comes or goes but by what the act is for.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from mokuji.core.base.errors import MokujiError
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plan import Plan
from tests.properties.second_reader import Lead, Reading, Text, headings, pictures, references, slots
from tests.properties.traps import Act, Chain, Traps

Leads = dict[str, list[tuple[int, Lead]]]
"""By the word before a reference: the pages on which it stands, and where it leads."""


def _reading(wiki: MemoryWiki) -> Reading:
    titles = {volume.id: volume.title for volume in wiki.volumes.values()}
    pages = {id_: Text(titles[p.head.volume], p.head.title, p.text) for id_, p in wiki.pages_by_id.items()}
    libraries = {
        v.title: [titles[library] for library in v.libraries if library in titles]
        for v in wiki.volumes.values()
    }
    return Reading(pages, libraries)


def _leads(wiki: MemoryWiki) -> Leads:
    found: Leads = defaultdict(list)
    for page, typed, lead in _reading(wiki).leads():
        if typed.token:
            found[typed.token].append((page, lead))
    return found


def _told(before: MemoryWiki, plan: Plan) -> set[str]:
    """The words before the references that a plan lists as led elsewhere."""
    followed = plan.followed
    lists = (followed.captured, followed.lost, followed.lost_sections)
    more = (followed.other_texts, followed.resettled, followed.released, followed.returned)
    told: set[str] = set()
    for each in (each for some in (*lists, *more) for each in some):
        page = before.pages_by_id.get(each.page.id)
        if page is not None:
            at = [reference.span for reference in page.content.references].index(each.span)
            told.add(references(page.text)[at].token)
    return told


def _check(before: MemoryWiki, after: MemoryWiki, act: Act, plan: Plan, past: Leads) -> None:
    was, will, told = _leads(before), _leads(after), _told(before, plan)
    gone = before.pages_by_id.keys() - after.pages_by_id.keys()
    went = {id_: to for id_, to in act.went.items() if id_ in gone}
    for token, stood in was.items():
        if token not in will:
            pages = {page for page, _ in stood}
            assert _may_go(before, act, token, pages <= gone, stood, past), f"{act.name}: {token} is gone"
            continue
        for page, now in will[token]:
            if token in told or (page not in before.pages_by_id and act.name == "restore"):
                continue  # what comes back leads to what it led to then: see below
            expected = [lead for _, lead in stood] + [lead for _, lead in past.get(token, ())]
            if act.name == "retarget" and all(now.page != each.page for each in expected):
                assert not now.broken, "a section that the other page has not is told"
                continue
            if act.name == "edit" and any((now.page, now.words) == (e.page, e.words) for e in expected):
                continue  # what is called as before is where it was, whatever else was written there
            if act.name == "edit" and page == act.hand and now.broken and not _headed(after, page, expected):
                continue  # the text lost it itself; its findings say so
            if act.name in {"inline", "inline everywhere"} and any(
                _within(before, there, token, act) for there, _ in stood
            ):
                continue  # a text that begins with an insert stands in the place of one
            if act.name == "extract" and any((now.page, now.words) == (e.page, e.words) for e in expected):
                continue  # the text of a section became an insert, and its marker with it
            assert any(_same(lead, now, went) for lead in expected), f"{act.name}: {token} {expected} {now}"
    for token in will.keys() - was.keys():
        assert act.name in {"create", "edit", "restore", "undo"}, f"{act.name}: {token} came"


def _headed(wiki: MemoryWiki, page: int, leads: list[Lead]) -> bool:
    """Whether a page still has one of these sections."""
    found = headings(wiki.pages_by_id[page].text, {volume.key for volume in wiki.volumes.values()})
    return any(lead.marker is not None and lead.marker == marker for lead in leads for _, _, marker in found)


def _may_go(
    before: MemoryWiki, act: Act, token: str, gone: bool, stood: list[tuple[int, Lead]], past: Leads
) -> bool:
    """Whether a reference may go by an act: with its page, by what was typed, as what the act replaces."""
    if gone:
        return act.name in {"delete", "words", "delete volume", "inline everywhere", "undo"} or (
            act.name == "merge" and act.old == "keep"
        )
    if act.name == "undo":
        return token not in past or (act.back is not None and bool(act.back.texts))
    if act.name == "edit":
        return {page for page, _ in stood} == {act.hand}
    if act.name == "words":
        return any(lead.page in act.went for _, lead in stood) or _inside(before, token)
    if act.name in {"inline", "inline everywhere"}:
        return any(_within(before, page, token, act) for page, _ in stood)
    return False


def _inside(before: MemoryWiki, token: str) -> bool:
    """Whether a reference is part of the value of another."""
    typed = (reference for page in before.pages_by_id.values() for reference in references(page.text))
    return any(f"{token} [[" in (each.label or "") for each in typed)


def _within(before: MemoryWiki, page: int, token: str, act: Act) -> bool:
    """Whether a reference is an insert that is replaced by its text, or stands in its values."""
    typed = references(before.pages_by_id[page].text)
    if act.name == "inline" and page != act.hand:
        return False
    chosen = [typed[act.index]] if act.name == "inline" else [each for each in typed if each.insert]
    return any(each.token == token or f"{token} [[" in (each.label or "") for each in chosen)


def _same(lead: Lead, now: Lead, went: Mapping[int, int | None]) -> bool:
    if lead.page is None:
        return now.page is None
    if lead.broken:
        return now.broken or now.page == went.get(lead.page, lead.page)
    if lead.words and lead.marker is None:
        return now.page is not None  # a section without a marker is not known again
    if lead.marker is not None:
        # A section is where its marker is; one that became a page is that page; and what takes the place of a page that
        # went may have a section of the same words.
        if lead.page in went and now.page == went[lead.page] and lead.words and now.words == lead.words:
            return True
        return now.marker == lead.marker or (now.marker is None and now.page not in {None, lead.page})
    return now.page == went.get(lead.page, lead.page)


def _check_names(before: MemoryWiki, after: MemoryWiki, act: Act) -> None:
    """Pictures and slots: what an act gives another name is called so wherever it is named, and nowhere else."""
    for id_ in before.pages_by_id.keys() & after.pages_by_id.keys():
        old, new = before.pages_by_id[id_], after.pages_by_id[id_]
        if act.name == "file":
            renamed = {act.old: act.new} if old.head.volume == act.volume else {}
            assert [renamed.get(picture, picture) for picture in pictures(old.text)] == pictures(new.text)
        if act.name == "slot":
            renamed = {act.old: act.new} if id_ == act.hand else {}
            assert [renamed.get(slot, slot) for slot in slots(old.text)] == list(slots(new.text))
    if act.name == "slot":
        values = [
            each.label or ""
            for _, each, lead in _reading(after).leads()
            if lead.page == act.hand and each.insert
        ]
        assert not any(label.strip().startswith(f"{act.old}:") for label in values)


def _check_restored(after: MemoryWiki, act: Act) -> None:
    """What comes back refers to what it referred to when it went, as far as that is there."""
    for trashed_page in act.restored:
        led = [lead.page for page, _, lead in _reading(after).leads() if page == trashed_page.head.id]
        assert all(led[index] == page for index, page in trashed_page.leads if page in after.pages_by_id)


def _step(chain: Chain) -> str:
    """One more act of a chain, done and looked at; the code of the refusal if it is refused."""
    act, before = chain.act(), chain.wiki
    past = next((_leads(was) for each, was in chain.past if each is act.back), {})
    try:
        plan = act.make()
    except MokujiError as refusal:
        return f"{act.name} refused: {refusal.code}"
    after = chain.done(act, plan)
    if act.name == "undo" and plan.conflicts:
        return "undo in conflict"
    _check(before, after, act, plan, past)
    _check_names(before, after, act)
    _check_restored(after, act)
    return act.name


def _chain(seed: int) -> Chain:
    traps = Traps(seed)
    return Chain(traps, traps.wiki())


@settings(max_examples=60)
@given(st.integers(0, 2**32))
def test_a_second_reader_finds_everything_where_it_was_or_told(seed: int) -> None:
    chain = _chain(seed)
    for _ in range(8):
        if chain.wiki.pages_by_id:
            event(_step(chain))


def test_every_act_of_the_chains_is_done_and_most_are() -> None:
    """The property above cannot go empty: each kind of act is done, and fewer than half are refused."""
    done: Counter[str] = Counter()
    for seed in range(100):
        chain = _chain(seed)
        for _ in range(8):
            if chain.wiki.pages_by_id:
                done[_step(chain)] += 1
    refused = sum(count for name, count in done.items() if "refused" in name)
    assert refused < done.total() - refused
    names = "rename move aliases delete words retarget merge join split section edit create extract inline slot file"
    more = [
        "inline everywhere",
        "slot value",
        "remove file",
        "volume",
        "libraries",
        "new volume",
        "delete volume",
    ]
    assert not [each for each in [*names.split(), *more, "restore", "undo"] if not done[each]]


@pytest.mark.parametrize("seed", range(40))
def test_both_readers_see_the_same_references(seed: int) -> None:
    for page in Traps(seed).wiki().pages_by_id.values():
        typed = references(page.text)
        assert [each.name for each in typed] == [
            (reference.name_span.of(page.text) if reference.name is not None else "").strip()
            for reference in page.content.references
        ]
