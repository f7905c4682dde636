"""A wiki without people is given once, to whoever types the key that its start command prints."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest

from mokuji.core.base.errors import BadName, Forbidden, MokujiError, Refused, TooMany
from mokuji.services import first_owner, people
from mokuji.services.app_context import AppContext
from tests.services.making import person

PASSWORD = "seven odd gulls sing"


def _begin(app: AppContext, key: str, handle: str = "wenna", password: str = PASSWORD) -> str:
    return first_owner.begin(app, key, handle, "Wenna Carrow", password, "127.0.0.1")


def test_who_types_the_key_owns_the_wiki_and_is_signed_in(app: AppContext) -> None:
    assert first_owner.wanted(app)
    token = _begin(app, first_owner.key(app))
    actor = people.actor_of(app, token)
    assert (actor.handle, actor.name, actor.owns_wiki) == ("wenna", "Wenna Carrow", True)
    assert not first_owner.wanted(app) and people.has_owner(app)
    assert people.sign_in(app, "wenna", PASSWORD)


def test_the_key_is_the_same_at_each_start_and_another_for_each_wiki(app: AppContext) -> None:
    key = first_owner.key(app)
    assert first_owner.key(replace(app)) == key
    assert first_owner.key(replace(app, secret=b"another wiki")) != key
    assert len(set(key)) > 5 and key.count("-") == 4


def test_the_key_may_be_typed_in_capitals_with_spaces(app: AppContext) -> None:
    _begin(app, f" {first_owner.key(app).upper()}\n")


@pytest.mark.parametrize("typed", ["", "x", "\ud800", "aaaa-aaaa-aaaa-aaaa-aaaa"])
def test_another_key_is_refused_and_nobody_is_made(app: AppContext, typed: str) -> None:
    with pytest.raises(Forbidden, match="not the key of this wiki"):
        _begin(app, typed)
    assert first_owner.wanted(app)


def test_keys_are_not_tried_without_end(app: AppContext) -> None:
    for _ in range(people.TRIES_OF_HANDLE):
        with pytest.raises(Forbidden):
            _begin(app, "aaaa-aaaa-aaaa-aaaa-aaaa")
    with pytest.raises(TooMany):
        _begin(app, first_owner.key(app))


def test_once_somebody_is_there_the_key_is_of_no_use(app: AppContext) -> None:
    person(app, "jonas")
    assert not first_owner.wanted(app)
    with pytest.raises(Refused, match="Somebody owns this wiki already"):
        _begin(app, first_owner.key(app))


@pytest.mark.parametrize(
    ("handle", "password"), [("no/handle", PASSWORD), ("", PASSWORD), ("wenna", "short")]
)
def test_what_cannot_be_a_handle_or_a_password_is_said_and_the_key_stays(
    app: AppContext, handle: str, password: str
) -> None:
    with pytest.raises(BadName):
        _begin(app, first_owner.key(app), handle, password)
    _begin(app, first_owner.key(app))


def test_of_two_at_once_one_owns_it(app: AppContext) -> None:
    def attempt(handle: str) -> str:
        try:
            return _begin(app, first_owner.key(app), handle)
        except MokujiError as refused:
            return refused.code

    with ThreadPoolExecutor(4) as pool:
        done = list(pool.map(attempt, ["wenna", "jonas", "mirela", "piet"]))
    assert sorted(done).count("begun") == 3
