"""The people of a volume: who becomes what, who reads it, what that shows or takes, and that it can be taken back."""

from __future__ import annotations

import pytest
from sqlalchemy import text

from mokuji.acts import doing, joining, log, requests, words
from mokuji.acts.view import Applied
from mokuji.core.base.errors import BadName, Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import known_people, people, people_of_volumes
from mokuji.services.app_context import AppContext
from mokuji.services.reading import reading
from mokuji.services.writing import drafts
from mokuji.store import people as stored
from mokuji.store.database import reading as database_reading
from tests.copies import made_once
from tests.services import making
from tests.services.making import give, pages, person, volume


def _filled(app: AppContext) -> Actor:
    """An open and a closed volume; mirela owns both, jonas writes in the open one, piet owns a third."""
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    volume(app, "Charts")
    keeper = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    person(app, "jonas", guide=Role.WRITER)
    person(app, "piet", charts=Role.OWNER)
    pages(app, keeper, "notes", {"Trial": "Chlorine."})
    pages(app, keeper, "guide", {"Pump": "See [[Notes/Trial]].\n\n- [ ] Order a seal @jonas\n"})
    return keeper


app, keeper = made_once(_filled)


def _now(app: AppContext, handle: str) -> Actor:
    return _of(app, people.person_id(app, handle))


def _of(app: AppContext, person_id: int) -> Actor:
    with database_reading(app.engine) as connection:
        return stored.actor_by_id(connection, person_id)


def _role(app: AppContext, handle: str, volume_key: str) -> str:
    keeper = _now(app, "mirela")
    view = people_of_volumes.people_of(app, keeper, volume_key)
    found = [each for each in view.members if each.handle == handle]
    return people_of_volumes.CALLED[found[0].role] if found else "nobody"


def _done(app: AppContext, actor: Actor, request: requests.Request) -> Applied:
    view = doing.plan(app, actor, request)
    assert view.plan is not None, view.refusal
    done = doing.apply(app, actor, request, view.digest)
    assert isinstance(done, Applied), getattr(done, "refusal", None)
    return done


# ---- roles ------------------------------------------------------------------------------


def test_a_role_is_planned_given_logged_and_taken_back(app: AppContext, keeper: Actor) -> None:
    wish = requests.GiveRole("guide", "@Jonas ", "owner")
    view = doing.plan(app, keeper, wish)
    assert words.sentence(view) == (
        "Jonas (@jonas) will be an owner of “Guide”, until now a writer: they may read it, write in it, and say who "
        "else may."
    )
    done = _done(app, keeper, wish)
    assert _role(app, "jonas", "guide") == "owner"
    assert log.one_act(app, keeper, done.change_set).headline == "@jonas is an owner now"
    _done(app, keeper, requests.Undo(done.change_set))
    assert _role(app, "jonas", "guide") == "writer"


def test_who_comes_to_a_closed_volume_reads_all_that_was_written_there(
    app: AppContext, keeper: Actor
) -> None:
    wish = requests.GiveRole("notes", "jonas", "reader")
    view = doing.plan(app, keeper, wish)
    (said,) = view.readers_said
    assert said == "Jonas will read “Notes”: 1 page, 1 revision that was written there, and its log."
    _done(app, keeper, wish)
    assert reading.open_page(app, _now(app, "jonas"), "notes", "trial")
    view = doing.plan(app, keeper, requests.GiveRole("notes", "jonas", "nobody"))
    assert view.readers_said == [
        "Jonas will no longer read “Notes”, nor what was written there before.",
    ]


def test_a_role_in_an_open_volume_changes_nobodys_reading(app: AppContext, keeper: Actor) -> None:
    assert doing.plan(app, keeper, requests.GiveRole("guide", "jonas", "nobody")).readers_said == []


def test_what_somebody_leaves_behind_is_said_before_they_go(app: AppContext, keeper: Actor) -> None:
    drafts.keep(app, _now(app, "jonas"), "guide", "pump", "Half a thought", revision=1)
    said = words.sentence(doing.plan(app, keeper, requests.GiveRole("guide", "jonas", "nobody")))
    assert said == (
        "Jonas (@jonas) will have no role in “Guide” any more, where they are a writer. 1 open task and 1 draft of "
        "theirs stay, listed among its people for others to take over."
    )


def test_only_owners_give_roles_and_anybody_may_leave(app: AppContext, keeper: Actor) -> None:
    jonas = _now(app, "jonas")
    for role in ("owner", "reader", "writer"):
        with pytest.raises(Forbidden):
            doing.plan(app, jonas, requests.GiveRole("guide", "jonas", role))
    with pytest.raises(Forbidden):
        doing.plan(app, jonas, requests.GiveRole("guide", "mirela", "nobody"))
    with pytest.raises(Forbidden):
        doing.plan(app, NOBODY, requests.GiveRole("guide", "jonas", "nobody"))
    view = doing.plan(app, jonas, requests.GiveRole("guide", "jonas", "nobody"))
    assert words.sentence(view).startswith("You leave “Guide”, where you are a writer.")
    assert words.button(view) == "Leave the volume"
    left = _done(app, jonas, requests.GiveRole("guide", "jonas", "nobody"))
    assert _role(app, "jonas", "guide") == "nobody"
    with pytest.raises(Forbidden):
        doing.plan(app, _now(app, "jonas"), requests.Undo(left.change_set))
    _done(app, keeper, requests.Undo(left.change_set))
    assert _role(app, "jonas", "guide") == "writer"


@pytest.mark.parametrize("role", ["reader", "writer", "nobody"])
def test_the_last_owner_goes_only_when_another_is_named(app: AppContext, keeper: Actor, role: str) -> None:
    wish = requests.GiveRole("guide", "mirela", role)  # type: ignore[arg-type]
    refusal = doing.plan(app, keeper, wish).refusal
    assert refusal is not None and refusal.code == "last_owner" and "last owner of “Guide”" in refusal.message
    for heir in ("piet", "nobody-here", "mirela"):
        named = requests.GiveRole("guide", "mirela", role, heir=heir)  # type: ignore[arg-type]
        assert doing.plan(app, keeper, named).refusal is not None, heir
    done = _done(app, keeper, requests.GiveRole("guide", "mirela", role, heir="jonas"))  # type: ignore[arg-type]
    jonas = _now(app, "jonas")
    assert jonas.roles[1] is Role.OWNER
    _done(app, jonas, requests.Undo(done.change_set))
    assert (_now(app, "mirela").roles[1], _now(app, "jonas").roles[1]) == (Role.OWNER, Role.WRITER)


def test_an_undo_leaves_nobodys_later_role_and_no_volume_without_an_owner(
    app: AppContext, keeper: Actor
) -> None:
    first = _done(app, keeper, requests.GiveRole("guide", "jonas", "owner"))
    _done(app, keeper, requests.GiveRole("guide", "mirela", "reader"))
    refusal = doing.plan(app, _now(app, "jonas"), requests.Undo(first.change_set)).refusal
    assert refusal is not None and "Nobody would own the volume then" in refusal.message
    jonas = _now(app, "jonas")
    _done(app, jonas, requests.GiveRole("guide", "mirela", "owner"))
    _done(app, keeper, requests.GiveRole("guide", "jonas", "reader"))
    refusal = doing.plan(app, keeper, requests.Undo(first.change_set)).refusal
    assert refusal is not None and "another role since" in refusal.message


def test_rights_that_were_lost_meanwhile_are_none_when_an_act_is_done(app: AppContext, keeper: Actor) -> None:
    jonas = give(app, _now(app, "jonas"), "guide", Role.OWNER)
    wish = requests.GiveRole("guide", "mirela", "reader")
    seen = doing.plan(app, jonas, wish).digest
    _done(app, keeper, requests.GiveRole("guide", "jonas", "writer"))
    with pytest.raises(Forbidden):
        doing.apply(app, jonas, wish, seen)  # he came as owner, and is none any more


def test_a_plan_that_was_seen_is_shown_anew_when_the_role_is_another_by_now(
    app: AppContext, keeper: Actor
) -> None:
    wish = requests.GiveRole("guide", "jonas", "owner")
    seen = doing.plan(app, keeper, wish).digest
    _done(app, keeper, requests.GiveRole("guide", "jonas", "reader"))
    assert not isinstance(doing.apply(app, keeper, wish, seen), Applied)
    assert _role(app, "jonas", "guide") == "reader"


# ---- whom one knows -----------------------------------------------------------------------


@pytest.mark.parametrize("handle", ["piet", "nobody-here", "no/handle", "\x00", "x" * 60])
def test_whom_one_shares_no_volume_with_and_who_is_not_there_are_answered_alike(
    app: AppContext, keeper: Actor, handle: str
) -> None:
    refusal = doing.plan(app, keeper, requests.GiveRole("guide", handle, "writer")).refusal
    assert refusal is not None and refusal.code == "not_among"
    assert refusal.message.replace(handle, "…") == (
        "Nobody with whom you share a volume is called “…”. If somebody is, you can offer it to them."
    )


def test_people_are_shown_to_those_they_share_a_volume_with(app: AppContext, keeper: Actor) -> None:
    piet, jonas = _now(app, "piet"), _now(app, "jonas")
    assert [handle for handle, _ in known_people.shared(app, jonas)] == ["jonas", "mirela"]
    assert [handle for handle, _ in known_people.shared(app, piet)] == ["piet"]
    with pytest.raises(Forbidden):
        people_of_volumes.people_of(app, piet, "guide")  # which he may read
    with pytest.raises(Forbidden):
        people_of_volumes.people_of(app, NOBODY, "guide")
    with pytest.raises(Missing):
        people_of_volumes.people_of(app, piet, "notes")
    people.give_wiki(app, "piet")
    assert len(known_people.shared(app, _now(app, "piet"))) == 3
    assert "piet" in dict(known_people.shared(app, jonas)), "an owner of the wiki owns every volume"


def test_the_log_tells_who_the_people_are_to_these_only(app: AppContext, keeper: Actor) -> None:
    done = _done(app, keeper, requests.GiveRole("guide", "jonas", "owner"))
    doing.apply(app, keeper, requests.GiveRole("guide", "jonas", "reader"), None, note="jonas asked for it")
    for actor in (_now(app, "piet"), NOBODY):
        told = repr(making.acts(app, actor)) + repr(log.one_act(app, actor, done.change_set))
        assert "jonas" not in told.lower()
        assert log.one_act(app, actor, done.change_set).headline == "Role changed"
        assert "Mirela" not in repr(log.one_act(app, actor, done.change_set)), "nor who of them did it"
    assert "jonas asked for it" in repr(making.acts(app, _now(app, "jonas")))


# ---- offers -------------------------------------------------------------------------------


def _pending(app: AppContext, keeper: Actor) -> list[tuple[str, str]]:
    view = people_of_volumes.people_of(app, keeper, "guide")
    return [(each.handle, people_of_volumes.CALLED[each.role]) for each in view.offers]


def test_an_offer_is_answered_alike_whether_the_handle_is_somebodys(app: AppContext, keeper: Actor) -> None:
    there = people_of_volumes.offer(app, keeper, "guide", "@Piet", "writer")
    missing = people_of_volumes.offer(app, keeper, "guide", "nobody-here", "writer")
    assert abs((there - missing).total_seconds()) < 60
    assert _pending(app, keeper) == [("nobody-here", "writer"), ("piet", "writer")]


def test_an_offer_is_taken_by_whom_it_is_for_and_stands_in_the_log(app: AppContext, keeper: Actor) -> None:
    people_of_volumes.offer(app, keeper, "notes", "piet", "writer")
    piet, jonas = _now(app, "piet"), _now(app, "jonas")
    (found,) = people_of_volumes.offered(app, piet)
    assert (found.volume.title, found.called, found.by) == ("Notes", "writer", "Mirela")
    assert people_of_volumes.offered(app, jonas) == []
    for other in (jonas, NOBODY):
        with pytest.raises(Missing):
            joining.accept(app, other, found.id)
    assert joining.accept(app, piet, found.id) == "notes"
    assert _role(app, "piet", "notes") == "writer"
    acts, _ = making.acts(app, keeper)
    assert (acts[0].act, acts[0].author, acts[0].note) == ("role", "Piet", "@piet is a writer now")
    with pytest.raises(Missing):
        joining.accept(app, _now(app, "piet"), found.id)
    _done(app, keeper, requests.Undo(acts[0].id))
    assert _role(app, "piet", "notes") == "nobody"


def test_an_offer_holds_only_while_its_maker_may_give_it(app: AppContext, keeper: Actor) -> None:
    people_of_volumes.offer(app, keeper, "guide", "piet", "owner")
    _done(app, keeper, requests.GiveRole("guide", "mirela", "writer", heir="jonas"))
    piet = _now(app, "piet")
    assert people_of_volumes.offered(app, piet) == []
    with database_reading(app.engine) as connection:
        number = connection.execute(text("SELECT id FROM offer")).scalar_one()
    with pytest.raises(Missing):
        joining.accept(app, piet, number)


def test_an_offer_is_declined_withdrawn_renewed_and_runs_out(app: AppContext, keeper: Actor) -> None:
    people_of_volumes.offer(app, keeper, "guide", "piet", "reader")
    people_of_volumes.offer(app, keeper, "guide", "piet", "writer")
    assert _pending(app, keeper) == [("piet", "writer")], "the later one holds"
    piet = _now(app, "piet")
    people_of_volumes.decline(app, piet, people_of_volumes.offered(app, piet)[0].id)
    assert _pending(app, keeper) == []
    people_of_volumes.offer(app, keeper, "guide", "piet", "writer")
    number = people_of_volumes.offered(app, piet)[0].id
    with pytest.raises(Forbidden):
        people_of_volumes.withdraw(app, _now(app, "jonas"), "guide", number)
    with pytest.raises(Missing):
        people_of_volumes.withdraw(app, keeper, "notes", number)
    people_of_volumes.withdraw(app, keeper, "guide", number)
    assert people_of_volumes.offered(app, piet) == []
    people_of_volumes.offer(app, keeper, "guide", "piet", "writer")
    app.clock.now += people_of_volumes.OFFER_HOLDS  # type: ignore[attr-defined]
    assert people_of_volumes.offered(app, piet) == [] and _pending(app, keeper) == []


def test_who_takes_a_handle_later_is_not_whom_an_offer_was_for(app: AppContext, keeper: Actor) -> None:
    people_of_volumes.offer(app, keeper, "notes", "ada", "owner")
    ada = person(app, "ada")
    assert people_of_volumes.offered(app, ada) == []


def test_an_offer_needs_a_handle_and_an_owner(app: AppContext, keeper: Actor) -> None:
    with pytest.raises(BadName):
        people_of_volumes.offer(app, keeper, "guide", "no/handle", "writer")
    with pytest.raises(Forbidden):
        people_of_volumes.offer(app, _now(app, "jonas"), "guide", "piet", "writer")
    with pytest.raises(Missing):
        people_of_volumes.offer(app, _now(app, "jonas"), "notes", "piet", "writer")


def test_who_is_as_much_already_declines(app: AppContext, keeper: Actor) -> None:
    people_of_volumes.offer(app, keeper, "guide", "jonas", "reader")
    jonas = _now(app, "jonas")
    with pytest.raises(Refused, match="as much in “Guide” already"):
        joining.accept(app, jonas, people_of_volumes.offered(app, jonas)[0].id)


# ---- who reads a volume --------------------------------------------------------------------


def test_closing_says_who_reads_then_and_what_leads_nowhere_for_others(
    app: AppContext, keeper: Actor
) -> None:
    pages(app, keeper, "guide", {"Well": "[[Pump]]"})
    piet = give(app, give(app, _now(app, "piet"), "guide", Role.WRITER), "charts", Role.OWNER)
    pages(app, piet, "charts", {"Route": "By [[Guide/Well]] and [[/Guide/Pump]]; [[Guide/None]]."})
    view = doing.plan(app, keeper, requests.Access("guide", closed=True))
    assert view.readers_said == [
        "Jonas, Mirela and Piet will read “Guide” then, and the owners of the wiki; for all others it is not there."
    ]
    assert view.crossing is not None
    assert [each.words for each in view.crossing.references] == ["[[Guide/Well]]", "[[/Guide/Pump]]"]
    assert not view.opens
    _done(app, keeper, requests.Access("guide", closed=True))
    with pytest.raises(Missing):
        reading.open_page(app, NOBODY, "guide", "pump")


def test_opening_says_what_everybody_reads_then(app: AppContext, keeper: Actor) -> None:
    pages(app, keeper, "notes", {"Log": "x", "Old": "y"})
    doing.apply(app, keeper, requests.Delete("notes", "old"), None)
    doing.apply(app, keeper, requests.Move("notes", "log", "guide"), None)
    wish = requests.Access("notes", closed=False)
    view = doing.plan(app, keeper, wish)
    assert view.readers_said == [
        "Everybody will read “Notes”: 1 page, 3 revisions that were written there, and its log, with the names of who "
        "wrote them. What is found, counted and put in elsewhere is open then, too. Whoever signs in sees what lies in "
        "its trash: 1 page."
    ], "the page that went elsewhere left its revision here"
    assert view.crossing is not None
    assert [each.words for each in view.crossing.references] == ["[[Notes/Trial]]"]
    assert view.opens
    done = _done(app, keeper, wish)
    assert reading.open_page(app, NOBODY, "notes", "trial")
    undone = doing.plan(app, keeper, requests.Undo(done.change_set))
    assert undone.readers_said[0].startswith("Mirela will read “Notes” then")
    assert undone.crossing is not None
    _done(app, keeper, requests.Undo(done.change_set))
    with pytest.raises(Missing):
        reading.open_page(app, NOBODY, "notes", "trial")


def test_pages_that_are_closed_to_an_owner_are_not_listed_with_what_leads_into_their_volume(
    app: AppContext, keeper: Actor
) -> None:
    volume(app, "Vault", closed=True)
    warden = person(app, "heron", vault=Role.OWNER, guide=Role.READER)
    pages(app, warden, "vault", {"Heron": "[[Guide/Pump]]"})
    view = doing.plan(app, keeper, requests.Access("guide", closed=True))
    assert "heron" not in repr(view.crossing).lower()


def test_only_owners_open_and_close(app: AppContext, keeper: Actor) -> None:
    for actor in (_now(app, "jonas"), _now(app, "piet"), NOBODY):
        with pytest.raises(Forbidden):
            doing.plan(app, actor, requests.Access("guide", closed=True))
    with pytest.raises(Missing):
        doing.plan(app, _now(app, "piet"), requests.Access("notes", closed=False))
    view = doing.plan(app, keeper, requests.Access("notes", closed=True))
    assert view.plan is not None and view.plan.nothing_to_do
