"""People see where they are signed in, and change their own name and password; nobody else's."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest

from mokuji.acts import doing, requests
from mokuji.core.base.errors import BadName, Forbidden, Missing, TooMany
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import own_page, passwords, people
from mokuji.services.app_context import AppContext
from mokuji.services.devices import device_of
from mokuji.services.looking_back import history
from mokuji.store import people as stored
from mokuji.store.database import writing
from tests.services.making import pages, person, volume

PASSWORD, NEW = "seven odd gulls sing", "eight calm seals hum"


@pytest.fixture
def wenna(app: AppContext) -> Actor:
    wenna = person(app, "wenna")
    with writing(app.engine) as connection:
        stored.set_password(connection, wenna.person or 0, passwords.kept(PASSWORD))
    return wenna


def _sign_in(app: AppContext, agent: str = "", password: str = PASSWORD) -> str:
    token = people.sign_in(app, "wenna", password, agent=agent)
    assert token is not None
    return token


def test_what_one_did_is_listed_but_for_volumes_that_closed_since(app: AppContext) -> None:
    volume(app, "Guide")
    owner = person(app, "keeper", guide=Role.OWNER)
    ada = person(app, "adair", guide=Role.WRITER)
    pages(app, owner, "guide", {"Pump": "x"})
    pages(app, ada, "guide", {"Well": "x", "Lid": "y"})
    told, _, more = history.own_acts(app, ada, most=1)
    assert [act.page_title for act in told] == ["Lid"] and more is not None
    assert [act.page_title for act in history.own_acts(app, ada, more)[0]] == ["Well"]
    doing.apply(app, owner, requests.Access("guide", closed=True), None)
    doing.apply(app, owner, requests.GiveRole("guide", "adair", "nobody"), None)
    assert history.own_acts(app, Actor(ada.person, ada.handle, ada.name))[0] == []
    assert history.own_acts(app, NOBODY)[0] == []


def test_one_s_sessions_are_listed_with_device_and_time_the_last_used_first(
    app: AppContext, wenna: Actor
) -> None:
    person(app, "jonas")
    first = _sign_in(app, "sync-tool/2.1 (linux)")
    second = _sign_in(app)
    clock: Any = app.clock
    clock.now += people.SEEN * 2
    people.actor_of(app, first)
    view = own_page.own_page(app, wenna, second)
    assert [(each.device, each.here) for each in view.sessions] == [("sync-tool", False), ("", True)]
    assert view.sessions[0].seen > view.sessions[1].seen > view.sessions[1].begun - timedelta(seconds=1)
    assert (view.handle, view.name, view.owns_wiki) == ("wenna", "Wenna", False)


def test_a_session_that_has_run_out_is_not_listed(app: AppContext, wenna: Actor) -> None:
    token = _sign_in(app)
    clock: Any = app.clock
    clock.now += people.IDLE_SESSION
    assert own_page.own_page(app, wenna, token).sessions == []


def test_one_session_is_ended_or_all_others(app: AppContext, wenna: Actor) -> None:
    tokens = [_sign_in(app) for _ in range(4)]
    here = tokens[0]
    listed = own_page.own_page(app, wenna, here).sessions
    own_page.end_session(app, wenna, listed[0].id)
    assert not people.actor_of(app, tokens[3]).signed_in
    with pytest.raises(Missing):
        own_page.end_session(app, wenna, listed[0].id)
    own_page.end_others(app, wenna, here)
    assert [people.actor_of(app, token).signed_in for token in tokens] == [True, False, False, False]


def test_nobody_ends_the_session_of_somebody_else(app: AppContext, wenna: Actor) -> None:
    token = _sign_in(app)
    theirs = own_page.own_page(app, wenna, token).sessions[0].id
    with pytest.raises(Missing):
        own_page.end_session(app, person(app, "jonas"), theirs)
    for act in (own_page.own_page, own_page.end_others):
        with pytest.raises(Forbidden) as refused:
            act(app, NOBODY, "")
        assert refused.value.code == "sign_in"
    assert people.actor_of(app, token).signed_in


def test_a_new_password_asks_for_the_present_one_and_ends_other_sessions(
    app: AppContext, wenna: Actor
) -> None:
    here, elsewhere = _sign_in(app), _sign_in(app)
    with pytest.raises(Forbidden, match="not your present password"):
        own_page.change_password(app, wenna, here, "wrong", NEW)
    with pytest.raises(BadName):
        own_page.change_password(app, wenna, here, PASSWORD, "wenna wenna wenna")
    assert people.actor_of(app, elsewhere).signed_in
    own_page.change_password(app, wenna, here, PASSWORD, NEW)
    assert people.actor_of(app, here).signed_in and not people.actor_of(app, elsewhere).signed_in
    assert people.sign_in(app, "wenna", PASSWORD) is None
    _sign_in(app, password=NEW)


def test_the_present_password_is_not_guessed_at_a_desk_that_was_left(app: AppContext, wenna: Actor) -> None:
    here = _sign_in(app)
    for _ in range(people.TRIES_OF_HANDLE):
        with pytest.raises(Forbidden):
            own_page.change_password(app, wenna, here, "wrong", NEW)
    with pytest.raises(TooMany):
        own_page.change_password(app, wenna, here, PASSWORD, NEW)


@pytest.mark.parametrize("name", ["", "   ", "x" * 101])
def test_a_name_that_cannot_be_one_is_said(app: AppContext, wenna: Actor, name: str) -> None:
    with pytest.raises(BadName):
        own_page.set_name(app, wenna, name)


def test_another_name_stands_wherever_others_see_it(app: AppContext, wenna: Actor) -> None:
    token = _sign_in(app)
    own_page.set_name(app, wenna, " Wenna   Carrow ")
    assert people.actor_of(app, token).name == "Wenna Carrow"


# As browsers and programs write it (RFC 9110, 10.1.5); the first as Debian's browser does.
BROWSER = (
    "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chromium/140.0.0.0 Safari/537.36"
)


@pytest.mark.parametrize(
    ("agent", "device"),
    [
        (BROWSER, "Chromium on Linux"),
        ("sync-tool/2.1 (linux; x86_64)", "sync-tool"),
        ("", ""),
        ("\x00\x1b[31m", "[31m"),
        ("x" * 5000, "x" * 80),
        ("Mozilla/5.0 (nothing)", "Mozilla"),
    ],
)
def test_a_device_is_told_in_few_words(agent: str, device: str) -> None:
    assert device_of(agent) == device
