"""People are told of what they asked for, of nothing else, and of nothing that they may not read when they look."""

from __future__ import annotations

import pytest
from structlog.testing import capture_logs

from mokuji.acts import doing, requests
from mokuji.core.base.errors import Forbidden, Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.core.telling.naming import Named, named_in_note
from mokuji.core.telling.watching import State, Why
from mokuji.services.app_context import AppContext, catch_up
from mokuji.services.reading import questions
from mokuji.services.telling import delivering, feeding, inbox, watching
from mokuji.services.telling.inbox import Entry
from mokuji.services.telling.watching import Wanted
from mokuji.store.database import writing as store_writing
from mokuji.store.telling import entries
from tests.copies import made_once
from tests.services.making import edit, pages, person, volume

PAGES = {
    "Power": "All of it.",
    "Battery": "---\ncategories: [Cells]\n---\nA battery.",
    "Charger": "A charger.",
    "Mast": "A mast.",
}
Made = tuple[Actor, Actor]


def _fill(app: AppContext) -> Made:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, notes=Role.OWNER)
    reader = person(app, "jonas", guide=Role.WRITER)
    pages(app, writer, "guide", PAGES)
    pages(app, writer, "notes", {"Plan": "A plan."})
    doing.apply(
        app,
        writer,
        requests.Contents("guide", "- [[Power]]\n  - [[Battery]]\n  - [[Charger]]\n- [[Mast]]"),
        None,
    )
    while catch_up(app) or delivering.tell(app):
        pass
    return writer, reader


app, made = made_once(_fill)


def _told(app: AppContext, reader: Actor, state: State = State.UNREAD) -> list[Entry]:
    """All that somebody finds in their inbox, the newest first."""
    groups = inbox.inbox(app, reader, state).groups
    return sorted((entry for group in groups for entry in group.entries), key=lambda each: -each.id)


def _titles(app: AppContext, reader: Actor) -> list[tuple[str, Why]]:
    return [(page.title, entry.why) for entry in _told(app, reader) for page in entry.pages]


@pytest.mark.parametrize(
    ("wanted", "told", "why"),
    [
        (Wanted("page", "guide", "Battery"), {"Battery"}, Why.PAGE),
        (Wanted("branch", "guide", "Power"), {"Battery", "Power", "Charger"}, Why.BRANCH),
        (Wanted("category", "guide", "Cells"), {"Battery"}, Why.CATEGORY),
        (Wanted("volume", "guide"), {"Battery", "Power", "Charger", "Mast"}, Why.VOLUME),
    ],
)
def test_who_asked_for_something_is_told_of_each_change_of_it(
    app: AppContext, made: Made, wanted: Wanted, told: set[str], why: Why
) -> None:
    writer, reader = made
    watching.watch(app, reader, wanted)
    watching.watch(app, reader, wanted)
    for title, said in PAGES.items():
        edit(app, writer, "guide", title, said + " More.")
    assert set(_titles(app, reader)) == {(title, why) for title in told}
    assert all(entry.changed[0].after[-1].words.endswith("More.") for entry in _told(app, reader))
    watching.unwatch(app, reader, wanted)
    edit(app, writer, "guide", "Battery", "Nobody hears.")
    assert len(_told(app, reader)) == len(told)


def test_a_question_tells_of_pages_that_answer_it_after_the_change(app: AppContext, made: Made) -> None:
    writer, reader = made
    number = questions.keep(app, reader, "Open faults", "fault", "guide")
    watching.watch(app, reader, Wanted("question", question=number))
    edit(app, writer, "guide", "Mast", "It has a fault.")
    edit(app, writer, "guide", "Battery", "It has none.")
    assert _titles(app, reader) == [("Mast", Why.QUESTION)]
    assert [each.watched.name for each in _told(app, reader) if each.watched] == ["Open faults"]


def test_own_acts_are_not_told(app: AppContext, made: Made) -> None:
    _, reader = made
    watching.watch(app, reader, Wanted("volume", "guide"))
    edit(app, reader, "guide", "Mast", "By jonas, for @jonas.")
    assert _told(app, reader) == []


def test_pages_that_one_wrote_are_told_if_that_is_wished(app: AppContext, made: Made) -> None:
    writer, reader = made
    edit(app, reader, "guide", "Mast", "By jonas.")
    edit(app, writer, "guide", "Mast", "By wenna.")
    assert _told(app, reader) == []
    watching.tell_of_own(app, reader, on=True)
    edit(app, writer, "guide", "Mast", "By wenna again.")
    edit(app, writer, "guide", "Battery", "By wenna alone.")
    assert _titles(app, reader) == [("Mast", Why.OWN)]


def test_one_act_on_many_pages_is_one_line_and_names_and_deletions_are_told(
    app: AppContext, made: Made
) -> None:
    writer, reader = made
    pages(app, writer, "guide", {f"Page {n}": "See [[Battery]]." for n in range(12)})
    while delivering.tell(app):
        pass
    watching.watch(app, reader, Wanted("volume", "guide"))
    doing.apply(app, writer, requests.Rename("guide", "battery", "Cell"), None)
    (entry,) = _told(app, reader)
    assert (len(entry.pages) + entry.more, entry.act.act if entry.act else "") == (13, "rename")
    doing.apply(app, writer, requests.Delete("guide", "mast"), None)
    first, _ = _told(app, reader)
    assert [(page.title, page.gone) for page in first.pages] == [("Mast", True)]


def test_who_is_named_or_given_a_task_is_told_whatever_they_asked_for(app: AppContext, made: Made) -> None:
    writer, reader = made
    edit(app, writer, "guide", "Mast", "Ask @Jonas.")
    edit(app, writer, "guide", "Mast", "Ask @Jonas.\n\n- [ ] Look at it @jonas due:2030-01-01")
    edit(app, writer, "guide", "Battery", "Changed.", note="For @jonas")
    edit(app, writer, "guide", "Mast", "Ask @Jonas now.\n\n- [x] Look at it @jonas due:2030-01-01")
    assert _titles(app, reader) == [("Battery", Why.NAMED), ("Mast", Why.GIVEN), ("Mast", Why.NAMED)]


def test_who_is_named_where_they_may_not_read_is_told_nothing(app: AppContext, made: Made) -> None:
    writer, reader = made
    edit(app, writer, "notes", "Plan", "Against @jonas.")
    view = inbox.inbox(app, reader)
    assert (view.groups, view.unread) == ((), 0)


def test_who_lost_sight_of_a_page_finds_nothing_of_it_and_is_counted_nothing(
    app: AppContext, made: Made
) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("page", "guide", "Mast"))
    edit(app, writer, "guide", "Mast", "Ours.")
    assert inbox.unread(app, reader) == 0  # of what waits nobody is told yet
    assert len(_told(app, reader)) == inbox.unread(app, reader) == 1
    doing.apply(app, writer, requests.Move("guide", "mast", "notes"), None)
    edit(app, writer, "notes", "Mast", "Theirs.")
    view = inbox.inbox(app, reader)
    assert (view.groups, view.unread, inbox.unread(app, reader)) == ((), 0, 0)
    asked = watching.asked_for(app, reader)
    assert (asked.watched, asked.hidden) == ((), 1)
    doing.apply(app, writer, requests.Move("notes", "mast", "guide"), None)
    assert {title for title, _ in _titles(app, reader)} == {"Mast"}


def test_of_a_muted_page_only_who_is_named_is_told(app: AppContext, made: Made) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("volume", "guide"))
    watching.mute(app, reader, "guide", "mast", on=True)
    edit(app, writer, "guide", "Mast", "Nobody hears.")
    edit(app, writer, "guide", "Battery", "All hear.")
    edit(app, writer, "guide", "Mast", "For @jonas.")
    assert _titles(app, reader) == [("Mast", Why.NAMED), ("Battery", Why.VOLUME)]
    assert [head.title for _, head in watching.asked_for(app, reader).muted] == ["Mast"]


def test_a_task_is_told_the_day_before_it_is_due_and_once(app: AppContext, made: Made) -> None:
    writer, reader = made
    day = app.clock().date().isoformat()
    edit(app, writer, "guide", "Mast", f"- [ ] Look @jonas due:{day}\n- [ ] Later @jonas due:2099-01-01")
    inbox.inbox(app, reader)
    assert (delivering.tell_of_tasks(app), delivering.tell_of_tasks(app)) == (1, 0)
    first, _ = _told(app, reader)
    assert (first.why, first.tasks, str(first.due)) == (Why.DUE, ("Look",), day)
    edit(app, writer, "guide", "Mast", f"- [x] Look @jonas due:{day}")
    assert Why.DUE not in {entry.why for entry in _told(app, reader)}


def test_what_was_told_is_marked_read_and_put_aside_by_its_person_only(app: AppContext, made: Made) -> None:
    writer, reader = made
    other = person(app, "piet", guide=Role.READER)
    watching.watch(app, reader, Wanted("page", "guide", "Mast"))
    for said in ("One.", "Two.", "Three."):
        edit(app, writer, "guide", "Mast", said)
    three, two, one = _told(app, reader)
    inbox.mark(app, other, [one.id], State.ASIDE)
    inbox.mark(app, reader, [two.id], State.ASIDE)
    inbox.mark_all(app, reader, one.id)
    assert [entry.id for entry in _told(app, reader)] == [three.id]
    assert [entry.id for entry in _told(app, reader, State.READ)] == [one.id]
    assert [entry.id for entry in _told(app, reader, State.ASIDE)] == [two.id]


def test_what_breaks_off_while_it_is_told_is_told_later_and_once(app: AppContext, made: Made) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("page", "guide", "Mast"))
    edit(app, writer, "guide", "Mast", "Told.")
    with pytest.raises(ZeroDivisionError), store_writing(app.engine) as connection:
        assert len(entries.take(connection, 10)) == 1
        raise ZeroDivisionError
    assert len(_told(app, reader)) == len(_told(app, reader)) == 1


def test_an_act_that_cannot_be_told_keeps_nobody_from_being_told_of_others(
    app: AppContext, made: Made, monkeypatch: pytest.MonkeyPatch
) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("volume", "guide"))
    edit(app, writer, "guide", "Mast", "One.", note="of no use")
    edit(app, writer, "guide", "Battery", "Two.")

    def fails(note: str) -> Named:
        return named_in_note(note) if note != "of no use" else 1 / 0  # type: ignore[return-value]

    monkeypatch.setattr("mokuji.services.telling.delivering.named_in_note", fails)
    with capture_logs() as logs:
        assert _titles(app, reader) == [("Battery", Why.VOLUME)]
    assert [each["event"] for each in logs if each["log_level"] == "error"] == ["act_not_told"]


def test_nobody_is_told_of_nothing(app: AppContext, made: Made) -> None:
    _, reader = made
    with pytest.raises(Forbidden):
        inbox.inbox(app, NOBODY)
    for wanted in (
        Wanted("page", "guide", "None"),
        Wanted("page", "notes", "Plan"),
        Wanted("category", "guide", "None"),
        Wanted("volume", "notes"),
        Wanted("question", question=7),
    ):
        with pytest.raises(Missing):
            watching.watch(app, reader, wanted)
    view = inbox.inbox(app, reader)
    assert view.first_time
    assert not view.groups


def test_whoever_is_told_of_a_category_is_told_of_it_under_its_other_name(
    app: AppContext, made: Made
) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("category", "guide", "Cells"))
    done = doing.apply(app, writer, requests.RenameCategory("guide", "cells", "Packs"), None)
    edit(app, writer, "guide", "Battery", "---\ncategories: [Packs]\n---\nA pack.")
    assert [title for title, _ in _titles(app, reader)] == ["Battery", "Battery"]
    assert [each.name for each in watching.asked_for(app, reader).watched] == ["Packs"]
    edit(app, writer, "guide", "Battery", "---\ncategories: [Packs]\n---\nA battery.")
    assert isinstance(done, doing.Applied)
    doing.apply(app, writer, requests.Undo(done.change_set), None)
    delivering.tell(app)
    assert [each.name for each in watching.asked_for(app, reader).watched] == ["Cells"]


def test_whoever_is_told_of_a_volume_is_told_that_a_page_left_it_not_which(
    app: AppContext, made: Made
) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("volume", "guide"))
    doing.apply(app, writer, requests.Move("guide", "mast", "notes"), None)
    (entry,) = _told(app, reader)
    assert (entry.pages, entry.act.act if entry.act else "", entry.volume.title if entry.volume else "") == (
        (),
        "move",
        "Guide",
    )
    assert "Mast" not in str(entry)


def test_an_act_on_several_pages_tells_nothing_of_the_one_that_is_out_of_sight(
    app: AppContext, made: Made
) -> None:
    writer, reader = made
    watching.watch(app, reader, Wanted("volume", "guide"))
    edit(app, writer, "guide", "Charger", "See [[Mast]].")
    doing.apply(app, writer, requests.Rename("guide", "mast", "Pole"), None)
    doing.apply(app, writer, requests.Move("guide", "pole", "notes"), None)
    (entry,) = (each for each in _told(app, reader) if each.act and each.act.act == "rename")
    assert [page.title for page in entry.pages] == ["Charger"]
    assert entry.act is not None
    assert (entry.act.note, entry.act.page_title) == ("", None)


def test_what_is_gone_or_closed_can_be_forgotten(app: AppContext, made: Made) -> None:
    writer, reader = made
    for title in ("Mast", "Battery"):
        watching.watch(app, reader, Wanted("page", "guide", title))
    doing.apply(app, writer, requests.Move("guide", "mast", "notes"), None)
    watching.forget_hidden(app, reader)
    asked = watching.asked_for(app, reader)
    assert ([each.page.title for each in asked.watched if each.page], asked.hidden) == (["Battery"], 0)


def test_a_feed_of_a_page_tells_of_an_act_on_many_others_too(app: AppContext, made: Made) -> None:
    writer, _ = made
    pages(app, writer, "guide", {f"A page {n:02}": "See [[Battery]]." for n in range(20)})
    pages(app, writer, "guide", {"Zoo": "See [[Battery]]."})
    doing.apply(app, writer, requests.Rename("guide", "battery", "Cell"), None)
    told = feeding.feed(app, NOBODY, Wanted("page", "guide", "Zoo")).entries
    assert [(each.act.act if each.act else "", each.pages[0].title) for each in told] == [
        ("rename", "Zoo"),
        ("create", "Zoo"),
    ]
    whole = feeding.feed(app, NOBODY, Wanted("volume", "guide")).entries[0]
    assert len(whole.pages) + whole.more == 22
