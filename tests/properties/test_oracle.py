"""Chains of acts on small wikis full of traps, looked at by a second reader that shares no code with Mokuji.

Every reference that led to a page, a section or a part leads to it afterwards, or the plan said that it would not.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random

import pytest
from hypothesis import event, given, settings
from hypothesis import strategies as st

from mokuji.core.errors import MokujiError
from mokuji.core.plan import Plan
from mokuji.core.plans.aliases import set_aliases
from mokuji.core.plans.delete import delete
from mokuji.core.plans.join import join
from mokuji.core.plans.merge import merge
from mokuji.core.plans.move import move_to_volume
from mokuji.core.plans.rename import rename
from mokuji.core.plans.retarget import retarget
from mokuji.core.plans.section import rename_section
from mokuji.core.plans.split import split
from mokuji.core.plans.volumes import rename_volume
from mokuji.core.wiki import MemoryWiki
from tests.properties.promises import applied
from tests.properties.second_reader import Lead, Text, leads
from tests.wikis import wiki_of

TITLES = ["Pump", "Well", "Data/x", "A-B", "Öl", "Seal"]
NAMES = [*TITLES, "data/Pump", "Guide/Well", "lid", "Lost", "Lost/x", "pump", "a b", "/Data/Pump"]
HEADS = ["Limits", "Limits", "Seat", "One {#g}", "Two {#g}", "Öl"]
VOLUMES = ["Guide", "Data"]


class Traps:
    """Makes small wikis: equal identifiers and words of headings, named parts, names with “/”, aliases that others
    have as titles, names that nobody wrote, brackets in code."""

    def __init__(self, seed: int) -> None:
        self._chance = Random(seed)
        self._marks = 0

    def wiki(self) -> MemoryWiki:
        volumes = {title: list(dict.fromkeys(self._some(TITLES, 2, 4))) for title in VOLUMES}
        return wiki_of(
            {volume: {title: self._text() for title in titles} for volume, titles in volumes.items()}
        )

    def _some(self, what: list[str], least: int, most: int) -> list[str]:
        return [self._chance.choice(what) for _ in range(self._chance.randint(least, most))]

    def _mark(self) -> str:
        self._marks += 1
        return f"mark{self._marks}"

    def _text(self) -> str:
        blocks = [self._block() for _ in range(self._chance.randint(1, 4))]
        front = f"---\naliases: [{self._chance.choice(['lid', 'Seal', 'cover'])}]\n---\n"
        return (front if self._chance.random() < 0.4 else "") + "\n\n".join(blocks) + "\n"

    def _block(self) -> str:
        kind = self._chance.randrange(6)
        if kind == 0:
            return f"## {self._chance.choice(HEADS)}\n\n{self._mark()} {self._reference()}"
        if kind == 1:
            return f"<!-- part: {self._chance.choice(['one', 'seat'])} -->\n{self._mark()}\n<!-- /part -->"
        if kind == 2:
            return "```\n[[Pump]]\n```"
        return " ".join(self._chance.choice([self._reference(), "words", "`[[Well]]`"]) for _ in range(4))

    def _reference(self) -> str:
        name = self._chance.choice(NAMES)
        section = self._chance.choice(["", "", "#Limits", "#g", "#Seat", "#one", "#nowhere"])
        if self._chance.random() < 0.2:
            return f"[[#{self._chance.choice(['Limits', 'g', 'Seat'])}]]"
        insert = "=" if self._chance.random() < 0.25 else ""
        label = "|a label" if self._chance.random() < 0.2 and not insert else ""
        return f"[[{insert}{name}{section}{label}]]"


def _texts(wiki: MemoryWiki) -> dict[int, Text]:
    titles = {volume.id: volume.title for volume in wiki.volumes.values()}
    return {id_: Text(titles[p.head.volume], p.head.title, p.text) for id_, p in wiki.pages_by_id.items()}


def _act(chance: Random, wiki: MemoryWiki) -> tuple[Callable[[], Plan], dict[int, int | None]]:
    """An act, and what becomes of pages that go."""
    ids = sorted(wiki.pages_by_id)
    page, other = chance.choice(ids), chance.choice(ids)
    content = wiki.pages_by_id[page].content
    title = chance.choice([*TITLES, "New", "Guide/New", "lid"])
    volume = chance.choice(sorted(each.id for each in wiki.volumes.values()))
    index = chance.randrange(len(content.headings)) if content.headings else 0
    home = wiki.pages_by_id[page].head
    acts: list[tuple[Callable[[], Plan], dict[int, int | None]]] = [
        (lambda: rename(wiki, page, title), {}),
        (lambda: merge(wiki, page, other, texts=chance.choice(["after", "before", "keep"])), {page: other}),
        (lambda: join(wiki, page, other), {page: other}),
        (lambda: split(wiki, page, index, "Split off"), {}),
        (lambda: delete(wiki, [page]), {page: None}),
        (lambda: delete(wiki, [page], references="retarget", target=other), {page: other}),
        (lambda: move_to_volume(wiki, [page], volume), {}),
        (lambda: rename_section(wiki, page, index, chance.choice(["Seat", "New words", "g"])), {}),
        (lambda: set_aliases(wiki, page, chance.choice([[], ["lid"], ["cover", "Lost"]])), {}),
        (lambda: rename_volume(wiki, volume, chance.choice(["Lost", "Manual", "Seal"])), {}),
        (lambda: retarget(wiki, (home.volume, home.key), other), {}),
    ]
    return chance.choice(acts)


def _check(before: MemoryWiki, after: MemoryWiki, plan: Plan, went: dict[int, int | None]) -> None:
    was, will = leads(_texts(before)), leads(_texts(after))
    followed = plan.followed
    told = {
        (each.page.id, each.span)
        for each in (*followed.captured, *followed.lost, *followed.lost_sections, *followed.other_texts)
    }
    moved = {change.head.id for change in plan.change_set.changes if change.own} | went.keys()
    for id_, before_ in was.items():
        if id_ not in will or (id_ in moved and plan.act in {"merge", "join", "split"}):
            continue  # texts were put together anew: which reference became which is for other properties
        references = before.pages_by_id[id_].content.references
        assert len(references) == len(before_), "both readers see the same references"
        assert len(will[id_]) == len(before_), f"{plan.act}: a reference of page {id_} came or went"
        for reference, lead, now in zip(references, before_, will[id_], strict=True):
            if (id_, reference.span) in told:
                continue
            if plan.act == "retarget" and lead.page != now.page:
                assert not now.broken, "a section that the other page has not is told"
                continue
            assert _same(lead, now, went), (
                f"{plan.act}: {reference.span.of(before.pages_by_id[id_].text)} {lead} {now}"
            )


def _same(lead: Lead, now: Lead, went: dict[int, int | None]) -> bool:
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


@settings(max_examples=100)
@given(st.integers(0, 2**32))
def test_a_second_reader_finds_everything_where_it_was_or_told(seed: int) -> None:
    wiki, chance = Traps(seed).wiki(), Random(seed + 1)
    done = 0
    for _ in range(6):
        if not wiki.pages_by_id:
            break
        make, went = _act(chance, wiki)
        try:
            plan = make()
        except MokujiError as refusal:
            event(f"refused: {refusal.code}")
            continue
        after = applied(wiki, plan)
        _check(wiki, after, plan, went)
        wiki, done = after, done + 1
    event(f"{done} acts done")


def test_most_acts_of_the_chains_are_done() -> None:
    """The property above cannot go empty: fewer than half of the acts are refused."""
    done = refused = 0
    for seed in range(60):
        wiki, chance = Traps(seed).wiki(), Random(seed + 1)
        for _ in range(6):
            if not wiki.pages_by_id:
                break
            make, _ = _act(chance, wiki)
            try:
                wiki = applied(wiki, make())
                done += 1
            except MokujiError:
                refused += 1
    assert done > refused > 0


@pytest.mark.parametrize("seed", range(40))
def test_both_readers_see_the_same_references(seed: int) -> None:
    wiki = Traps(seed).wiki()
    for id_, found in leads(_texts(wiki)).items():
        assert len(found) == len(wiki.pages_by_id[id_].content.references)
