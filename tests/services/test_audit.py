"""The audit trail: what is done with people, rights and keys is written down, for owners, and nothing else is."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from sqlalchemy import Engine, text

from mokuji.acts import doing, joining, leaving, requests
from mokuji.core.base.errors import BadRequest, Forbidden
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import audit, first_owner, invitations, own_page, people, people_of_volumes, program_keys
from mokuji.services.app_context import AppContext
from mokuji.services.audit import Wanted
from mokuji.services.looking_back import trash
from mokuji.services.reading import reading
from mokuji.store import people as stored
from mokuji.store.database import reading as database_reading
from tests.copies import made_once
from tests.services.making import pages, person, volume

PASSWORD = "several odd gulls sing"


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Vault", closed=True)
    people.add(app, "wenna", "Wenna", PASSWORD, [], owner_of_wiki=True)
    jonas = person(app, "jonas", guide=Role.OWNER)
    person(app, "mirela", vault=Role.OWNER)
    pages(app, jonas, "guide", {"Pump": "x"})
    return jonas


app, jonas = made_once(_filled)


def _now(app: AppContext, handle: str) -> Actor:
    number = people.person_id(app, handle)
    with database_reading(app.engine) as connection:
        return stored.actor_by_id(connection, number)


def _told(app: AppContext, handle: str, **wanted: object) -> list[tuple[str, str | None, str | None, str]]:
    """What somebody is told: kind, by whom, about whom, details; the newest first."""
    found = audit.trail(app, _now(app, handle), Wanted(**wanted))  # type: ignore[arg-type]
    return [(each.kind, each.by, each.about, each.said) for each in found.entries]


def test_sign_ins_and_refused_ones_are_written_down_for_owners_of_the_wiki(
    app: AppContext, jonas: Actor
) -> None:
    people.sign_in(app, "wenna", PASSWORD, "192.0.2.7", agent="Mozilla/5.0 (X11; Linux x86_64) Firefox/130.0")
    people.sign_in(app, "wenna", "wrong", "192.0.2.8")
    people.sign_in(app, "my very own password", "wenna", "192.0.2.8")
    entries = audit.trail(app, _now(app, "wenna"), Wanted()).entries
    assert [(each.kind, each.by, each.about, each.address) for each in entries[:3]] == [
        ("sign-in refused", None, None, "192.0.2.8"),
        ("sign-in refused", None, "wenna", "192.0.2.8"),
        ("sign-in", "wenna", None, "192.0.2.7"),
    ]
    assert "Firefox" in entries[2].said
    with app.engine.connect() as connection:
        kept = repr(connection.execute(text("SELECT * FROM audit")).all())
    assert "my very own password" not in kept, "what was typed as a handle may be a password"
    assert _told(app, "jonas") == []


def test_what_is_done_with_rights_is_told_to_owners_of_the_volume(app: AppContext, jonas: Actor) -> None:
    wenna = _now(app, "wenna")
    done = doing.apply(app, wenna, requests.GiveRole("guide", "mirela", "writer"), None)
    doing.apply(app, jonas, requests.Access("guide", closed=True), None)
    doing.apply(app, jonas, requests.Undo(done.change_set), None)  # type: ignore[union-attr]
    doing.apply(app, jonas, requests.RenameVolume("guide", "Manual"), None)
    reading.choose_front(app, jonas, "manual", "pump")
    people_of_volumes.offer(app, jonas, "manual", "ada", "reader")
    made = invitations.invite(app, jonas, {"manual": "writer"}, "for Ada")
    joining.come_in(app, made.token, "ada", "Ada", PASSWORD)
    program_keys.make(app, jonas, "check", ["manual"], writes=True, days=30)
    own = _told(app, "jonas")
    assert own == [
        ("key", "jonas", None, "may write"),
        ("role", "ada", "ada", "@ada is a writer now"),
        ("invitation", "jonas", None, "writer"),
        ("offer", "jonas", None, "@ada: reader"),
        ("front page", "jonas", None, "“Pump”"),
        ("rename volume", "jonas", None, "Volume “Guide” is now called “Manual”"),
        ("undo", "jonas", "mirela", f"Change {done.change_set} undone"),  # type: ignore[union-attr]
        ("access", "jonas", None, "“Guide” closed"),
        ("role", "wenna", "mirela", "@mirela is a writer now"),
    ]
    assert _told(app, "mirela") == [], "she owns another volume"
    everything = _told(app, "wenna")
    assert [each for each in everything if each in own] == own
    assert ("came in", "ada", None, "invited by @jonas") in everything


def test_what_is_done_with_people_is_told_to_owners_of_the_wiki(app: AppContext, jonas: Actor) -> None:
    wenna = _now(app, "wenna")
    people.give_wiki(app, "jonas", actor=wenna)
    people.give_wiki(app, "jonas", owns=False, actor=wenna)
    invitations.link_password(app, wenna, "jonas")
    people.reset(app, "jonas", "another odd gull sings", actor=wenna)
    leaving.close(app, "mirela", actor=wenna)
    people.let_in_again(app, "mirela", actor=wenna)
    doing.apply(app, wenna, requests.RenamePerson("guide", "jonas", "jon"), None)
    token = people.sign_in(app, "wenna", PASSWORD) or ""
    own_page.change_password(app, wenna, token, PASSWORD, "another odd gull swims")
    own_page.end_others(app, wenna, token)
    kinds = [kind for kind, *_ in _told(app, "wenna")]
    assert kinds[:12] == [
        "sessions ended",
        "password",
        "sign-in",
        "person rename",
        "person let in",
        "person closed",
        "role",
        "password",
        "password link",
        "wiki taken",
        "wiki given",
        "person added",
    ]
    assert _told(app, "wenna", person="mirela")[0] == ("person let in", "wenna", "mirela", "")


def test_a_wiki_begins_its_trail_with_its_first_owner(engine: Engine) -> None:
    engine_app = AppContext(engine, b"a key for tests only")
    first_owner.begin(engine_app, first_owner.key(engine_app), "ada", "Ada", PASSWORD, "192.0.2.9")
    assert _told(engine_app, "ada") == [("first owner", "ada", None, "")]


def test_pages_that_are_read_and_written_are_no_matter_of_the_trail(app: AppContext, jonas: Actor) -> None:
    before = len(_told(app, "wenna"))
    pages(app, jonas, "guide", {"Well": "x"})
    doing.apply(app, jonas, requests.Rename("guide", "well", "Lid"), None)
    reading.open_page(app, jonas, "guide", "lid")
    assert len(_told(app, "wenna")) == before


def test_the_trail_is_for_owners(app: AppContext, jonas: Actor) -> None:
    for actor in (NOBODY, person(app, "piet", guide=Role.WRITER)):
        with pytest.raises(Forbidden):
            audit.trail(app, actor, Wanted())
        with pytest.raises(Forbidden):
            list(audit.taken_away(app, actor, Wanted()))
    key = program_keys.make(app, jonas, "check", ["guide"], writes=True, days=30).token
    with pytest.raises(Forbidden):
        audit.trail(app, people.actor_of(app, key), Wanted())


def test_an_owner_of_a_volume_asks_for_that_of_another_in_vain(app: AppContext, jonas: Actor) -> None:
    doing.apply(app, _now(app, "mirela"), requests.Access("vault", closed=False), None)
    assert _told(app, "jonas", volume="vault") == []
    assert _told(app, "jonas", person="mirela") == []
    assert "vault" not in repr(audit.trail(app, jonas, Wanted())).lower()


def test_the_trail_is_filtered_and_goes_on(app: AppContext, jonas: Actor) -> None:
    for role in ("writer", "reader", "writer", "nobody"):
        doing.apply(app, _now(app, "wenna"), requests.GiveRole("guide", "mirela", role), None)
    today = app.clock().date()
    assert len(_told(app, "jonas", kind="role")) == 4
    assert len(_told(app, "jonas", kind="access")) == 0
    assert len(_told(app, "jonas", person="@Mirela")) == 4
    assert len(_told(app, "jonas", kind="role", person="jonas", volume="guide")) == 0
    assert len(_told(app, "jonas", since=today, until=today)) == 4
    assert _told(app, "jonas", since=today + timedelta(days=1)) == []
    assert _told(app, "jonas", until=today - timedelta(days=1)) == []
    assert _told(app, "jonas", person="\x00") == []
    first = audit.trail(app, jonas, Wanted(), most=3)
    second = audit.trail(app, jonas, Wanted(), first.more_before, most=3)
    assert (len(first.entries), len(second.entries), second.more_before) == (3, 1, None)
    with pytest.raises(BadRequest):
        audit.trail(app, jonas, Wanted(kind="nothing"))
    audit.trail(app, jonas, Wanted(since=date.min, until=date.max))


def test_who_takes_the_trail_away_stands_in_it(app: AppContext, jonas: Actor) -> None:
    doing.apply(app, jonas, requests.Access("guide", closed=True), None)
    assert [each.kind for each in audit.taken_away(app, jonas, Wanted())] == ["access"]
    assert _told(app, "wenna")[0] == ("taken away", "jonas", None, "audit trail")


def test_what_is_older_than_400_days_goes(app: AppContext, jonas: Actor) -> None:
    doing.apply(app, jonas, requests.Access("guide", closed=True), None)
    app.clock.now += timedelta(days=399)  # type: ignore[attr-defined]
    doing.apply(app, jonas, requests.Access("guide", closed=False), None)
    trash.purge(app)
    assert len(_told(app, "jonas")) == 2
    app.clock.now += timedelta(days=2)  # type: ignore[attr-defined]
    trash.purge(app)
    assert len(_told(app, "jonas")) == 1
