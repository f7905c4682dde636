"""Leaving the wiki: nothing that was written is lost, nothing that was begun is forgotten, no volume is left alone."""

from __future__ import annotations

import pytest

from mokuji.acts import doing, leaving, requests
from mokuji.core.base.errors import Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import people, people_of_volumes, program_keys
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history
from mokuji.services.writing import drafts
from mokuji.store import people as stored
from mokuji.store.database import reading as database_reading
from tests.copies import made_once
from tests.services import making
from tests.services.making import pages, person, volume


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    jonas = person(app, "jonas", guide=Role.OWNER, notes=Role.OWNER)
    person(app, "mirela", guide=Role.WRITER)
    person(app, "piet", guide=Role.OWNER)
    person(app, "wenna")
    people.give_wiki(app, "wenna")
    pages(app, jonas, "guide", {"Pump": "- [ ] Order a seal @jonas\n- [x] Done @jonas\n"})
    drafts.keep(app, jonas, "guide", "pump", "Half a thought", revision=1)
    drafts.keep(app, jonas, "notes", "trial", "A whole one", title="Trial")
    return jonas


app, jonas = made_once(_filled)


def _now(app: AppContext, handle: str) -> Actor:
    number = people.person_id(app, handle)
    with database_reading(app.engine) as connection:
        return stored.actor_by_id(connection, number)


def test_what_leaving_means_is_said_before(app: AppContext, jonas: Actor) -> None:
    program_keys.make(app, jonas, "check", ["guide"], writes=False, days=30)
    for actor in (jonas, _now(app, "wenna")):
        view = leaving.planned(app, actor, "jonas")
        assert (view.tasks, view.drafts, view.keys, view.sessions) == (1, 2, 1, 0)
        assert [volume.title for volume in view.alone] == ["Notes"], "Guide has another owner"
        assert not view.last_of_wiki and view.own is (actor.handle == "jonas")
    assert leaving.planned(app, _now(app, "wenna"), "wenna").last_of_wiki


def test_who_leaves_names_who_owns_what_they_own_alone(app: AppContext, jonas: Actor) -> None:
    for heir in ("", "jonas", "nobody-here", "\x00"):
        with pytest.raises(Refused) as fault:
            leaving.close(app, "jonas", actor=jonas, heir=heir)
        assert fault.value.code == "heir_missing"
    leaving.close(app, "jonas", actor=jonas, heir="@mirela")
    mirela = _now(app, "mirela")
    assert mirela.roles[2] is Role.OWNER and mirela.roles[1] is Role.WRITER
    acts, _ = making.acts(app, mirela, "notes")
    assert (acts[0].act, acts[0].author, acts[0].note) == ("role", "Jonas", "@mirela is an owner now")


def test_an_owner_of_the_wiki_who_closes_somebody_owns_what_they_owned_alone(
    app: AppContext, jonas: Actor
) -> None:
    wenna = _now(app, "wenna")
    leaving.close(app, "jonas", actor=wenna)
    assert _now(app, "wenna").roles == {2: Role.OWNER}
    people.let_in_again(app, "jonas", actor=wenna)
    assert _now(app, "jonas").roles[2] is Role.OWNER, "who comes again is what they were"


def test_whoever_runs_the_machine_may_name_an_heir_or_leave_it_to_the_owner_of_the_wiki(
    app: AppContext, jonas: Actor
) -> None:
    leaving.close(app, "jonas", heir="piet")
    assert _now(app, "piet").roles[2] is Role.OWNER
    leaving.close(app, "piet")
    assert _now(app, "wenna").roles.keys() == {1, 2}


def test_nobody_closes_others_but_owners_of_the_wiki_and_never_its_last(
    app: AppContext, jonas: Actor
) -> None:
    for actor in (jonas, _now(app, "mirela"), NOBODY):
        with pytest.raises(Forbidden):
            leaving.close(app, "piet", actor=actor, heir="mirela")
        with pytest.raises(Forbidden):
            leaving.planned(app, actor, "piet")
        with pytest.raises(Forbidden):
            leaving.planned(app, actor, "nobody-here")
    with pytest.raises(Refused, match="last owner of the wiki"):
        leaving.close(app, "wenna", actor=_now(app, "wenna"))


def test_tasks_and_drafts_of_who_left_are_listed_for_the_owners_who_stay(
    app: AppContext, jonas: Actor
) -> None:
    piet = _now(app, "piet")
    view = people_of_volumes.people_of(app, piet, "guide")
    assert not view.left_tasks and not view.left_drafts
    leaving.close(app, "jonas", actor=jonas, heir="piet")
    view = people_of_volumes.people_of(app, piet, "guide")
    assert [(each.handle, each.number) for each in view.left_tasks] == [("jonas", 1)]
    (left,) = view.left_drafts
    assert (left.title, left.handle) == ("Pump", "jonas")
    assert people_of_volumes.people_of(app, _now(app, "mirela"), "guide").left_drafts == ()
    with pytest.raises(Forbidden):
        people_of_volumes.take_over(app, _now(app, "mirela"), "guide", left.id)
    with pytest.raises(Missing):
        people_of_volumes.take_over(app, _now(app, "piet"), "notes", left.id)
    assert people_of_volumes.take_over(app, piet, "guide", left.id) == "pump"
    opened = drafts.opened(app, piet, "guide", "pump")
    assert opened is not None and opened.text == "Half a thought"
    with pytest.raises(Missing):
        people_of_volumes.take_over(app, piet, "guide", left.id)


def test_a_draft_of_ones_own_is_not_lost_to_one_that_was_left(app: AppContext, jonas: Actor) -> None:
    piet = _now(app, "piet")
    leaving.close(app, "jonas", actor=jonas, heir="piet")
    drafts.keep(app, piet, "guide", "pump", "My own", revision=1)
    (left,) = people_of_volumes.people_of(app, piet, "guide").left_drafts
    with pytest.raises(Refused, match="of your own"):
        people_of_volumes.take_over(app, piet, "guide", left.id)
    opened = drafts.opened(app, piet, "guide", "pump")
    assert opened is not None and opened.text == "My own"


def test_who_only_loses_a_volume_leaves_drafts_and_tasks_there_too(app: AppContext, jonas: Actor) -> None:
    piet = _now(app, "piet")
    doing.apply(app, piet, requests.GiveRole("guide", "jonas", "reader"), None)
    view = people_of_volumes.people_of(app, piet, "guide")
    assert len(view.left_drafts) == 1 and view.left_tasks == (), "a reader can still be asked to do something"
    doing.apply(app, piet, requests.GiveRole("guide", "jonas", "nobody"), None)
    assert len(people_of_volumes.people_of(app, piet, "guide").left_tasks) == 1


def test_tasks_for_somebody_who_never_was_here_say_nothing_of_whether_they_are_anywhere(
    app: AppContext, jonas: Actor
) -> None:
    volume(app, "Charts")
    person(app, "ada", charts=Role.OWNER)
    pages(app, jonas, "guide", {"Well": "- [ ] One @ada\n- [ ] Two @nobody-here\n"})
    view = people_of_volumes.people_of(app, _now(app, "piet"), "guide")
    assert [(each.handle, each.number) for each in view.left_tasks] == [("ada", 1), ("nobody-here", 1)]


def test_what_was_written_stays_with_the_name_of_who_wrote_it(app: AppContext, jonas: Actor) -> None:
    leaving.close(app, "jonas", actor=jonas, heir="piet")
    view = history.revisions(app, _now(app, "piet"), "guide", "pump")
    assert [each.author for each in view.revisions] == ["Jonas"]
    assert people.sign_in(app, "jonas", "no password") is None
