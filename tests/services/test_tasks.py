"""Tasks of all pages: gathered for who may read them, ticked at exactly their line, told to calendars."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from mokuji.acts import doing, leaving, requests
from mokuji.core.base.errors import Conflict, Forbidden, Missing
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history
from mokuji.services.writing import tasks, writing
from tests.services.making import pages, person, texts, volume


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    return person(app, "wenna", guide=Role.WRITER, secret=Role.WRITER)


def _listed(view: tasks.TasksView) -> list[tuple[str, list[str]]]:
    return [(group.name, [task.words for task in group.tasks]) for group in view.groups]


def _day(app: AppContext, days: int) -> date:
    return app.clock().date() + timedelta(days=days)


def test_tasks_are_gathered_late_ones_first_and_grouped_as_wished(app: AppContext, writer: Actor) -> None:
    pages(
        app,
        writer,
        "guide",
        {
            "A": f"---\ncategories: [Sea]\n---\n- [ ] (B) Soon due:{_day(app, 3)} @wenna\n- [ ] Someday\n",
            "B": f"- [ ] Late [[A]] due:{_day(app, -2)}\n- [ ] (A) First due:{_day(app, 3)}\n- [x] Gone\n",
        },
    )
    view = tasks.listing(app, writer)
    assert _listed(view) == [
        ("Late", ["Late A"]),
        ("In the next seven days", ["First", "Soon"]),
        ("Without a day", ["Someday"]),
    ]
    assert view.number == 4 and view.groups[0].late
    assert (view.strip[0].number, view.strip[4].number, len(view.strip)) == (1, 2, 29)
    assert _listed(tasks.listing(app, writer, by="priority"))[0] == ("Priority A", ["First"])
    assert _listed(tasks.listing(app, writer, by="person"))[0] == ("@wenna · Wenna", ["Soon"])
    assert _listed(tasks.listing(app, writer, by="page"))[0] == ("A · Guide", ["Soon", "Someday"])
    assert _listed(tasks.listing(app, writer, by="category"))[0] == ("Sea", ["Soon", "Someday"])
    assert _listed(tasks.listing(app, writer, done=True)) == [("Done", ["Gone"])]
    assert tasks.listing(app, writer, person="WENNA").number == 1
    assert tasks.listing(app, writer, category="sea").number == 2
    assert tasks.listing(app, writer, volume_key="guide", page_key="b").number == 2
    assert tasks.listing(app, writer, day=_day(app, 3)).number == 2


def test_who_may_not_read_a_page_learns_nothing_of_its_tasks(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "secret", {"Hidden": f"- [ ] (A) Plot due:{_day(app, -1)} @plotter\n"})
    view = tasks.listing(app, NOBODY)
    assert (view.groups, view.number, view.strip[0].number, view.people) == ((), 0, 0, ())
    assert tasks.lines(app, NOBODY, lambda *_: "") == []
    with pytest.raises(Missing):
        tasks.listing(app, NOBODY, volume_key="secret")
    with pytest.raises(Missing):
        tasks.tick(app, NOBODY, "secret", "hidden", 0, 1, done=True)


def test_a_task_is_ticked_with_a_revision_that_says_which(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "- [ ] (A) One [[B]]\n- [ ] Two\n"})
    tasks.tick(app, writer, "guide", "a", 1, 1, done=True)
    assert texts(app)["A"] == "- [ ] (A) One [[B]]\n- [x] Two\n"
    revisions = history.revisions(app, writer, "guide", "a").revisions
    assert (revisions[0].number, revisions[0].note, revisions[0].author) == (2, "Done: Two", "Wenna")
    tasks.tick(app, writer, "guide", "a", 1, 2, done=False)
    assert texts(app)["A"] == "- [ ] (A) One [[B]]\n- [ ] Two\n"


def test_the_very_line_is_ticked_though_the_page_moved_on(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "- [ ] same\n- [ ] same\n- [ ] other\n"})
    moved = "New words.\n\n- [ ] fresh\n- [ ] same\n- [ ] same\n- [ ] other, and more\n"
    writing.save(app, writer, writing.Save("guide", "A", moved, revision=1))
    tasks.tick(app, writer, "guide", "a", 1, 1, done=True)
    assert texts(app)["A"] == moved.replace("- [ ] same\n- [ ] other", "- [x] same\n- [ ] other")
    # Ticked twice from what was seen at first, it stays ticked; its line changed by others, nothing is done.
    tasks.tick(app, writer, "guide", "a", 1, 1, done=True)
    with pytest.raises(Conflict, match="was changed since"):
        tasks.tick(app, writer, "guide", "a", 2, 1, done=True)
    assert "- [ ] other, and more" in texts(app)["A"]
    with pytest.raises(Missing):
        tasks.tick(app, writer, "guide", "a", 9, 1, done=True)
    reader = person(app, "mirela", guide=Role.READER)
    with pytest.raises(Forbidden):
        tasks.tick(app, reader, "guide", "a", 0, 1, done=True)


def test_tasks_follow_what_acts_do_to_their_pages(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"A": "- [ ] See [[B]]\n", "B": "- [ ] Two\n"})
    doing.apply(app, writer, requests.Rename("guide", "b", "Bee"), None)
    assert _listed(tasks.listing(app, writer)) == [("Without a day", ["See Bee", "Two"])]
    doing.apply(app, writer, requests.Delete("guide", "bee"), None)
    assert _listed(tasks.listing(app, writer)) == [("Without a day", ["See Bee"])]


def test_a_calendar_has_an_address_of_its_own_that_can_be_renewed(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "secret", {"Hidden": "- [ ] (A) Mine @wenna\n- [ ] Not mine\n"})
    feeds = tasks.listing(app, writer).feeds
    actor, whose = tasks.feed(app, feeds["mine"])
    assert (actor.person, whose) == (writer.person, "wenna")
    lines = tasks.lines(app, actor, lambda v, p: f"{v}/{p}", person=whose)
    assert [(t.words, t.href, t.priority) for t in lines] == [("Mine", "secret/hidden", "A")]
    assert tasks.feed(app, feeds["all"])[1] == ""
    for wrong in ("", "x", feeds["mine"][:-1], feeds["mine"].replace("mine", "all"), "999-all-" + "0" * 40):
        with pytest.raises(Missing):
            tasks.feed(app, wrong)
    leaving.close(app, writer.handle)
    with pytest.raises(Missing):
        tasks.feed(app, feeds["mine"])
    people.let_in_again(app, writer.handle)
    assert tasks.feed(app, feeds["mine"])[0].person == writer.person
    tasks.renew_feeds(app, writer)
    with pytest.raises(Missing):
        tasks.feed(app, feeds["mine"])
    assert tasks.listing(app, NOBODY).feeds == {}
