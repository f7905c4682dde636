"""The six promises of every act hold for random wikis and random acts."""

from __future__ import annotations

from collections.abc import Callable, Collection

from hypothesis import assume, event, given, settings
from hypothesis import strategies as st

from mokuji.core.assembly.rendered_equality import Reader
from mokuji.core.base import names
from mokuji.core.base.errors import MokujiError
from mokuji.core.base.spans import Span
from mokuji.core.language.page import Page, PageHead
from mokuji.core.model.references import uses_of
from mokuji.core.model.wiki import MemoryWiki, Wiki
from mokuji.core.refactor.combining import Combining
from mokuji.core.refactor.engine.definitions import part
from mokuji.core.refactor.engine.outcome import At
from mokuji.core.refactor.facts import NoFacts
from mokuji.core.refactor.plan import Plan
from mokuji.core.refactor.plans.aliases import set_aliases
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.delete import delete
from mokuji.core.refactor.plans.extract import Wanted, extract
from mokuji.core.refactor.plans.inline import inline
from mokuji.core.refactor.plans.join import join
from mokuji.core.refactor.plans.merge import merge
from mokuji.core.refactor.plans.move import move_to_volume
from mokuji.core.refactor.plans.rename import Renamed, rename
from mokuji.core.refactor.plans.restore import Trashed, restore
from mokuji.core.refactor.plans.retarget import retarget
from mokuji.core.refactor.plans.save import save
from mokuji.core.refactor.plans.section import rename_section
from mokuji.core.refactor.plans.split import split
from mokuji.core.refactor.plans.undo import undo
from mokuji.core.refactor.plans.volumes import create_volume, delete_volume, rename_volume, set_libraries
from mokuji.core.syntax.headings import section_end
from tests.properties.promises import (
    Spot,
    Went,
    appended,
    applied,
    check,
    check_spans,
    leads,
    named,
    new_ids,
    past_of,
    texts,
    words,
)
from tests.wikis import HEADINGS, TITLES, VOLUMES, wikis, with_pages

new_titles = st.one_of(st.sampled_from([*TITLES, "Battery compartment", "Pumpe", "Guide/New", "neu"]))


def planned(act: Callable[[], Plan]) -> Plan:
    """The plan of an act; examples in which it is refused are passed over."""
    try:
        plan = act()
    except MokujiError as refusal:
        event(f"refused: {refusal.code}")
        assume(False)
    event("rewrites pages" if plan.rewritten else "rewrites nothing")
    for name in ("captured", "lost", "lost_sections", "sections"):
        if getattr(plan.followed, name):
            event(f"with {name}")
    return plan


def some_page(data: st.DataObject, wiki: MemoryWiki) -> int:
    return data.draw(st.sampled_from(sorted(wiki.pages_by_id)))


def some_rename(data: st.DataObject, wiki: MemoryWiki, present: bool, *, alias: bool = False) -> Plan:
    page, title = some_page(data, wiki), data.draw(new_titles)
    return planned(lambda: rename(wiki, page, title, present_words=present, keep_alias=alias))


@given(wikis(), st.booleans(), st.booleans(), st.data())
def test_a_rename_keeps_what_every_reference_leads_to(
    wiki: MemoryWiki, present: bool, alias: bool, data: st.DataObject
) -> None:
    plan = some_rename(data, wiki, present, alias=alias)
    check(wiki, applied(wiki, plan), plan)
    assert plan.page is not None
    # The aliases of the page itself: its old title is one more, and one that is its title now goes.
    assert isinstance(plan.facts, Renamed)
    own = names.key(plan.facts.after) in wiki.pages_by_id[plan.page.id].alias_keys
    check_spans(plan, {plan.page.id} if alias or own else ())


@given(wikis(), st.data())
def test_with_the_present_words_readers_see_what_they_saw(wiki: MemoryWiki, data: st.DataObject) -> None:
    plan = some_rename(data, wiki, True)
    after = applied(wiki, plan)
    if plan.followed.sections:
        return  # the words of a section are those of its heading, which may have changed
    for id_, seen in words(wiki).items():
        assert words(after)[id_] == seen


@given(wikis(), new_titles, st.data())
def test_a_new_page_takes_no_reference_away(wiki: MemoryWiki, title: str, data: st.DataObject) -> None:
    volume = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    text = data.draw(st.sampled_from(["", "---\naliases: [Pump, neu]\n---\n[[Pump]] ## x", "## Limits\n"]))
    plan = planned(lambda: create(wiki, volume, title, text))
    check(wiki, applied(wiki, plan), plan)
    check_spans(plan)


@given(wikis(), st.data())
def test_a_move_to_another_volume_keeps_what_every_reference_leads_to(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    home = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    pages = sorted(id_ for id_, page in wiki.pages_by_id.items() if page.head.volume == home)
    chosen = data.draw(st.lists(st.sampled_from(pages), min_size=1, unique=True))
    target = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    plan = planned(lambda: move_to_volume(wiki, chosen, target))
    check(wiki, applied(wiki, plan), plan)
    check_spans(plan)


@given(wikis(), st.sampled_from(["after", "before", "keep"]), st.data())
def test_after_a_merge_references_lead_to_what_received_the_text(
    wiki: MemoryWiki, how: str, data: st.DataObject
) -> None:
    page, into = some_page(data, wiki), some_page(data, wiki)
    plan = planned(lambda: merge(wiki, page, into, texts=how))  # type: ignore[arg-type]
    one, other = wiki.pages_by_id[page].content, wiki.pages_by_id[into].content
    references: dict[Spot, Spot | None] = {}
    headings: dict[Spot, Spot | int | None] = {}
    order = [into, page] if how == "after" else [page, into]
    counts = {page: one, into: other}
    if how == "keep":
        references.update({(page, n): None for n in range(len(one.references))})
        headings.update({(page, n): None for n in range(len(one.headings))})
    else:
        references.update(appended([(id_, len(counts[id_].references)) for id_ in order], into))
        headings.update(appended([(id_, len(counts[id_].headings)) for id_ in order], into))
    after = applied(wiki, plan)
    check(wiki, after, plan, Went(references, headings, {page: into}))
    check_spans(plan, {into})


@given(wikis(), st.sampled_from(["leave", "words", "retarget"]), st.data())
def test_after_a_delete_references_are_listed_or_led_elsewhere_or_words(
    wiki: MemoryWiki, how: str, data: st.DataObject
) -> None:
    pages = sorted(wiki.pages_by_id)
    gone = data.draw(st.lists(st.sampled_from(pages), min_size=1, max_size=2, unique=True))
    left = [id_ for id_ in pages if id_ not in gone]
    target = data.draw(st.sampled_from(left)) if left else None
    plan = planned(lambda: delete(wiki, gone, references=how, target=target))  # type: ignore[arg-type]
    successor = target if how == "retarget" else None
    references: dict[Spot, Spot | None] = {
        (id_, n): None for id_ in gone for n in range(len(wiki.pages_by_id[id_].content.references))
    }
    if how == "words":
        for id_, each in leads(wiki).items():
            at = 0
            end = -1
            for n, (reference, lead) in enumerate(each):
                inside = reference.span.start < end
                dropped = inside or lead.page in gone or id_ in gone
                references[id_, n] = None if dropped else (id_, at)
                at += not dropped
                if lead.page in gone and not inside:
                    end = reference.span.end
    after = applied(wiki, plan)
    check(wiki, after, plan, Went(references, {}, dict.fromkeys(gone, successor)))
    if how == "leave":
        led = {(id_, r.span) for id_, each in leads(wiki).items() for r, lead in each if lead.page in gone}
        listed = {(each.page.id, each.span) for each in (*plan.lost, *plan.captured)}
        assert {at for at in led if at[0] not in gone} <= listed


@given(wikis(), st.data())
def test_what_is_restored_is_led_to_and_leads_as_before(wiki: MemoryWiki, data: st.DataObject) -> None:
    pages = sorted(wiki.pages_by_id)
    gone = data.draw(st.lists(st.sampled_from(pages), min_size=1, max_size=2, unique=True))
    plan = planned(lambda: delete(wiki, gone))
    without = applied(wiki, plan)
    trashed = [Trashed(r.head, wiki.pages_by_id[r.head.id].text, r.leads) for r in plan.change_set.removed]
    back = planned(lambda: restore(without, trashed, captured=plan.followed.landed))
    again = applied(without, back)
    assert texts(again) == texts(wiki)
    assert named(again) == named(wiki)


@given(wikis(), st.data())
def test_what_a_restored_page_refers_to_is_found_under_its_new_name(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    assume(len(wiki.pages_by_id) > 1)
    gone = some_page(data, wiki)
    plan = planned(lambda: delete(wiki, [gone]))
    without = applied(wiki, plan)
    other = some_rename(data, without, False)
    now = applied(without, other)
    trashed = [Trashed(r.head, wiki.pages_by_id[r.head.id].text, r.leads) for r in plan.change_set.removed]
    back = planned(lambda: restore(now, trashed))
    again = applied(now, back)
    was, will = leads(wiki)[gone], leads(again)[gone]
    for (_, lead), (_, then) in zip(was, will, strict=True):
        if lead.page is not None:
            assert then.page == lead.page
    # Nobody else's references were taken away; what asked for the page finds it again.
    check(now, again, back)


@given(wikis(), st.sampled_from(["link", "insert"]), new_titles, st.booleans(), st.data())
def test_after_a_split_sections_are_found_where_the_text_went(
    wiki: MemoryWiki, leave: str, title: str, present: bool, data: st.DataObject
) -> None:
    with_headings = sorted(id_ for id_, page in wiki.pages_by_id.items() if page.content.headings)
    assume(with_headings)
    page = data.draw(st.sampled_from(with_headings))
    content, text = wiki.pages_by_id[page].content, wiki.pages_by_id[page].text
    index = data.draw(st.integers(0, len(content.headings) - 1))
    plan = planned(lambda: split(wiki, page, index, title, leave=leave, present_words=present))  # type: ignore[arg-type]
    after = applied(wiki, plan)
    new = new_ids(wiki, plan)[0]
    body = after.pages_by_id[new].content
    heading = content.headings[index]
    # References: before the section, in it, behind it; one new one stands between.
    start = heading.span.end if leave == "insert" else heading.span.start
    lead = sum(r.span.start < start for r in content.references)
    moved = len(body.references)
    # What stands in a note that was carried along is elsewhere: see test_definitions.
    parted = part(wiki.pages_by_id[page], Span(heading.span.end, section_end(text, content.headings, index)))
    carried = [d.span for side in (parted.passage, parted.rest) for d in (*side.moved, *side.copied)]
    assume(not any(a <= r.span.start < b for a, b in carried for r in content.references))
    dropped = sum(heading.span.start <= r.span.start < heading.span.end for r in content.references)
    dropped = dropped if leave == "link" else 0
    references: dict[Spot, Spot | None] = {}
    for n in range(len(content.references)):
        if n < lead:
            continue
        inside = n - lead - dropped
        if inside < 0:
            references[page, n] = None
        else:
            references[page, n] = (new, inside) if inside < moved else (page, n - moved - dropped + 1)
    inner = len(body.headings)
    headings: dict[Spot, Spot | int | None] = {(page, index): new}
    for n in range(index + 1, len(content.headings)):
        inside = n - index - 1
        kept = 1 if leave == "insert" else 0
        headings[page, n] = (new, inside) if inside < inner else (page, n - inner - 1 + kept)
    assume(len(after.pages_by_id[page].content.references) + moved == len(content.references) - dropped + 1)
    check(wiki, after, plan, Went(references, headings))
    check_spans(plan, {page})


@given(wikis(), st.data())
def test_after_a_join_the_page_is_a_section(wiki: MemoryWiki, data: st.DataObject) -> None:
    page, into = some_page(data, wiki), some_page(data, wiki)
    plan = planned(lambda: join(wiki, page, into))
    after = applied(wiki, plan)
    for id_, each in leads(wiki).items():
        if id_ in {page, into}:
            continue
        for (old, lead), (_, now) in zip(each, leads(after)[id_], strict=True):
            expected = into if lead.page == page else lead.page
            assert now.page == expected, f"{old} of page {id_}"
            if lead.page == page and old.section is None and old.kind.value == "link":
                assert now.section is not None
    check_spans(plan, {into})


@given(wikis(), st.data())
def test_when_a_heading_is_renamed_references_to_it_follow(wiki: MemoryWiki, data: st.DataObject) -> None:
    with_headings = sorted(id_ for id_, page in wiki.pages_by_id.items() if page.content.headings)
    assume(with_headings)
    page = data.draw(st.sampled_from(with_headings))
    content = wiki.pages_by_id[page].content
    index = data.draw(st.integers(0, len(content.headings) - 1))
    new = data.draw(st.sampled_from([*(h.partition(" {")[0] for h in HEADINGS), "New *words*"]))
    plan = planned(lambda: rename_section(wiki, page, index, new))
    after = applied(wiki, plan)
    span = content.headings[index].span
    references: dict[Spot, Spot | None] = {}
    dropped = 0
    for n, reference in enumerate(content.references):
        inside = span.start <= reference.span.start < span.end
        dropped += inside
        references[page, n] = None if inside else (page, n - dropped)
    assume(len(after.pages_by_id[page].content.headings) == len(content.headings))
    check(wiki, after, plan, Went(references))
    check_spans(plan, {page})


@given(wikis(), st.data())
def test_a_retarget_leads_the_chosen_references_and_no_others(wiki: MemoryWiki, data: st.DataObject) -> None:
    reached = sorted(
        {
            (lead.place or _place(wiki, lead.page))
            for each in leads(wiki).values()
            for r, lead in each
            if r.name is not None
        }
    )
    assume(reached)
    place = data.draw(st.sampled_from(reached))
    target = some_page(data, wiki)
    uses = [(page.head.id, use.index, use.reference.span) for page, use in uses_of(wiki, place)]
    assume(uses)
    chosen = data.draw(st.lists(st.sampled_from(uses), min_size=1, unique=True))
    only: set[At] = {(id_, span) for id_, _, span in chosen}
    plan = planned(lambda: retarget(wiki, place, target, only=only))
    after = applied(wiki, plan)
    was, will = leads(wiki), leads(after)
    aimed = {(id_, index) for id_, index, _ in chosen}
    for id_, each in was.items():
        for n, ((_, lead), (_, now)) in enumerate(zip(each, will[id_], strict=True)):
            assert now.page == (target if (id_, n) in aimed else lead.page)
    check_spans(plan)


def _place(wiki: MemoryWiki, page: int | None) -> tuple[int, str]:
    head = wiki.pages_by_id[page or 0].head
    return head.volume, head.key


@given(wikis(), st.lists(st.sampled_from(TITLES), max_size=3, unique_by=names.key), st.data())
def test_aliases_can_be_changed_without_a_reference_going_astray(
    wiki: MemoryWiki, aliases: list[str], data: st.DataObject
) -> None:
    page = some_page(data, wiki)
    plan = planned(lambda: set_aliases(wiki, page, aliases))
    check(wiki, applied(wiki, plan), plan)
    check_spans(plan, {page})


@given(wikis(), st.sampled_from(["create", "rename", "libraries", "delete"]), st.data())
def test_volumes_can_come_change_and_go(wiki: MemoryWiki, how: str, data: st.DataObject) -> None:
    volume = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    title = data.draw(st.sampled_from([*VOLUMES, "A", "New manual"]))
    pages = sorted(id_ for id_, page in wiki.pages_by_id.items() if page.head.volume == volume)
    others = data.draw(st.lists(st.sampled_from(sorted(v.id for v in wiki.volumes.values())), unique=True))
    plan = planned(
        {
            "create": lambda: create_volume(wiki, title),
            "rename": lambda: rename_volume(wiki, volume, title),
            "libraries": lambda: set_libraries(wiki, volume, others),
            "delete": lambda: delete_volume(wiki, volume, pages),
        }[how]
    )
    went = Went(pages=dict.fromkeys(pages, None)) if how == "delete" else Went()
    check(wiki, applied(wiki, plan), plan, went)
    check_spans(plan)


# ---- undo ---------------------------------------------------------------------


def _pages_in(wiki: MemoryWiki, volume: int) -> list[int]:
    return sorted(id_ for id_, page in wiki.pages_by_id.items() if page.head.volume == volume)


def any_act(data: st.DataObject, wiki: MemoryWiki) -> Plan:
    """Any of the acts, at random."""
    return planned(drawn_act(data, wiki, wiki))


BY_THEMSELVES = {"create", "split", "delete volume", "new volume", "volume", "libraries"}
"""Acts that cannot stand in one plan with others."""
MAKE_ONE_OF_TWO = {"merge", "merge keep", "join"}
OTHERS = {
    "rename",
    "move",
    "delete",
    "delete words",
    "delete retarget",
    "retarget",
    "save",
    "section",
    "aliases",
}


def drawn_act(
    data: st.DataObject, known: MemoryWiki, wiki: Wiki, without: Collection[str] = ()
) -> Callable[[], Plan]:
    """Any of the acts, at random, on a wiki of which all is known."""
    pages = sorted(known.pages_by_id)
    page, other = some_page(data, known), some_page(data, known)
    title = data.draw(new_titles)
    volume = data.draw(st.sampled_from(sorted(v.id for v in known.volumes.values())))
    acts: dict[str, Callable[[], Plan]] = {
        "rename": lambda: rename(wiki, page, title, keep_alias=len(title) > 4),
        "create": lambda: create(wiki, volume, title, "[[Pump]]\n\n## Limits\n"),
        "move": lambda: move_to_volume(wiki, [page], volume),
        "merge": lambda: merge(wiki, page, other),
        "merge keep": lambda: merge(wiki, page, other, texts="keep"),
        "delete": lambda: delete(wiki, [page]),
        "delete words": lambda: delete(wiki, [page], references="words"),
        "delete retarget": lambda: delete(wiki, [page], references="retarget", target=other),
        "retarget": lambda: retarget(wiki, (volume, names.key(title)), other),
        "save": lambda: save(wiki, page, f"[[{names.escape(title)}]]\n"),
        "split": lambda: split(wiki, page, 0, title),
        "join": lambda: join(wiki, page, other),
        "section": lambda: rename_section(wiki, page, 0, "Other words"),
        "aliases": lambda: set_aliases(wiki, page, [title]),
        "delete volume": lambda: delete_volume(wiki, volume, _pages_in(known, volume)),
        "new volume": lambda: create_volume(wiki, title),
        "volume": lambda: rename_volume(wiki, volume, "New manual"),
        "libraries": lambda: set_libraries(wiki, volume, [v.id for v in wiki.volumes.values()]),
    }
    which = data.draw(st.sampled_from(sorted(acts.keys() - set(without))))
    event(which)
    assert pages
    return acts[which]


@given(wikis(), st.data())
def test_undoing_any_act_gives_the_same_bytes(wiki: MemoryWiki, data: st.DataObject) -> None:
    plan = any_act(data, wiki)
    after = applied(wiki, plan)
    back = undo(after, past_of(wiki, plan))
    assert back.conflicts == ()
    again = applied(after, back)
    assert texts(again) == texts(wiki)
    assert named(again) == named(wiki)
    assert {v.id: v for v in again.volumes.values()} == {v.id: v for v in wiki.volumes.values()}


@given(wikis(), st.data())
def test_several_acts_in_one_give_what_one_after_another_gives_and_are_taken_back_in_one(
    wiki: MemoryWiki, data: st.DataObject
) -> None:
    combining, by_steps = Combining(wiki, "several"), wiki
    done = 0
    # What makes one page of two is planned with its like only.
    others = data.draw(st.sampled_from([MAKE_ONE_OF_TWO, OTHERS]))
    for _ in range(3):
        try:
            plan = drawn_act(data, by_steps, combining.wiki, BY_THEMSELVES | others)()
            combining.add(plan)
        except MokujiError as refusal:
            event(f"refused: {refusal.code}")
            continue
        by_steps = applied(by_steps, plan)
        done += 1
        if not by_steps.pages_by_id:
            break
    event(f"{done} acts")
    whole = combining.plan(NoFacts())
    after = applied(wiki, whole)
    assert texts(after) == texts(by_steps)
    assert named(after) == named(by_steps)
    for page, (_, spans) in whole.followed.landed.items():
        known = {reference.span for reference in after.pages_by_id[page].content.references}
        assert spans <= known, "what began to lead somewhere is a reference of the text that is written"
    back = undo(after, past_of(wiki, whole))
    assert back.conflicts == ()
    assert texts(applied(after, back)) == texts(wiki)
    assert named(applied(after, back)) == named(wiki)


@given(wikis(), st.data())
def test_undoing_the_undoing_gives_what_the_act_gave(wiki: MemoryWiki, data: st.DataObject) -> None:
    plan = any_act(data, wiki)
    after = applied(wiki, plan)
    back = undo(after, past_of(wiki, plan))
    again = applied(after, back)
    forth = undo(again, past_of(after, back))
    assert forth.conflicts == ()
    assert texts(applied(again, forth)) == texts(after)


@given(wikis(), st.data())
def test_an_undo_after_other_edits_takes_no_reference_away(wiki: MemoryWiki, data: st.DataObject) -> None:
    """Somebody has written a paragraph into one of the pages since."""
    plan = any_act(data, wiki)
    after = applied(wiki, plan)
    assume(after.pages_by_id)
    edited = some_page(data, after)
    title = data.draw(new_titles)
    page = after.pages_by_id[edited]
    head = PageHead(edited, page.head.volume, page.head.key, page.head.title, page.head.revision + 1)
    now = with_pages(after, {edited: Page(head, page.text + f"\n\nSince then [[{names.escape(title)}]].\n")})
    past = past_of(wiki, plan)
    back = planned(lambda: undo(now, past))
    assume(not back.conflicts)
    again = applied(now, back)
    was, will = leads(now), leads(again)
    untouched = set(was) - set(past.texts) - past.made
    listed = {(reference.page.id, reference.span) for reference in (*back.captured, *back.lost)}
    released = {(id_, span) for id_, (_, spans) in past.captured.items() for span in spans}
    returning = {page_back.head.id: page_back.successor for page_back in past.removed}
    for id_ in untouched & set(will):
        for (old, lead), (_, then) in zip(was[id_], will[id_], strict=True):
            if (id_, old.span) in listed | released or lead.page == then.page:
                continue
            entry = past.entries.get(lead.page or 0)
            assert (entry is not None and then.page == entry.page) or (
                then.page in returning and returning[then.page] == lead.page
            ), f"{old} of page {id_} led to {lead}, now to {then}"


@given(wikis(), st.booleans(), st.data())
def test_a_plan_of_the_same_wiki_has_the_same_digest(
    wiki: MemoryWiki, present: bool, data: st.DataObject
) -> None:
    plan = some_rename(data, wiki, present)
    assert plan.page is not None and isinstance(plan.facts, Renamed)
    again = rename(wiki, plan.page.id, plan.facts.after, present_words=present)
    assert plan.digest == again.digest


FEWER = settings.default.max_examples // 3 if settings.default is not None else 50
"""Each of these reads every page twice."""


def _reads_the_same(wiki: MemoryWiki, after: MemoryWiki) -> None:
    for id_, page in wiki.pages_by_id.items():
        assert Reader(after).read(after.pages_by_id[id_]) == Reader(wiki).read(page), page.head.title


@settings(max_examples=FEWER)
@given(wikis(), st.sampled_from(["\n\n{}\n", "\n\n- {}\n- x\n", "\n\n> a {} b\n"]), st.data())
def test_after_an_inline_every_page_reads_as_before(
    wiki: MemoryWiki, place: str, data: st.DataObject
) -> None:
    assume(len(wiki.pages_by_id) > 1)
    host, template = (wiki.pages_by_id[some_page(data, wiki)] for _ in range(2))
    assume(host is not template)
    volume = next(v for v in wiki.volumes.values() if v.id == template.head.volume)
    insert = f"[[=/{names.escape(volume.title)}/{names.escape(template.head.title)}]]"
    wiki = with_pages(wiki, {host.head.id: Page(host.head, host.text.rstrip() + place.format(insert))})
    count = len(wiki.pages_by_id[host.head.id].content.references)
    plan = planned(lambda: inline(wiki, host.head.id, count - 1))
    _reads_the_same(wiki, applied(wiki, plan))


@settings(max_examples=FEWER)
@given(wikis(), new_titles, st.booleans(), st.data())
def test_after_an_extract_every_page_reads_as_before(
    wiki: MemoryWiki, title: str, template: bool, data: st.DataObject
) -> None:
    page = wiki.pages_by_id[some_page(data, wiki)]
    assume(page.text.strip())
    start = data.draw(st.integers(0, len(page.text) - 1))
    passage = Span(start, data.draw(st.integers(start + 1, len(page.text))))
    # A heading that goes to the new page takes the references to it along.
    assume(not any(h.span.start < passage.end and passage.start < h.span.end for h in page.content.headings))
    wanted, every = Wanted(title, template), sorted(wiki.pages_by_id)
    offered = planned(lambda: extract(wiki, page.head.id, passage, wanted, offer=every))
    assume(not offered.captured)
    rows = [row.id for row in offered.rows if data.draw(st.booleans())]
    plan = planned(lambda: extract(wiki, page.head.id, passage, wanted, rows=rows, offer=every))
    event(f"{len(rows)} more places")
    _reads_the_same(wiki, applied(wiki, plan))
