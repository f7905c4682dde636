"""Who owns a volume lets people in by a link; who owns the wiki lets them have a new password."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any

import pytest
from sqlalchemy import text

from mokuji.acts import doing, joining, leaving, requests
from mokuji.core.base.errors import BadName, Collision, Forbidden, Missing, MokujiError, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import invitations, passwords, people
from mokuji.services.app_context import AppContext
from mokuji.store import people as stored
from mokuji.store.database import reading, writing
from tests.services.making import give, person, volume
from tests.services.test_owners import owner_of_wiki

PASSWORD, NEW = "seven odd gulls sing", "eight calm seals hum"


@pytest.fixture
def wenna(app: AppContext) -> Actor:
    """Owns a public and a closed volume; a third is somebody else's."""
    for title, closed in (("Guide", False), ("Notes", True), ("Vault", True)):
        volume(app, title, closed=closed)
    return person(app, "wenna", guide=Role.OWNER, notes=Role.OWNER)


def _come_in(app: AppContext, token: str, handle: str = "ada") -> Actor:
    return people.actor_of(app, joining.come_in(app, token, handle, "Ada Two", PASSWORD))


def _roles(app: AppContext, actor: Actor) -> dict[str, Role]:
    with reading(app.engine) as connection:
        titles = {row.id: row.title for row in connection.execute(text("SELECT id, title FROM volume"))}
    return {titles[id_]: role for id_, role in actor.roles.items()}


def test_whoever_has_the_link_comes_in_with_the_roles_that_were_chosen(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "writer", "notes": "reader"}, "Ada, from the yard")
    said = invitations.invited(app, made.token)
    assert (said.by, [(each.volume.title, each.called) for each in said.given]) == (
        "Wenna",
        [("Guide", "writer"), ("Notes", "reader")],
    )
    ada = _come_in(app, made.token)
    assert (ada.handle, ada.name, ada.owns_wiki) == ("ada", "Ada Two", False)
    assert _roles(app, ada) == {"Guide": Role.WRITER, "Notes": Role.READER}
    assert people.sign_in(app, "ada", PASSWORD)


def test_a_link_works_once_and_for_a_week(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "reader"})
    _come_in(app, made.token)
    with pytest.raises(Missing, match="used already"):
        _come_in(app, made.token, "bela")
    late = invitations.invite(app, wenna, {"guide": "reader"})
    clock: Any = app.clock
    clock.now += invitations.HOLDS - timedelta(minutes=1)
    assert invitations.invited(app, late.token)
    clock.now += timedelta(minutes=2)
    with pytest.raises(Missing):
        _come_in(app, late.token, "bela")
    assert invitations.pending(app, wenna) == []


@pytest.mark.parametrize("token", ["", "x", "\ud800", "é", "a" * 5000, "../x"])
def test_what_is_no_token_is_answered_as_a_spent_one(app: AppContext, wenna: Actor, token: str) -> None:
    for act in (
        lambda: invitations.invited(app, token),
        lambda: _come_in(app, token),
        lambda: invitations.password_of(app, token),
        lambda: invitations.renew_password(app, token, NEW),
    ):
        with pytest.raises(Missing, match="used already"):
            act()


def test_what_was_typed_wrong_can_be_typed_again(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "reader"})
    with pytest.raises(BadName):
        joining.come_in(app, made.token, "ada", "Ada", "short")
    with pytest.raises(BadName):
        joining.come_in(app, made.token, "no/handle", "Ada", PASSWORD)
    with pytest.raises(Collision, match="called “wenna” here already"):
        joining.come_in(app, made.token, " Wenna", "Ada", PASSWORD)
    assert _come_in(app, made.token).signed_in


def test_of_two_who_use_a_link_at_once_one_comes_in(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "reader"})

    def attempt(handle: str) -> str:
        try:
            return _come_in(app, made.token, handle).handle
        except MokujiError as refused:
            return refused.code

    with ThreadPoolExecutor(4) as pool:
        done = list(pool.map(attempt, ["ada", "bela", "cor", "dov"]))
    assert done.count("link_spent") == 3


def test_only_owners_invite_and_only_to_what_they_own(app: AppContext, wenna: Actor) -> None:
    for who in (NOBODY, person(app, "jonas", guide=Role.WRITER)):
        with pytest.raises(Forbidden):
            invitations.invite(app, who, {"guide": "reader"})
        with pytest.raises(Forbidden):
            invitations.pending(app, who)
    refusals = []
    for key in ("vault", "nothing-of-the-kind"):
        with pytest.raises(Forbidden) as refused:
            invitations.invite(app, wenna, {key: "reader"})
        refusals.append(str(refused.value).replace(key, ""))
    assert refusals[0] == refusals[1], "what is closed and what is not there are answered alike"
    for roles in ({}, {"guide": "king"}, {"guide": ""}):
        with pytest.raises(Refused):
            invitations.invite(app, wenna, roles)
    everywhere = invitations.invite(app, owner_of_wiki(app, "mirela"), {"vault": "owner"})
    assert _roles(app, _come_in(app, everywhere.token)) == {"Vault": Role.OWNER}


def test_what_its_maker_may_give_no_more_is_not_given(app: AppContext, wenna: Actor) -> None:
    some = invitations.invite(app, wenna, {"guide": "writer", "notes": "writer"})
    none = invitations.invite(app, wenna, {"notes": "writer"})
    give(app, wenna, "notes", Role.READER)
    assert _roles(app, _come_in(app, some.token)) == {"Guide": Role.WRITER}
    with pytest.raises(Missing):
        _come_in(app, none.token, "bela")


def test_the_invitations_of_who_left_hold_no_longer(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "writer"})
    leaving.close(app, "wenna")
    with pytest.raises(Missing):
        _come_in(app, made.token)


def test_a_volume_that_was_deleted_is_in_no_invitation(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "reader", "notes": "reader"})
    wish = requests.DeleteVolume("notes")
    doing.apply(app, wenna, wish, doing.plan(app, wenna, wish).digest)
    assert [each.volume.title for each in invitations.invited(app, made.token).given] == ["Guide"]


def test_owners_see_what_waits_for_their_volumes_and_no_more(app: AppContext, wenna: Actor) -> None:
    mirela = owner_of_wiki(app, "mirela")
    invitations.invite(app, mirela, {"guide": "reader", "vault": "owner"}, "about the Vault")
    invitations.invite(app, mirela, {"vault": "owner"}, "vault only")
    mine = invitations.invite(app, wenna, {"notes": "writer"}, "Ada")
    seen = invitations.pending(app, wenna)
    assert [
        (each.note, [g.volume.title for g in each.given], each.hidden, each.may_withdraw) for each in seen
    ] == [
        ("Ada", ["Notes"], 0, True),
        ("", ["Guide"], 1, False),
    ]
    with pytest.raises(Missing):
        invitations.withdraw(app, wenna, seen[1].id)
    invitations.withdraw(app, wenna, seen[0].id)
    with pytest.raises(Missing):
        _come_in(app, mine.token)
    with pytest.raises(Missing):
        invitations.withdraw(app, wenna, seen[0].id)
    assert len(invitations.pending(app, mirela)) == 2


def test_only_hashes_of_links_are_kept(app: AppContext, wenna: Actor) -> None:
    made = invitations.invite(app, wenna, {"guide": "reader"})
    with app.engine.connect() as connection:
        kept = connection.execute(text("SELECT token FROM invitation")).scalars().all()
    assert kept == [people.token_hash(made.token)] and made.token not in kept


# ---- a forgotten password ------------------------------------------------------------


@pytest.fixture
def mirela(app: AppContext, wenna: Actor) -> Actor:
    with writing(app.engine) as connection:
        stored.set_password(connection, wenna.person or 0, passwords.kept(PASSWORD))
    return owner_of_wiki(app, "mirela")


def test_by_a_link_a_password_is_renewed_once_and_within_a_day(
    app: AppContext, wenna: Actor, mirela: Actor
) -> None:
    session = people.sign_in(app, "wenna", PASSWORD)
    made = invitations.link_password(app, mirela, "Wenna")
    assert invitations.password_of(app, made.token) == "wenna"
    with pytest.raises(BadName):
        invitations.renew_password(app, made.token, "wenna wenna wenna")
    assert people.actor_of(app, session).signed_in
    assert people.actor_of(app, invitations.renew_password(app, made.token, NEW)).handle == "wenna"
    assert not people.actor_of(app, session).signed_in, "other sessions end"
    assert people.sign_in(app, "wenna", PASSWORD) is None and people.sign_in(app, "wenna", NEW)
    with pytest.raises(Missing):
        invitations.renew_password(app, made.token, PASSWORD)
    late = invitations.link_password(app, mirela, "wenna")
    clock: Any = app.clock
    clock.now += invitations.PASSWORD_HOLDS
    with pytest.raises(Missing):
        invitations.renew_password(app, late.token, PASSWORD)


def test_of_several_links_to_a_password_the_last_one_holds(
    app: AppContext, wenna: Actor, mirela: Actor
) -> None:
    first, last = (invitations.link_password(app, mirela, "wenna") for _ in range(2))
    with pytest.raises(Missing):
        invitations.renew_password(app, first.token, NEW)
    invitations.renew_password(app, last.token, NEW)


def test_who_owns_volumes_alone_becomes_nobody_else(app: AppContext, wenna: Actor, mirela: Actor) -> None:
    person(app, "jonas", guide=Role.WRITER)
    for who in (wenna, NOBODY):
        for handle in ("jonas", "nobody-of-the-kind"):
            with pytest.raises(Forbidden):
                invitations.link_password(app, who, handle)
    with pytest.raises(Missing):
        invitations.link_password(app, mirela, "nobody-of-the-kind")


def test_who_left_gets_no_password(app: AppContext, wenna: Actor, mirela: Actor) -> None:
    made = invitations.link_password(app, mirela, "wenna")
    leaving.close(app, "wenna")
    with pytest.raises(Missing):
        invitations.renew_password(app, made.token, NEW)
    with pytest.raises(Refused, match="has left"):
        invitations.link_password(app, mirela, "wenna")


def test_all_people_are_seen_by_owners_of_the_wiki_alone(
    app: AppContext, wenna: Actor, mirela: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    person(app, "jonas")
    leaving.close(app, "jonas")
    found, more = people.everybody(app, mirela)
    assert [(each.handle, each.owns_wiki, each.volumes, each.closed is not None) for each in found] == [
        ("jonas", False, 0, True),
        ("mirela", True, 0, False),
        ("wenna", False, 2, False),
    ]
    assert more == ""
    monkeypatch.setattr(people, "SHOWN", 2)
    found, more = people.everybody(app, mirela)
    assert [each.handle for each in found] == ["jonas", "mirela"] and more == "mirela"
    assert [each.handle for each in people.everybody(app, mirela, more)[0]] == ["wenna"]
    for who in (wenna, NOBODY):
        with pytest.raises(Forbidden):
            people.everybody(app, who)
