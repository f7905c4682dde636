"""Every act of the registry is planned and done through its page and through JSON, and taken back through both."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from urllib.parse import parse_qsl, urlsplit

import pytest
from argon2 import PasswordHasher
from pydantic import TypeAdapter

from mokuji.acts import registry
from mokuji.acts.request import Request
from mokuji.core.model.policy import Actor
from mokuji.services import people
from mokuji.services.app_context import AppContext
from mokuji.store import people as stored
from mokuji.store.database import writing
from mokuji.web.pages import SESSION
from mokuji.web.plan_addresses import plan_of
from tests.application import TestClient, application
from tests.services.test_every_act import ACTS
from tests.services.test_every_act import app as app
from tests.services.test_every_act import writer as writer

ON_THE_PAGE_FOR_WRITING = {"create", "edit"}
"""These are planned and done where pages are written (tests/web/test_pages.py)."""


@pytest.fixture
def session(app: AppContext, writer: Actor) -> str:
    assert writer.person is not None
    password = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash("buoy")
    with writing(app.engine) as connection:
        stored.set_password(connection, writer.person, password)
    token = people.sign_in(app, "wenna", "buoy", "127.0.0.1")
    assert token is not None
    return token


@pytest.fixture
def browser(app: AppContext, session: str) -> Iterator[TestClient]:
    with TestClient(application(app), base_url="http://mokuji.test") as client:
        client.cookies.set(SESSION, session)
        client.headers["Authorization"] = f"Bearer {session}"
        yield client


def _done_on_its_page(browser: TestClient, address: str) -> str:
    """Does what a plan shows, as the form at its foot does; the address of the change."""
    shown = browser.get(address)
    assert shown.status_code == 200, re.findall(r'role="alert">([^<]*)', shown.text)
    form = shown.text[shown.text.index("sticky-foot") :]
    fields: dict[str, list[str]] = {}
    for name, value in re.findall(r'<input type="hidden" name="([^"]+)" value="([^"]*)"', form):
        fields.setdefault(name, []).append(value)
    typed = dict(parse_qsl(urlsplit(address).query, keep_blank_values=True))
    assert typed.keys() <= fields.keys(), "the form at the foot says all that the address says"
    done = browser.post(urlsplit(address).path, data={**fields, **typed}, follow_redirects=False)
    assert done.status_code == 303, re.findall(r'role="alert">([^<]*)', done.text)
    return done.headers["location"]


@pytest.mark.parametrize(("name", "make", "_"), ACTS, ids=[each[0] for each in ACTS])
def test_an_act_is_done_and_taken_back_on_pages_without_scripts_and_in_json(
    browser: TestClient, name: str, make: Callable[[], Request], _: str
) -> None:
    act = registry.act_of(make())
    assert act.address or not act.in_json or act.name in ON_THE_PAGE_FOR_WRITING
    if act.address:
        change = _done_on_its_page(browser, plan_of(make()))
        if not change.startswith("/-/changes/"):
            # A new volume is gone to, rather than its change.
            newest = re.search(r'href="(/-/changes/\d+)', browser.get("/-/changes").text)
            assert newest is not None
            change = newest[1]
        assert "Undo" in browser.get(change).text
        assert _done_on_its_page(browser, f"{change.partition('?')[0]}/undo").startswith("/-/changes/")
    if act.in_json:
        wish = TypeAdapter(act.request).dump_python(make(), mode="json")
        _done_in_json(browser, {"act": "undo", "change_set": _done_in_json(browser, wish)})


def _done_in_json(program: TestClient, wish: dict[str, object]) -> int:
    plan = program.post("/api/v1/plans", json=wish)
    assert plan.status_code == 200, plan.text
    told = plan.json()
    assert told["sentence"] and told["can_be_done"]
    answer = program.post("/api/v1/acts", json={"wish": wish, "digest": told["digest"]})
    assert answer.status_code == 200, answer.text
    return int(answer.json()["change_set"])
