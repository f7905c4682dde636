"""The six promises of every act hold for random wikis, renames and new pages."""

from __future__ import annotations

from hypothesis import assume, event, given
from hypothesis import strategies as st

from mokuji.core import names
from mokuji.core.edits import apply
from mokuji.core.errors import MokujiError, Refused
from mokuji.core.following import captured_after
from mokuji.core.plans.create import NEW, create
from mokuji.core.plans.rename import rename
from mokuji.core.plans.undo import Before, undo_rename
from mokuji.core.spans import Span
from mokuji.core.wiki import MemoryWiki, Page, PageHead
from tests.properties.promises import applied, check, leads, words
from tests.wikis import TITLES, wikis, with_pages

new_titles = st.one_of(st.sampled_from([*TITLES, "Battery compartment", "Pumpe", "Guide/New", "neu"]))


def _rename(data: st.DataObject, wiki: MemoryWiki, present: bool):  # type: ignore[no-untyped-def]
    page = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
    title = data.draw(new_titles)
    try:
        plan = rename(wiki, page, title, present_words=present)
    except Refused as refusal:
        event(f"refused: {refusal.code}")
        assume(False)
    event("rewrites pages" if plan.rewritten else "only the title")
    if plan.captured:
        event("captures")
    if plan.sections:
        event("sections follow")
    return plan


@given(wikis(), st.booleans(), st.data())
def test_a_rename_keeps_what_every_reference_leads_to(
    wiki: MemoryWiki, present: bool, data: st.DataObject
) -> None:
    plan = _rename(data, wiki, present)
    after = applied(wiki, plan.change_set.changes)
    check(wiki, after, plan.change_set.changes, [(c.page.id, c.span) for c in plan.captured])


@given(wikis(), st.data())
def test_with_the_present_words_readers_see_what_they_saw(wiki: MemoryWiki, data: st.DataObject) -> None:
    plan = _rename(data, wiki, True)
    after = applied(wiki, plan.change_set.changes)
    if plan.sections:
        return  # the words of a section are those of its heading, which may have changed
    for id_, seen in words(wiki).items():
        assert words(after)[id_] == seen


@given(wikis(), st.booleans(), st.data())
def test_undoing_a_rename_gives_the_same_bytes(wiki: MemoryWiki, present: bool, data: st.DataObject) -> None:
    plan = _rename(data, wiki, present)
    after = applied(wiki, plan.change_set.changes)
    before = {c.head.id: Before(c.head.revision + 1, c.before) for c in plan.change_set.changes}
    captured = captured_after(plan.change_set, plan.captured)
    undo = undo_rename(after, plan.page.id, plan.page.title, before, captured)
    back = applied(after, undo.change_set.changes)
    for change in undo.change_set.changes:
        assert apply(change.before, change.edits) == change.after, "what is shown is what is done"
    assert {id_: page.text for id_, page in back.pages_by_id.items()} == {
        id_: page.text for id_, page in wiki.pages_by_id.items()
    }
    assert back.pages_by_id[plan.page.id].head.title == plan.page.title


@given(wikis(), new_titles, st.data())
def test_a_new_page_takes_no_reference_away(wiki: MemoryWiki, title: str, data: st.DataObject) -> None:
    volume = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    try:
        plan = create(wiki, volume, title)
    except MokujiError as refusal:
        event(f"refused: {refusal.code}")
        assume(False)
    made = Page(PageHead(NEW, volume, names.key(title), plan.page.title), "")
    after = applied(wiki, plan.change_set.changes, [made])
    check(wiki, after, plan.change_set.changes, [(c.page.id, c.span) for c in plan.captured])


@given(wikis(), st.booleans(), st.data())
def test_a_plan_of_the_same_wiki_has_the_same_digest(
    wiki: MemoryWiki, present: bool, data: st.DataObject
) -> None:
    plan = _rename(data, wiki, present)
    again = rename(wiki, plan.page.id, plan.title, present_words=present)
    assert plan.digest == again.digest


@given(wikis(), st.data())
def test_an_undo_after_other_edits_keeps_what_references_lead_to(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    """Somebody has written a paragraph into one of the pages, and a new page, since."""
    plan = _rename(data, wiki, False)
    renamed = applied(wiki, plan.change_set.changes)
    edited = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
    page = renamed.pages_by_id[edited]
    head = PageHead(edited, page.head.volume, page.head.key, page.head.title, page.head.revision + 1)
    text = page.text + f"\n\nSince then [[{names.escape(plan.title)}]].\n"
    now = with_pages(renamed, {edited: Page(head, text)})
    before = {c.head.id: Before(c.head.revision + 1, c.before) for c in plan.change_set.changes}
    captured = captured_after(plan.change_set, plan.captured)
    try:
        undo = undo_rename(now, plan.page.id, plan.page.title, before, captured)
    except Refused as refusal:
        event(f"refused: {refusal.code}")
        return
    back = applied(now, undo.change_set.changes)
    assert back.pages_by_id[plan.page.id].head.title == plan.page.title
    was, will = leads(now), leads(back)
    for id_, references in was.items():
        for (old, lead), (_, then) in zip(references, will[id_], strict=True):
            released = old.span in captured.get(id_, (0, frozenset[Span]()))[1]
            assert lead.page == then.page or (released and lead.page == plan.page.id and then.page is None)
            assert released or lead.section is None or then.section == lead.section
