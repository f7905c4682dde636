"""Keys for programs: told once, kept as hashes, never more than their person may do, and less."""

from __future__ import annotations

from datetime import timedelta

import pytest
from sqlalchemy import text

from mokuji.acts import doing, leaving, requests
from mokuji.core.base.errors import BadName, Forbidden, Missing, Refused
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services import own_page, people, people_of_volumes, program_keys
from mokuji.services.app_context import AppContext
from mokuji.services.reading import reading
from mokuji.services.writing import writing
from tests.copies import made_once
from tests.services.making import give, pages, person, volume


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    volume(app, "Vault", closed=True)
    owner = person(app, "wenna", guide=Role.OWNER, notes=Role.OWNER, vault=Role.OWNER)
    for key in ("guide", "notes", "vault"):
        pages(app, owner, key, {"Pump": f"In {key}."})
    return owner


app, owner = made_once(_filled)


def _key(app: AppContext, actor: Actor, *volumes: str, writes: bool = False, days: int = 30) -> str:
    return program_keys.make(app, actor, "nightly check", volumes, writes=writes, days=days).token


def _save(app: AppContext, actor: Actor, volume_key: str) -> None:
    writing.save(app, actor, writing.Save(volume_key, "Well", "x", revision=0))


def test_a_key_is_told_once_and_kept_as_its_hash(app: AppContext, owner: Actor) -> None:
    token = _key(app, owner, "notes")
    assert token.startswith("mokuji-") and len(token) > 45
    with app.engine.connect() as connection:
        row = repr(connection.execute(text("SELECT * FROM program_key")).one())
    assert token not in row and people.token_hash(token) in row
    assert token not in repr(program_keys.keys(app, owner))


def test_a_key_reads_and_writes_in_its_volumes_only(app: AppContext, owner: Actor) -> None:
    reads, writes = _key(app, owner, "notes"), _key(app, owner, "Notes", "guide", writes=True)
    reader, writer = people.actor_of(app, reads), people.actor_of(app, writes)
    assert (reader.person, writer.person) == (owner.person, owner.person)
    for actor in (reader, writer):
        assert reading.open_page(app, actor, "notes", "pump")
        with pytest.raises(Missing):
            reading.open_page(app, actor, "vault", "pump")
    with pytest.raises(Forbidden):
        _save(app, reader, "notes")
    _save(app, writer, "notes")
    _save(app, writer, "guide")
    with pytest.raises(Missing):
        _save(app, writer, "vault")


def test_a_key_of_an_owner_owns_nothing(app: AppContext, owner: Actor) -> None:
    people.give_wiki(app, "wenna")
    for token in (_key(app, owner, "guide", "notes", writes=True),):
        actor = people.actor_of(app, token)
        assert not actor.owns_wiki and not actor.owns_any and actor.program
        for wish in (
            requests.Access("guide", closed=True),
            requests.GiveRole("guide", "wenna", "nobody"),
            requests.Language("guide", "de"),
            requests.DeleteVolume("guide"),
            requests.CreateVolume("More"),
            requests.RenamePerson("guide", "wenna", "other"),
        ):
            with pytest.raises(Forbidden):
                doing.plan(app, actor, wish)
            with pytest.raises(Forbidden):
                doing.apply(app, actor, wish, None)
        with pytest.raises(Forbidden):
            own_page.own_page(app, actor, token)
        with pytest.raises(Forbidden):
            own_page.change_password(app, actor, token, "x", "another odd gull sings")
        with pytest.raises(Forbidden):
            program_keys.make(app, actor, "more", ["guide"], writes=False, days=30)
        with pytest.raises(Forbidden):
            program_keys.keys(app, actor)
        with pytest.raises(Forbidden):
            people.everybody(app, actor)
        with pytest.raises(Forbidden):
            leaving.planned(app, actor, "wenna")
        with pytest.raises(Forbidden):
            leaving.close(app, "wenna", actor=actor)
        assert people_of_volumes.offered(app, actor) == []


def test_a_key_may_no_more_than_its_person_may_by_now(app: AppContext, owner: Actor) -> None:
    jonas = person(app, "jonas", notes=Role.WRITER, guide=Role.WRITER)
    token = _key(app, jonas, "notes", "guide", writes=True)
    _save(app, people.actor_of(app, token), "notes")
    give(app, jonas, "notes", Role.READER)
    with pytest.raises(Forbidden):
        writing.save(app, people.actor_of(app, token), writing.Save("notes", "Lid", "x", revision=0))
    doing.apply(app, owner, requests.GiveRole("notes", "jonas", "nobody"), None)
    with pytest.raises(Missing):
        reading.open_page(app, people.actor_of(app, token), "notes", "pump")
    (key,) = program_keys.keys(app, give(app, jonas, "guide", Role.READER))
    assert [each.title for each in key.volumes] == ["Guide"]


def test_keys_end_by_their_day_by_hand_and_with_their_person(app: AppContext, owner: Actor) -> None:
    jonas = person(app, "jonas", guide=Role.WRITER)
    first, second, third = (_key(app, jonas, "guide", days=days) for days in (30, 90, 365))
    app.clock.now += timedelta(days=31)  # type: ignore[attr-defined]
    assert people.actor_of(app, first) == NOBODY and people.actor_of(app, second).person == jonas.person
    assert len(program_keys.keys(app, jonas)) == 2
    number = program_keys.keys(app, jonas)[0].id
    with pytest.raises(Missing):
        program_keys.end(app, owner, number)
    program_keys.end(app, jonas, number)
    assert people.actor_of(app, second) == NOBODY
    leaving.close(app, "jonas")
    assert people.actor_of(app, third) == NOBODY
    people.let_in_again(app, "jonas")
    assert people.actor_of(app, third) == NOBODY, "what has ended does not come back"


def test_when_a_key_was_used_last_is_seen(app: AppContext, owner: Actor) -> None:
    token = _key(app, owner, "guide")
    assert program_keys.keys(app, owner)[0].used is None
    people.actor_of(app, token)
    first = program_keys.keys(app, owner)[0].used
    assert first is not None
    people.actor_of(app, token)
    assert program_keys.keys(app, owner)[0].used == first, "it is not written down at every request"
    app.clock.now += timedelta(minutes=6)  # type: ignore[attr-defined]
    people.actor_of(app, token)
    later = program_keys.keys(app, owner)[0].used
    assert later is not None and later > first


def test_what_is_no_key_is_nobodys(app: AppContext, owner: Actor) -> None:
    token = _key(app, owner, "guide")
    for wrong in ("mokuji-", token[:-1], token + "a", token.upper(), "mokuji-" + "\x00" * 40, "mokuji-é"):
        assert people.actor_of(app, wrong) == NOBODY


@pytest.mark.parametrize(
    ("name", "volumes", "writes", "days", "fault"),
    [
        ("", ["guide"], False, 30, BadName),
        ("x" * 101, ["guide"], False, 30, BadName),
        ("check", [], False, 30, Refused),
        ("check", ["nothing"], False, 30, Refused),
        ("check", ["vault"], False, 30, Refused),
        ("check", ["guide"], True, 30, Refused),
        ("check", ["guide"], False, 31, Refused),
        ("check", ["guide"], False, 0, Refused),
    ],
)
def test_a_key_needs_a_name_volumes_of_ones_own_and_an_end(
    app: AppContext, owner: Actor, name: str, volumes: list[str], writes: bool, days: int, fault: type
) -> None:
    jonas = person(app, "jonas", guide=Role.READER)
    with pytest.raises(fault):
        program_keys.make(app, jonas, name, volumes, writes=writes, days=days)
    assert program_keys.keys(app, jonas) == []


def test_nobody_has_more_keys_than_they_can_look_after(app: AppContext, owner: Actor) -> None:
    for _ in range(program_keys.MOST):
        _key(app, owner, "guide")
    with pytest.raises(Refused, match="50 keys already"):
        _key(app, owner, "guide")
