"""Renames as services do them: in one transaction, as seen, undone as one, also while others save."""

from __future__ import annotations

import threading
import time
from dataclasses import replace
from datetime import timedelta

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests
from mokuji.acts.view import Applied, PlanView
from mokuji.core.base.errors import Conflict, Forbidden, Missing
from mokuji.core.diff.diff import changed_lines
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import trash
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from mokuji.store import people
from mokuji.store.database import reading as reading_transaction
from mokuji.store.log.change_sets import Signature
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Data")
    volume(app, "Closed notes", closed=True)
    return person(app, "wenna", guide=Role.WRITER, data=Role.WRITER)


def plan_rename(
    app: AppContext, actor: Actor, volume_key: str, page: str, title: str, *, present_words: bool = False
) -> PlanView:
    return doing.plan(app, actor, requests.Rename(volume_key, page, title, present_words))


def apply_rename(
    app: AppContext, actor: Actor, volume_key: str, page: str, title: str, seen: str, *, note: str = ""
) -> Applied | PlanView:
    return doing.apply(app, actor, requests.Rename(volume_key, page, title), seen, note=note)


def plan_undo(app: AppContext, actor: Actor, change_set: int) -> PlanView:
    return doing.plan(app, actor, requests.Undo(change_set))


def apply_undo(app: AppContext, actor: Actor, change_set: int, seen: str) -> Applied | PlanView:
    return doing.apply(app, actor, requests.Undo(change_set), seen)


def rename_now(
    app: AppContext, actor: Actor, volume_key: str, page: str, title: str, by: Signature
) -> Applied:
    done = doing.apply(app, actor, requests.Rename(volume_key, page, title), None, signature=by)
    assert isinstance(done, Applied)
    return done


def _rename(app: AppContext, actor: Actor, page: str, title: str, note: str = "") -> Applied:
    seen = plan_rename(app, actor, "guide", page, title)
    done = apply_rename(app, actor, "guide", page, title, seen.digest, note=note)
    assert isinstance(done, Applied)
    return done


def _undo(app: AppContext, actor: Actor, change_set: int) -> Applied:
    done = apply_undo(app, actor, change_set, plan_undo(app, actor, change_set).digest)
    assert isinstance(done, Applied)
    return done


def test_a_rename_rewrites_all_volumes_at_once_and_undoing_gives_the_bytes_back(
    app: AppContext, writer: Actor
) -> None:
    pages(
        app,
        writer,
        "guide",
        {"Pump": "## At the [[Pump]]\r\n", "Well": "see [[pump|x]] and [[Pump#At the Pump]]"},
    )
    pages(app, writer, "data", {"Sheet": "| [[Guide/Pump]] |\n|---|\n"})
    before = texts(app)
    done = _rename(app, writer, "pump", "Cell")
    assert texts(app) == {
        "Cell": "## At the [[Cell]]\r\n",
        "Well": "see [[cell|x]] and [[Cell#At the Cell]]",
        "Sheet": "| [[Guide/Cell]] |\n|---|\n",
    }
    undone = _undo(app, writer, done.change_set)
    assert texts(app) == before
    # And the undoing can be undone as well.
    _undo(app, writer, undone.change_set)
    assert texts(app)["Sheet"] == "| [[Guide/Cell]] |\n|---|\n"


def test_the_plan_of_an_undo_shows_each_reference_in_its_line(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "a [[Pump]] b [[Pump]]\n\nwords\n\n[[pump]] end"})
    done = _rename(app, writer, "pump", "Cell")
    (change,) = (c for c in plan_undo(app, writer, done.change_set).changes if c.head.title == "Well")
    lines = changed_lines(change.before, change.edits)
    assert [line.line for line in lines] == [1, 5]
    marked = [[piece.words for piece in line.after if piece.marked] for line in lines]
    assert marked == [["[[Pump]]", "[[Pump]]"], ["[[pump]]"]]


def test_what_was_captured_is_released_by_the_undo(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Cell]] and [[Pump]]", "Fault": "[[Cell]]"})
    before = texts(app)
    done = _rename(app, writer, "pump", "Cell")
    assert texts(app)["Well"] == "[[Cell]] and [[Cell]]"
    _undo(app, writer, done.change_set)
    assert texts(app) == before


def test_pages_edited_since_keep_their_edits_and_their_references_follow_the_undo(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Pump]]"})
    done = _rename(app, writer, "pump", "Cell")
    writing.save(app, writer, writing.Save("guide", "well", "[[Cell]] is new: [[cell]]", revision=2))
    writing.save(app, writer, writing.Save("guide", "Later", "[[Cell|made since]]", revision=0))
    _undo(app, writer, done.change_set)
    assert texts(app) == {
        "Pump": "",
        "Well": "[[Pump]] is new: [[pump]]",
        "Later": "[[Pump|made since]]",
    }


def test_an_undo_is_refused_when_the_old_name_is_taken(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Pump]]"})
    done = _rename(app, writer, "pump", "Cell")
    pages(app, writer, "guide", {"Pump": "another one"})
    view = plan_undo(app, writer, done.change_set)
    assert view.refusal is not None and "another page by now" in view.refusal.message
    again = apply_undo(app, writer, done.change_set, view.digest)
    assert isinstance(again, PlanView) and again.refusal is not None
    assert texts(app)["Pump"] == "another one"


def test_the_trash_is_emptied_after_its_time_but_not_of_what_an_undo_needs(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Pump]]", "Lid": "x"})
    deleted = doing.apply(app, writer, requests.Delete("guide", "lid"), None)
    merged = doing.apply(app, writer, requests.Merge("guide", "pump", "Well"), None)
    assert isinstance(deleted, doing.Applied) and isinstance(merged, doing.Applied)
    assert trash.purge(app) == 0
    later = replace(app, clock=lambda: app.clock() + timedelta(days=trash.KEPT_DAYS, seconds=60))
    assert trash.purge(later) == 1
    view = doing.plan(app, writer, requests.Undo(deleted.change_set))
    assert view.refusal is not None and view.refusal.code == "purged"
    assert trash.trash_view(app, writer).acts == ()
    assert isinstance(doing.apply(app, writer, requests.Undo(merged.change_set), None), doing.Applied)
    assert texts(app) == {"Pump": "", "Well": "[[Pump]]"}


def test_the_making_of_a_volume_is_not_undone_once_pages_stand_in_it(app: AppContext, writer: Actor) -> None:
    made = doing.apply(app, writer, requests.CreateVolume("Notes"), None)
    assert isinstance(made, doing.Applied)
    with reading_transaction(app.engine) as connection:
        writer = people.actor_by_id(connection, writer.person or 0)
    pages(app, writer, "notes", {"Log": ""})
    pages(app, writer, "guide", {"Index": "[[Notes/Log]]"})
    refusal = doing.plan(app, writer, requests.Undo(made.change_set)).refusal
    assert refusal is not None and refusal.code == "volume_in_use"
    doing.apply(app, writer, requests.Delete("notes", "log"), None)
    assert isinstance(doing.apply(app, writer, requests.Undo(made.change_set), None), doing.Applied)


def test_nothing_is_undone_twice(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": ""})
    done = _rename(app, writer, "pump", "Cell")
    _undo(app, writer, done.change_set)
    assert plan_undo(app, writer, done.change_set).refusal is not None


def test_a_plan_that_is_no_longer_what_was_seen_is_given_back_and_nothing_is_done(
    app: AppContext, writer: Actor
) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Pump]]"})
    seen = plan_rename(app, writer, "guide", "pump", "Cell")
    pages(app, writer, "guide", {"Late": "made meanwhile, with [[Pump]]"})
    fresh = apply_rename(app, writer, "guide", "pump", "Cell", seen.digest)
    assert isinstance(fresh, PlanView)
    assert fresh.references == 2
    assert texts(app)["Well"] == "[[Pump]]"
    done = apply_rename(app, writer, "guide", "pump", "Cell", fresh.digest)
    assert isinstance(done, Applied)
    assert texts(app)["Late"] == "made meanwhile, with [[Cell]]"


def test_pages_that_the_actor_may_not_read_follow_and_are_told_to_nobody(
    app: AppContext, writer: Actor
) -> None:
    keeper = person(app, "mirela", **{"closed-notes": Role.OWNER})
    pages(app, writer, "guide", {"Pump": "", "Well": "[[Pump]]"})
    pages(app, keeper, "closed-notes", {"Secret": "[[Guide/Pump]] [[Guide/Cell]]"})
    view = plan_rename(app, writer, "guide", "pump", "Cell")
    assert view.references == 1 and view.captured == ()
    assert [change.head.title for change in view.changes] == ["Well"]
    done = apply_rename(app, writer, "guide", "pump", "Cell", view.digest)
    assert isinstance(done, Applied)
    assert texts(app)["Secret"] == "[[Guide/Cell]] [[Guide/Cell]]"
    undo = plan_undo(app, writer, done.change_set)
    assert isinstance(undo, PlanView)
    assert "Secret" not in {change.head.title for change in undo.changes}


def test_who_may_only_read_cannot_plan_or_rename(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": ""})
    reader = person(app, "piet", guide=Role.READER)
    for actor, fault in ((reader, Forbidden), (NOBODY, Forbidden)):
        with pytest.raises(fault):
            plan_rename(app, actor, "guide", "pump", "Cell")
        with pytest.raises(fault):
            apply_rename(app, actor, "guide", "pump", "Cell", "")
    with pytest.raises(Missing):
        plan_rename(app, writer, "closed-notes", "pump", "Cell")


def test_contents_and_front_page_go_along(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "", "Well": ""})
    with app.engine.begin() as connection:
        connection.execute(text("UPDATE volume SET front = 'pump' WHERE key = 'guide'"))
    done = _rename(app, writer, "pump", "Cell")
    view = reading.open_volume(app, writer, "guide")
    assert isinstance(view, reading.PageView) and view.head.title == "Cell"
    assert [entry.title for entry in view.place.contents.entries] == ["Cell", "Well"]
    _undo(app, writer, done.change_set)
    view = reading.open_volume(app, writer, "guide")
    assert isinstance(view, reading.PageView) and view.head.title == "Pump"


def test_no_page_saved_while_a_rename_runs_is_left_with_the_old_name(app: AppContext, writer: Actor) -> None:
    """Four others save pages with the old name, new ones and old ones, while the page is renamed back and forth.

    Who saved before a rename has the new name; who saves after it typed a name that is unwritten by then.
    """
    pages(app, writer, "guide", {"Pump": "", **{f"Page {n}": "[[Pump]]" for n in range(12)}})
    stop, faults = threading.Event(), []

    def save(thread: int) -> None:
        for turn in range(400):
            if stop.is_set():
                return
            try:
                writing.save(
                    app,
                    writer,
                    writing.Save("guide", f"New {thread} {turn}", "made with [[Pump]]", revision=0),
                )
                view = reading.open_page(app, writer, "guide", f"page-{thread}")
                assert isinstance(view, reading.PageView)
                writing.save(
                    app,
                    writer,
                    writing.Save(
                        "guide", f"page-{thread}", f"turn {turn} [[Pump]]", revision=view.head.revision
                    ),
                )
            except Conflict:
                pass  # a rename rewrote the page in between: nothing was overwritten
            except Exception as fault:
                faults.append(fault)
                return

    savers = [threading.Thread(target=save, args=(n,)) for n in range(4)]
    for saver in savers:
        saver.start()
    renames = []
    for old, new in (("pump", "Cell"), ("cell", "Pump"), ("pump", "Cell")):
        time.sleep(0.4)
        by = Signature(writer.person, app.clock(), "")
        renames.append(rename_now(app, writer, "guide", old, new, by).change_set)
    stop.set()
    for saver in savers:
        saver.join()
    assert faults == []
    assert len(renames) == 3
    with app.engine.connect() as connection:
        rows = connection.execute(
            text(
                """SELECT p.title, r.change_set, r.text FROM page p
                JOIN revision r ON r.page = p.id AND r.number = p.revision"""
            )
        ).all()
    made = [row for row in rows if row.title.startswith(("New", "Page"))]
    assert len(made) > 12
    for row in made:
        if row.change_set <= renames[-1]:
            assert "[[Cell]]" in row.text, f"{row.title} was saved before the rename and missed by it"
        else:
            assert "[[Pump]]" in row.text
