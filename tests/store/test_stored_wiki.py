"""The database answers what the texts say: the same as a wiki in memory that reads everything."""

from __future__ import annotations

from collections import Counter

from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import Engine

from mokuji.core.base.errors import MokujiError
from mokuji.core.language.page import Page, Use
from mokuji.core.model.wiki import MemoryWiki
from mokuji.core.refactor.plans.create import create
from mokuji.core.refactor.plans.rename import rename
from mokuji.store import writing
from mokuji.store.index import backlinks, led, recount, to_mend, unwritten
from mokuji.store.log import change_sets
from mokuji.store.snapshot import StoredWiki
from tests.properties.promises import leads
from tests.store.filling import BY, empty, fill, indexes, read_back, scratch
from tests.wikis import TITLES, wikis

FEW = settings(max_examples=25)


def _every_place(wiki: MemoryWiki) -> set[tuple[int, str]]:
    places = {(p.head.volume, p.head.key) for p in wiki.pages_by_id.values()}
    places |= {lead.place for found in leads(wiki).values() for _, lead in found if lead.place is not None}
    return places | {(p.head.volume, key) for p in wiki.pages_by_id.values() for key in p.alias_keys}


def _meaning(wiki: MemoryWiki, page: Page, place: tuple[int, str]) -> list[Use]:
    """The uses of a page that could mean a place."""
    return [
        use
        for use in page.uses({place[1]})
        if use.reference.name is not None
        and place in set(wiki.places_of(page.head.volume, use.reference.kind, use.reference.name))
    ]


@given(wikis())
@FEW
def test_the_database_gives_the_answers_of_the_texts(engine: Engine, wiki: MemoryWiki) -> None:
    places = _every_place(wiki)
    with engine.begin() as connection:
        empty(connection)
        fill(connection, wiki)
        stored = StoredWiki(connection)
        assert stored.titles(places) == wiki.titles(places)
        assert {p: list(h) for p, h in stored.aliases(places).items()} == dict(wiki.aliases(places))
        for place in places:
            assert set(wiki.naming([place])) <= set(stored.naming([place])), place
            assert set(wiki.naming_sections([place])) <= set(stored.naming_sections([place])), place
            for id_, page in stored.pages(wiki.naming([place])).items():
                assert _meaning(wiki, page, place) == _meaning(wiki, wiki.pages_by_id[id_], place)
        connection.rollback()


@given(wikis())
@FEW
def test_backlinks_and_counts_are_those_of_all_references_read_one_by_one(
    engine: Engine, wiki: MemoryWiki
) -> None:
    found = leads(wiki)
    to_page = {
        (target, id_): sum(lead.page == target for _, lead in references)
        for id_, references in found.items()
        for target in wiki.pages_by_id
        if target != id_
    }
    with engine.begin() as connection:
        empty(connection)
        fill(connection, wiki)
        every = list(wiki.volumes.values())
        seen = [volume.id for volume in every]
        heads = [page.head for page in wiki.pages_by_id.values()]
        recount.recount(connection)
        whole = StoredWiki(connection)
        counts = {target: sum(homes.values()) for target, homes in led.count(whole, heads).items() if homes}
        assert counts == Counter(target for (target, _), places in to_page.items() if places)
        for head in heads:
            got = backlinks.backlinks(whole, head, seen, most=100)
            expected = {
                id_: places for (target, id_), places in to_page.items() if target == head.id and places
            }
            assert {entry.page.id: entry.places for entry in got.entries} == expected
            assert (got.pages, got.places) == (len(expected), sum(expected.values()))
        for volume in every:
            names = {
                lead.place
                for references in found.values()
                for _, lead in references
                if lead.place is not None
            }
            expected_names = {key for home, key in names if home == volume.id}
            # What is asked for in a volume that is not there counts in the one that asks.
            nowhere = {
                lead.place[1]
                for id_, references in found.items()
                for _, lead in references
                if wiki.pages_by_id[id_].head.volume == volume.id and lead.place and not lead.place[0]
            }
            assert to_mend.counts(connection, volume.id, seen).unwritten == len(expected_names) + len(nowhere)
            assert to_mend.counts(connection, volume.id, seen).orphans == sum(
                head.volume == volume.id and not counts.get(head.id) for head in heads
            )
            for key in expected_names:
                asking = {
                    id_
                    for id_, refs in found.items()
                    if any(lead.place == (volume.id, key) for _, lead in refs)
                }
                asking_pages = unwritten.led_from(StoredWiki(connection), (volume.id, key))
                assert {head.id for head in asking_pages} == asking
        connection.rollback()


@given(wikis(), st.sampled_from(TITLES), st.data())
@FEW
def test_after_a_rename_all_indexes_are_those_of_a_wiki_written_anew(
    engine: Engine, wiki: MemoryWiki, title: str, data: st.DataObject
) -> None:
    page = data.draw(st.sampled_from(sorted(wiki.pages_by_id)))
    with engine.begin() as connection:
        empty(connection)
        fill(connection, wiki)
        try:
            plan = rename(StoredWiki(connection), page, title)
        except MokujiError:
            connection.rollback()
            return
        assert plan.digest == rename(wiki, page, title).digest, "the plan is that of the wiki in memory"
        change_set = change_sets.open_change_set(
            connection, "rename", wiki.pages_by_id[page].head.volume, page, BY
        )
        writing.apply_changes(connection, plan.change_set.changes, change_set, BY)
        step_by_step, after = indexes(connection), read_back(connection)
        for change in plan.change_set.changes:
            assert after.pages_by_id[change.head.id].text == change.after
        empty(connection)
        fill(connection, scratch(after))
        assert step_by_step == indexes(connection)
        connection.rollback()


@given(wikis(), st.sampled_from(TITLES), st.data())
@FEW
def test_the_plan_of_a_new_page_is_that_of_the_wiki_in_memory(
    engine: Engine, wiki: MemoryWiki, title: str, data: st.DataObject
) -> None:
    volume = data.draw(st.sampled_from(sorted(v.id for v in wiki.volumes.values())))
    with engine.begin() as connection:
        empty(connection)
        fill(connection, wiki)
        try:
            plan = create(wiki, volume, title)
        except MokujiError:
            connection.rollback()
            return
        stored = create(StoredWiki(connection), volume, title)
        assert stored.change_set.digest() == plan.change_set.digest()
        assert stored.captured == plan.captured
        connection.rollback()
