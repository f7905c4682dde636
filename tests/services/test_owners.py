"""Owners of the wiki, handles, and undo: who may do what to whom, and what the log tells to those it concerns."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import pytest
from argon2 import PasswordHasher

from mokuji.acts import doing, leaving, requests
from mokuji.acts.view import Applied
from mokuji.core.base.errors import Forbidden, Missing, MokujiError, Refused
from mokuji.core.model.policy import NOBODY, Actor, Permission, PersonPermission, Role, may, may_about
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import history, trash
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from mokuji.store import people as stored
from mokuji.store.database import reading as reading_transaction
from mokuji.store.database import writing as writing_transaction
from tests.services import making
from tests.services.making import pages, person, texts, volume


def done(app: AppContext, actor: Actor, wish: requests.Request, note: str = "") -> int:
    """Does an act as planned; the number of its change set."""
    applied = doing.apply(app, actor, wish, doing.plan(app, actor, wish).digest, note=note)
    assert isinstance(applied, Applied), applied
    return applied.change_set


def again(app: AppContext, actor: Actor) -> Actor:
    """The same person, as they are now."""
    with reading_transaction(app.engine) as connection:
        return stored.actor_by_id(connection, actor.person or 0)


def owner_of_wiki(app: AppContext, handle: str) -> Actor:
    actor = person(app, handle)
    people.give_wiki(app, handle)
    return again(app, actor)


@pytest.fixture
def volumes(app: AppContext) -> None:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)


# ---- the table -----------------------------------------------------------------------------


def test_an_owner_of_the_wiki_owns_every_volume_and_alone_may_close_and_reset_people() -> None:
    owner, jonas = Actor(1, owns_wiki=True), Actor(2, roles={7: Role.OWNER})
    assert all(may(owner, act, 9, closed=True) for act in Permission)
    assert all(may_about(owner, act, 2) for act in PersonPermission)
    assert {act for act in PersonPermission if may_about(jonas, act, 2)} == {
        PersonPermission.RENAME,
        PersonPermission.CLOSE,
    }
    assert not any(may_about(jonas, act, 1) or may_about(NOBODY, act, 1) for act in PersonPermission)


def test_the_last_owner_of_the_wiki_stays(app: AppContext) -> None:
    wenna = owner_of_wiki(app, "wenna")
    person(app, "jonas")
    with pytest.raises(Refused, match="last owner"):
        people.give_wiki(app, "wenna", owns=False)
    with pytest.raises(Refused, match="last owner"):
        leaving.close(app, "wenna", actor=wenna)
    people.give_wiki(app, "jonas")
    leaving.close(app, "wenna", actor=wenna)
    assert people.has_owner(app)
    with pytest.raises(Refused, match="last owner"):
        people.give_wiki(app, "jonas", owns=False)


def test_who_left_and_who_was_reset_is_signed_in_nowhere(app: AppContext) -> None:
    wenna = owner_of_wiki(app, "wenna")
    people.add(app, "piet", "Piet", "seven odd gulls sing", [])
    token = people.sign_in(app, "piet", "seven odd gulls sing")
    with pytest.raises(Forbidden):
        people.reset(app, "piet", "another odd gull sings", actor=people.actor_of(app, token))
    people.reset(app, "piet", "another odd gull sings", actor=wenna)
    assert not people.actor_of(app, token).signed_in
    assert people.sign_in(app, "piet", "seven odd gulls sing") is None
    token = people.sign_in(app, "piet", "another odd gull sings")
    assert people.actor_of(app, token).signed_in
    leaving.close(app, "piet", actor=wenna)
    assert not people.actor_of(app, token).signed_in
    assert people.sign_in(app, "piet", "another odd gull sings") is None
    people.let_in_again(app, "piet", actor=wenna)
    assert people.sign_in(app, "piet", "another odd gull sings")


@pytest.mark.parametrize("act", [leaving.close, people.let_in_again, people.give_wiki])
def test_who_is_no_owner_of_the_wiki_learns_not_even_who_is_there(
    app: AppContext, volumes: None, act: Callable[..., None]
) -> None:
    jonas = person(app, "jonas", guide=Role.OWNER)
    person(app, "wenna")
    said = set()
    for handle in ("wenna", "nobody"):
        with pytest.raises(Forbidden) as refused:
            act(app, handle, actor=jonas)
        said.add(refused.value.message)
    assert len(said) == 1


# ---- handles --------------------------------------------------------------------------------


def test_an_owner_of_a_volume_changes_nobodys_handle_but_their_own(app: AppContext, volumes: None) -> None:
    wenna = person(app, "wenna", guide=Role.READER)
    jonas = person(app, "jonas", guide=Role.OWNER)
    for handle in ("wenna", "nobody"):
        with pytest.raises(Forbidden, match="they themselves"):
            doing.plan(app, jonas, requests.RenamePerson("guide", handle, "taken"))
    with pytest.raises(Forbidden):
        doing.plan(app, NOBODY, requests.RenamePerson("guide", "wenna", "taken"))
    done(app, wenna, requests.RenamePerson("guide", "wenna", "carrow"))
    mirela = owner_of_wiki(app, "mirela")
    done(app, mirela, requests.RenamePerson("guide", "carrow", "wenna"))
    assert again(app, wenna).handle == "wenna"


def test_a_freed_handle_is_nobody_elses_while_pages_name_it(app: AppContext, volumes: None) -> None:
    wenna = person(app, "wenna", guide=Role.OWNER)
    pages(app, wenna, "guide", {"A": "Ask @wenna."})
    done(app, wenna, requests.RenamePerson("guide", "wenna", "carrow"))
    people.add(app, "wenna-two", "Other", "seven odd gulls sing", [])
    # References followed, so nothing names it; somebody writes it again from memory.
    pages(app, again(app, wenna), "guide", {"B": "Ask @wenna."})
    with pytest.raises(Refused, match="somebody else"):
        people.add(app, "wenna", "Other", "seven odd gulls sing", [])
    jonas = person(app, "jonas", guide=Role.WRITER)
    refusal = doing.plan(app, jonas, requests.RenamePerson("guide", "jonas", "Wenna")).refusal
    assert refusal is not None and refusal.code == "handle_named"
    back = doing.plan(app, again(app, wenna), requests.RenamePerson("guide", "carrow", "wenna"))
    assert back.refusal is None
    writing.save(app, again(app, wenna), writing.Save("guide", "B", "Ask somebody.", revision=1))
    people.add(app, "wenna", "Other", "seven odd gulls sing", [])


def test_a_handle_that_is_taken_is_refused_in_words(app: AppContext) -> None:
    people.add(app, "piet", "Piet", "seven odd gulls sing", [])
    with pytest.raises(Refused, match="called “piet” here already"):
        people.add(app, "Piet", "Other", "seven odd gulls sing", [])


def test_the_log_tells_of_a_handle_to_its_person_and_in_the_volumes_that_were_rewritten(
    app: AppContext, volumes: None
) -> None:
    wenna = person(app, "wenna", guide=Role.OWNER)
    volume(app, "Secret", closed=True)
    mirela = owner_of_wiki(app, "mirela")
    pages(app, wenna, "guide", {"A": "Ask @wenna."})
    number = done(app, mirela, requests.RenamePerson("secret", "wenna", "carrow"), note="Since May")
    for who in (wenna, NOBODY):
        logged, known = making.acts(app, who)
        assert logged[0].id == number and logged[0].act == "person rename"
        assert (logged[0].note, logged[0].detail, logged[0].page) == ("", {}, None)
        assert logged[0].volume not in known
        view = history.one_act(app, who, number)
        assert view.volume is None and not view.may_undo
        assert [page.title for page in view.pages] == ["A"]
    assert history.one_act(app, mirela, number).act.note == "Since May"


# ---- undo ------------------------------------------------------------------------------------


def test_undoing_a_move_into_a_closed_volume_needs_rights_there(app: AppContext, volumes: None) -> None:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    jonas = person(app, "jonas", guide=Role.OWNER)
    pages(app, mirela, "guide", {"Pump": "open"})
    number = done(app, mirela, requests.Move("guide", "pump", "notes"))
    writing.save(app, mirela, writing.Save("notes", "Pump", "open\n\nclosed since", revision=2))
    attempts: list[Callable[..., object]] = [doing.plan, partial(doing.apply, seen=None)]
    for attempt in attempts:
        with pytest.raises(Forbidden) as refused:
            attempt(app, jonas, requests.Undo(number))
        assert "Pump" not in refused.value.message and "Notes" not in refused.value.message
    done(app, mirela, requests.Undo(number))
    assert "closed since" in texts(app)["Pump"]


@pytest.mark.parametrize("role", [Role.NOBODY, Role.READER])
def test_undoing_a_merge_writes_only_where_a_direct_edit_may(
    app: AppContext, volumes: None, role: Role
) -> None:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    jonas = person(app, "jonas", guide=Role.OWNER, notes=role)
    pages(app, mirela, "guide", {"Pump": "one"})
    pages(app, mirela, "notes", {"Trial": "two"})
    number = done(app, mirela, requests.Merge("guide", "pump", "Notes/Trial"))
    with pytest.raises(Forbidden):
        doing.apply(app, jonas, requests.Undo(number), None)
    assert "one" in texts(app)["Trial"]


def test_a_writer_takes_back_nothing_that_only_an_owner_may_do(app: AppContext, volumes: None) -> None:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    writer = person(app, "jonas", guide=Role.WRITER)
    renamed = done(app, mirela, requests.RenameVolume("guide", "Manual"))
    libraries = done(app, mirela, requests.Libraries("manual", ("notes",)))
    for number in (renamed, libraries):
        assert not history.one_act(app, writer, number).may_undo
        with pytest.raises(Forbidden):
            doing.plan(app, writer, requests.Undo(number))
        with pytest.raises(Forbidden):
            doing.apply(app, writer, requests.Undo(number), None)
    # Nor what took it back: undoing the undoing is the act again.
    undone = done(app, mirela, requests.Undo(libraries))
    with pytest.raises(Forbidden):
        doing.plan(app, writer, requests.Undo(undone))


def test_an_owner_who_cannot_read_a_library_learns_nothing_of_it_by_undoing(
    app: AppContext, volumes: None
) -> None:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    jonas = person(app, "jonas", guide=Role.OWNER)
    number = done(app, mirela, requests.Libraries("guide", ("notes",)))
    with pytest.raises(Forbidden) as refused:
        doing.plan(app, jonas, requests.Undo(number))
    assert "Notes" not in refused.value.message


def test_references_that_followed_on_closed_pages_are_no_hindrance_to_undo(
    app: AppContext, volumes: None
) -> None:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    jonas = person(app, "jonas", guide=Role.WRITER)
    pages(app, mirela, "guide", {"Pump": "one"})
    pages(app, mirela, "notes", {"Trial": "See [[Guide/Pump]]."})
    number = done(app, jonas, requests.Rename("guide", "pump", "Feed pump"))
    assert texts(app)["Trial"] == "See [[Guide/Feed pump]]."
    done(app, jonas, requests.Undo(number))
    assert texts(app)["Trial"] == "See [[Guide/Pump]]."


def test_an_owner_of_the_wiki_undoes_what_was_done_in_any_volume(app: AppContext, volumes: None) -> None:
    jonas = person(app, "jonas", guide=Role.OWNER)
    mirela = owner_of_wiki(app, "mirela")
    number = done(app, jonas, requests.DeleteVolume("guide"))
    done(app, mirela, requests.Undo(number))
    assert reading.open_volume(app, NOBODY, "guide")


# ---- what the log tells ------------------------------------------------------------------------

INTO_CLOSED: dict[str, Callable[[], requests.Request]] = {
    "move": lambda: requests.Move("guide", "pump", "notes"),
    "merge": lambda: requests.Merge("guide", "pump", "Notes/Chlorine trial"),
    "join": lambda: requests.Join("guide", "pump", "Notes/Chlorine trial"),
    "link from": lambda: requests.LinkFrom("guide", "well", "Notes/Chlorine trial"),
    "retarget": lambda: requests.Retarget("guide", "gasket", "Notes/Chlorine trial"),
}


def _closed(app: AppContext) -> Actor:
    mirela = person(app, "mirela", guide=Role.OWNER, notes=Role.OWNER)
    pages(app, mirela, "guide", {"Pump": "See [[Well]] and [[Gasket]].", "Well": "", "Lid": "[[Pump]]"})
    pages(app, mirela, "notes", {"Chlorine trial": "Private."})
    return mirela


@pytest.mark.parametrize("act", INTO_CLOSED)
@pytest.mark.parametrize("own_words", [False, True])
def test_an_open_log_tells_no_closed_title(app: AppContext, volumes: None, act: str, own_words: bool) -> None:
    mirela = _closed(app)
    jonas = person(app, "jonas", guide=Role.OWNER)
    wish = INTO_CLOSED[act]()
    view = doing.plan(app, mirela, wish)
    # The person sends the proposal back as it stood in the field, or writes something.
    number = done(app, mirela, wish, note="Asked for by all" if own_words else view.note)
    if "trial" in texts(app) or act == "move":
        done(
            app,
            mirela,
            requests.Rename("notes", "pump" if act == "move" else "Chlorine trial", "Chlorine seal"),
        )
    for who in (NOBODY, jonas):
        logged, _ = making.acts(app, who)
        one = history.one_act(app, who, number)
        said = repr((logged, one.act, one.pages, trash.trash_view(app, jonas)))
        for page in ("pump", "well", "lid"):
            try:
                said += repr(history.revisions(app, who, "guide", page).revisions)
                said += repr(reading.open_page(app, who, "guide", page).change)  # type: ignore[union-attr]
            except MokujiError:
                continue
        assert "Chlorine" not in said and "Notes" not in said
        assert ("Asked for by all" in said) == own_words
        assert "closed to you" in one.act.note or own_words
    note = history.one_act(app, mirela, number).act.note
    assert note == "Asked for by all" if own_words else "Chlorine trial" in note or "Notes" in note


def test_a_note_in_a_closed_volume_is_not_told_on_an_open_page_that_followed(
    app: AppContext, volumes: None
) -> None:
    mirela = _closed(app)
    writing.save(app, mirela, writing.Save("guide", "Lid", "[[Notes/Chlorine trial]]", revision=1))
    done(app, mirela, requests.Rename("notes", "Chlorine trial", "Seal trial"), note="For project Heron")
    newest = history.revisions(app, NOBODY, "guide", "lid").revisions[0]
    assert newest.note == "" and newest.author == "Mirela"
    assert "Heron" not in repr(reading.open_page(app, NOBODY, "guide", "lid").change)  # type: ignore[union-attr]
    assert history.revisions(app, mirela, "guide", "lid").revisions[0].note == "For project Heron"


def test_a_note_from_before_phrases_were_kept_is_told_to_an_owner_of_the_wiki_only(
    app: AppContext, volumes: None
) -> None:
    from sqlalchemy import text

    mirela = _closed(app)
    number = done(app, mirela, requests.Move("guide", "pump", "notes"))
    with writing_transaction(app.engine) as connection:
        connection.execute(
            text("UPDATE change_set SET proposed = NULL, note = 'To “Notes”' WHERE id = :id"), {"id": number}
        )
    assert history.one_act(app, mirela, number).act.note == ""
    people.give_wiki(app, "mirela")
    assert history.one_act(app, again(app, mirela), number).act.note == "To “Notes”"


def test_who_lost_sight_of_a_volume_sees_no_plan_to_undo_and_no_draft_of_theirs_there(
    app: AppContext, volumes: None
) -> None:
    from mokuji.services.writing import drafts

    _closed(app)
    jonas = person(app, "jonas", notes=Role.WRITER)
    number = done(app, jonas, requests.Rename("notes", "Chlorine trial", "Seal trial"))
    drafts.keep(app, jonas, "notes", "seal-trial", "Private, and more", title="Seal trial", revision=2)
    assert "Seal trial" in repr(drafts.mine(app, jonas))
    with writing_transaction(app.engine) as connection:
        stored.set_role(connection, jonas.person or 0, 2, Role.NOBODY)
    jonas = again(app, jonas)
    assert "Seal" not in repr(drafts.mine(app, jonas)) + repr(making.acts(app, jonas))
    with pytest.raises(Missing):
        doing.plan(app, jonas, requests.Undo(number))


def test_a_volume_cannot_be_told_to_be_there_by_trying_its_name(app: AppContext, volumes: None) -> None:
    jonas = person(app, "jonas", guide=Role.OWNER)
    for wish in (requests.CreateVolume("Notes"), requests.RenameVolume("guide", " notes ")):
        refusal = doing.plan(app, jonas, wish).refusal
        assert refusal is not None and refusal.code == "bad_volume_name"
        assert "already" not in refusal.message and "“Notes”" not in refusal.message.replace(
            "Notes” cannot", ""
        )
    open_one = doing.plan(app, jonas, requests.CreateVolume("guide")).refusal
    assert open_one is not None and "already" in open_one.message


def test_the_trash_is_for_who_has_signed_in(app: AppContext, volumes: None) -> None:
    mirela = _closed(app)
    done(app, mirela, requests.Delete("guide", "lid"))
    with pytest.raises(Forbidden):
        trash.trash_view(app, NOBODY)
    assert trash.trash_view(app, mirela).acts


def test_a_handle_that_nobody_has_takes_as_long_to_refuse_as_any(nobodys_hash: str) -> None:
    assert not PasswordHasher().check_needs_rehash(nobodys_hash)
