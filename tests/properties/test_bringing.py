"""Pages that come back from a folder, whatever became of them there and here: random wikis, random work on both."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from hashlib import sha256

from hypothesis import assume, event, given
from hypothesis import strategies as st

from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.bringing.bring import bring
from mokuji.core.refactor.bringing.carrying import Called, composed, references_of
from mokuji.core.refactor.bringing.comparing import Comparison, Side, compare
from mokuji.core.refactor.bringing.matching import Brought, Left
from mokuji.core.refactor.engine.composing import Carried, text_of
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.rename import rename
from mokuji.core.refactor.plans.undo import masked
from tests.properties.promises import applied, leads
from tests.wikis import Outline, one_in, several, texts, wikis

HOME = 1
NEW = ["Fresh one", "Fresh two", "Fresh three", "Fresh four"]


@dataclass(frozen=True)
class Memory:
    """The first volume of a wiki, and the texts with which its pages left."""

    wiki: MemoryWiki
    left: Mapping[int, str]
    volume: int = HOME

    @property
    def key(self) -> str:
        return next(each.key for each in self.wiki.volumes.values() if each.id == self.volume)

    def heads(self, pages: Collection[int]) -> Mapping[int, PageHead]:
        return {
            id_: page.head for id_, page in self.wiki.pages(pages).items() if page.head.volume == self.volume
        }

    def called(self, keys: Collection[str]) -> Mapping[str, PageHead]:
        return {key: head for (_, key), head in self.wiki.titles([(self.volume, k) for k in keys]).items()}

    def pages(self, pages: Collection[int]) -> Mapping[int, Page]:
        return self.wiki.pages(pages)

    def texts_left(self, left: Collection[Left]) -> Mapping[int, str]:
        return {each.page: self.left[each.page] for each in left if each.page in self.left}


def hashed(text: str) -> str:
    return sha256(text.encode()).hexdigest()


def as_file(page: Page) -> Brought:
    return Brought(f"{page.head.id}.md", page.head.title, page.text, hashed(page.text))


def as_left(page: Page) -> Left:
    return Left(
        f"{page.head.id}.md", page.head.title, hashed(page.text), True, page.head.id, page.head.revision
    )


def taken_away(wiki: MemoryWiki) -> tuple[list[Brought], list[Left], dict[int, str]]:
    """The first volume as a folder, how its pages left, and with what texts."""
    pages = [page for page in wiki.pages_by_id.values() if page.head.volume == HOME]
    return (
        [as_file(page) for page in pages],
        [as_left(page) for page in pages],
        {p.head.id: p.text for p in pages},
    )


def planned(wiki: MemoryWiki, comparison: Comparison) -> Plan:
    try:
        return bring(wiki, HOME, comparison, folder="folder")
    except MokujiError as refusal:
        event(f"refused: {refusal.code}")
        assume(False)
        raise


def said(text: str) -> tuple[str, ...]:
    """What a text says beside its references, whatever its line ends are."""
    return masked(re.sub("\\r\\n?", "\\n", text))


@st.composite
def worked_on(draw: st.DrawFn, files: list[Brought]) -> list[Brought]:
    """A folder after somebody worked on it: texts edited or exchanged, pages called by fresh names, some taken away,
    some new."""
    outline = Outline({"Guide": [file.title for file in files]})
    fresh, found = list(NEW), []
    for file in files:
        how = draw(st.integers(0, 7))
        text, title, path = file.text, file.title, file.path
        if how == 0:
            continue
        if how in {1, 2}:
            lines = text.splitlines(keepends=True)
            at = draw(st.integers(0, len(lines)))
            words = draw(
                st.sampled_from(["New words.\n", "```\n", "[[Fresh one]] and more\n", "x [[Pump]] y\n"])
            )
            text = "".join([*lines[:at], words, *lines[at + draw(st.integers(0, 1)) :]])
        if how == 3:
            text = draw(texts(outline, "Guide"))
        if how in {2, 4}:
            title = fresh.pop(0)
            path = f"{title}.md" if one_in(draw, 2) else path
        found.append(Brought(path, title, text, hashed(text)))
    for _ in several(draw, 0, 1):
        title = fresh.pop(0)
        text = draw(texts(outline, "Guide"))
        found.append(Brought(f"new {title}.md", title, text, hashed(text)))
    return found


@given(wikis(), st.data())
def test_what_is_carried_of_a_text_has_the_references_that_it_had(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    page = next(iter(wiki.pages_by_id.values()))
    files = data.draw(worked_on([as_file(page)]))
    for file in files:
        parts = composed(page, file.text, Called("guide", {}))
        assert text_of(parts, page.text) == file.text
        new, at = references_of(file.text), 0
        for part in parts:
            size = len(text_of([part], page.text))
            if isinstance(part, Carried):
                was = [
                    r.span.moved(-part.span.start)
                    for r in page.content.references
                    if part.span.covers(r.span)
                ]
                touched = [
                    r
                    for r in page.content.references
                    if r.span.start < part.span.end and part.span.start < r.span.end
                ]
                assert len(was) == len(touched), "no reference is cut"
                assert was == [r.span.moved(-at) for r in new if at <= r.span.start < at + size]
            at += size


@given(wikis(), st.data())
def test_work_on_a_folder_comes_back_as_it_was_done_and_every_reference_leads_where_it_led_there(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    files, left, then = taken_away(wiki)
    found = data.draw(worked_on(files))
    comparison = compare(Memory(wiki, then), found, left, {}, based=True)
    assert not comparison.open
    plan = planned(wiki, comparison)
    after = applied(wiki, plan)
    there = {page.head.title: page for page in after.pages_by_id.values() if page.head.volume == HOME}
    assert there.keys() == {file.title for file in found}
    for file in found:
        assert said(there[file.title].text) == said(file.text)
    _lead_where_they_led(wiki, after, found, there, comparison)
    event(f"{min(len(comparison.items), 4)} items")


def _lead_where_they_led(
    wiki: MemoryWiki,
    after: MemoryWiki,
    found: list[Brought],
    there: Mapping[str, Page],
    comparison: Comparison,
) -> None:
    """A name that the folder has for a page means that one; else the page that was called so when it left."""
    key = next(each.key for each in wiki.volumes.values() if each.id == HOME)
    own = {names.key(file.title): file.title for file in found}
    former = {
        names.key(entry.title): comparison.files[path].title
        for path, entry in comparison.matched.pages.items()
    }
    will = leads(after)
    for file in found:
        page = there[file.title]
        for typed, (_, lead) in zip(references_of(file.text), will[page.head.id], strict=True):
            if typed.name is None or typed.name.absolute or typed.name.volume not in {None, key}:
                continue
            if typed.name.volume is not None:
                continue  # which of two a name with a stroke means is for resolution to say
            wanted = own.get(typed.name.key) or former.get(typed.name.key)
            if wanted is not None:
                assert lead.page == there[wanted].head.id, (file.text, typed)


@given(wikis(), st.data())
def test_a_folder_on_which_nobody_worked_brings_nothing_whatever_was_done_here(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    files, left, then = taken_away(wiki)
    now = worked_here(wiki, data)
    comparison = compare(Memory(now, then), files, left, {}, based=True)
    assert comparison.items == ()
    assert planned(now, comparison).nothing_to_do


def worked_here(wiki: MemoryWiki, data: st.DataObject) -> MemoryWiki:
    """The wiki once some of its pages were renamed, or went."""
    for title in data.draw(st.lists(st.sampled_from(["Here one", "Here two"]), unique=True)):
        page = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
        try:
            plan = delete(wiki, [page]) if data.draw(st.integers(0, 3)) == 0 else rename(wiki, page, title)
        except MokujiError:
            continue
        if len(wiki.pages_by_id) - len(plan.change_set.removed) > 0:
            wiki = applied(wiki, plan)
    return wiki


@given(wikis(), st.data())
def test_what_both_did_is_brought_together_and_each_choice_can_be_made(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    files, left, then = taken_away(wiki)
    found = data.draw(worked_on(files))
    now = worked_here(wiki, data)
    memory = Memory(now, then)
    first = compare(memory, found, left, {}, based=True)
    choices: dict[str, Side] = {
        item.id: data.draw(st.sampled_from(["folder", "wiki"])) for item in first.items
    }
    second = compare(memory, found, left, choices, based=True)
    assert not second.open
    plan = planned(now, second)
    after = applied(now, plan)
    titles = {(page.head.volume, page.head.key) for page in after.pages_by_id.values()}
    assert len(titles) == len(after.pages_by_id), "no two pages share a name"
    for item in second.items:
        if item.page is not None and not item.done:
            page = after.pages_by_id[item.page.id]
            assert page.head.title == item.page.title
            assert said(page.text) == said(now.pages_by_id[item.page.id].text), "left as it is here"
        elif item.page is not None and item.kind == "gone":
            assert item.page.id not in after.pages_by_id
        elif item.page is not None:
            page = after.pages_by_id[item.page.id]
            assert page.head.title == item.title
            assert said(page.text) == said(item.text)
    nothing = compare(memory, found, left, dict.fromkeys(choices, "wiki"), based=True)
    assert planned(now, nothing).nothing_to_do, "all left out is nothing done"


@given(wikis(), st.data())
def test_brought_back_twice_it_brings_nothing_more(wiki: MemoryWiki, data: st.DataObject) -> None:
    files, left, then = taken_away(wiki)
    found = data.draw(worked_on(files))
    plan = planned(wiki, compare(Memory(wiki, then), found, left, {}, based=True))
    after = applied(wiki, plan)
    again, left_again, then_again = taken_away(after)
    assert compare(Memory(after, then_again), again, left_again, {}, based=True).items == ()
    untouched = [replace(file, path=f"elsewhere/{file.path}") for file in again]
    assert compare(Memory(after, then_again), untouched, left_again, {}, based=True).items == (), (
        "moved files"
    )
