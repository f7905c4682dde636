"""What is closed leaks nowhere: every address of the application, asked by every kind of actor, tells no word of it.
What is closed and what is not there are answered alike, in words and in how much the database is asked.

The addresses are those of the application, and what JSON takes is made from its own schemas: what is added is asked,
too.
"""

from __future__ import annotations

import html
import io
import re
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from email.message import EmailMessage
from itertools import product
from typing import Any

import pytest
from argon2 import PasswordHasher
from fastapi import FastAPI

from mokuji.acts import doing, requests
from mokuji.core.model.policy import Actor, Role
from mokuji.core.telling.watching import Mail, State
from mokuji.services import invitations, people, people_of_volumes, program_keys
from mokuji.services.app_context import AppContext, catch_up, refresh
from mokuji.services.folders import brought
from mokuji.services.reading import questions
from mokuji.services.telling import delivering, feeding, inbox, mailing, watching
from mokuji.services.telling.watching import Wanted
from mokuji.services.writing import drafts, files
from mokuji.store import people as stored
from mokuji.store.database import writing
from mokuji.telling import sending
from mokuji.upkeep.reports.registry import REPORTS
from mokuji.web.pages import SESSION
from mokuji.web.routes.acts import ON_PAGES, ON_VOLUMES
from mokuji.web.telling_places import PLACES
from tests.application import TestClient, application, routes_of
from tests.copies import made_once
from tests.outside.test_media import picture
from tests.services.making import edit, give, pages, person, statements, volume

SECRET = "heron"
"""It stands in all that is closed, and nowhere else."""
GUIDE = {
    "Pump": (
        "---\naliases: [bilge pump]\ncategories: [Parts]\nstatus: new\n---\n"
        "See [[Well]] and [[Lid]].\n\n## Limits\n\n10 bar #parts\n"
    ),
    "Well": "The [[Pump#Limits]]; a [[seal]] [[=Part]].\n\n- [ ] Order a seal @wenna\n",
    "Part": "---\nslots: {word: one}\n---\n${word} piece",
}
VAULT = {
    "Heron plan": (
        "---\naliases: [heron alias]\ncategories: [Heron, Parts]\nstatus: heron\n---\n"
        "[[Guide/Pump|the heron pump]] [[Guide/Pump#Limits]] [[Guide/Heron seal]] [[Guide/Lid]] heron #parts"
        " #herons\n\n- [ ] Heron task @wenna\n\n![heron](heron.png)\n"
    ),
    "Heron use": "[[=Guide/Part | word: heron]]\n\n## Heron section\n\n[[=Guide/Pump#Limits]]",
    "Heron template": "---\nslots: {heron: }\n---\n${heron}",
    "Heron gone": "A heron in the trash.",
}


def _filled(app: AppContext) -> None:
    volume(app, "Guide")
    volume(app, "Notes", closed=True)
    volume(app, "Vault", closed=True)
    keeper = person(app, "heron-keeper", vault=Role.OWNER)
    wenna = person(app, "wenna", guide=Role.OWNER, notes=Role.WRITER)
    both = person(app, "mirela", guide=Role.WRITER, vault=Role.WRITER)
    was = person(app, "jonas", guide=Role.WRITER, notes=Role.READER, vault=Role.WRITER)
    person(app, "piet")
    pages(app, wenna, "guide", GUIDE)
    pages(app, keeper, "vault", VAULT)
    pages(app, was, "vault", {"Heron log": "heron, by who was here"})
    files.bring(app, keeper, "vault", "heron.png", picture("PNG"))
    _told(app, keeper, was)
    drafts.keep(app, was, "vault", "heron-plan", "heron draft", revision=1)
    drafts.keep(app, keeper, "vault", "heron-new", "heron draft", title="Heron new")
    doing.apply(app, keeper, requests.Delete("vault", "heron-gone"), None, note="heron note")
    doing.apply(app, keeper, requests.Rename("vault", "heron-use", "Heron used"), None)
    doing.apply(app, keeper, requests.GiveRole("vault", "jonas", "nobody"), None, note="no heron of ours")
    invitations.invite(app, keeper, {"vault": "writer"}, "for a heron")
    people_of_volumes.offer(app, keeper, "vault", "heron-guest", "reader")
    for actor in (keeper, was):
        named = [("heron/Heron plan.md", io.BytesIO(b"heron")), ("heron/Heron new.md", io.BytesIO(b"heron"))]
        brought.receive_files(app, actor, "vault", named)
    program_keys.make(app, keeper, "heron key", ["vault"], writes=True, days=30)
    password = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash("buoy")
    with writing(app.engine) as connection:
        for handle in ("wenna", "mirela", "jonas", "piet"):
            account = stored.account(connection, handle)
            assert account is not None
            stored.set_password(connection, account.id, password)
    give(app, both, "vault", Role.WRITER)
    refresh(app)


def _told(app: AppContext, keeper: Actor, was: Actor) -> None:
    """Whoever was here asked to be told of all of it, and was, also by mail; what they were told last waits."""
    while catch_up(app) or delivering.tell(app):
        pass
    for wanted in (
        Wanted("volume", "vault"),
        Wanted("page", "vault", "heron plan"),
        Wanted("branch", "vault", "heron plan"),
        Wanted("category", "vault", "heron"),
        Wanted("question", question=questions.keep(app, was, "Heron question", "heron", "vault")),
    ):
        watching.watch(app, was, wanted)
    watching.mute(app, was, "vault", "heron use", on=True)
    assert was.person is not None
    for how in (Mail.DAILY, Mail.AT_ONCE):
        mailing.set_mail(app, was, "jonas@tern.example", how)
        mailing.confirm(app, mailing.confirming_word(app, was.person, "jonas@tern.example", app.clock()))
    edit(
        app,
        keeper,
        "vault",
        "Heron plan",
        VAULT["Heron plan"] + "heron again, @jonas and @wenna",
        note="heron",
    )
    delivering.tell(app)
    delivering.tell_of_tasks(app)


app, _ = made_once(_filled)
KINDS = ["jonas", "wenna", "key of mirela"]
"""Who had a role in the closed volume; an owner elsewhere; a key of somebody who is in the closed volume, for
another one."""
VALUES = {
    "volume": ["vault", "guide"],
    "page": ["heron-plan", "pump"],
    "key": ["parts"],
    "number": [str(number) for number in range(4, 21, 2)],
    "session": ["1"],
    "report": sorted(REPORTS),
    "name": ["heron-plan", "heron.png"],
    "handle": ["heron-keeper"],
    "token": ["none"],
    "word": ["none"],
    "folder": ["1", "2"],
    "rest": ["none"],
}
NAMES = {"/-/plan/": sorted(ON_PAGES), "/-/volume/": sorted(ON_VOLUMES), "/-/upkeep/": sorted(REPORTS)}


QUERIES = {
    "/-/put-back/": "from=1",
    "/-/revisions/": "from=1&to=1",
    "/-/beside/": "other=Vault/Heron+plan",
    "/-/became/": "since=1",
    "/-/stood/": "at=12",
    "/-/changes": "words=keeper&page=heron+plan",
    "/api/v1/changes": "words=keeper",
    "/-/take-away/": "reach=volume&form=commonmark&stays=1",
    "/-/take-away": "form=folder&stays=1",
    "/-/taken-away/": "reach=volume&form=commonmark",
    "/api/v1/volumes/{volume}/taken-away": "form=docx",
    "/api/v1/volumes/{volume}/left-behind": "form=html",
    "/api/v1/volumes/{volume}/beside/": "other=Vault/Heron+plan",
    "/api/v1/volumes/{volume}/put-back/": "older=1",
    "/api/v1/volumes/{volume}/revision/": "number=1&as_read=1",
}
"""Queries by themselves, for addresses that would not understand the usual one."""


def _addresses(path: str) -> Iterator[str]:
    holes = re.findall(r"{(\w+)[^}]*}", path)
    named = next((known for begin, known in NAMES.items() if path.startswith(begin)), VALUES["name"])
    for values in product(*(named if hole == "name" else VALUES[hole] for hole in holes)):
        filled = path
        for hole, value in zip(holes, values, strict=True):
            filled = re.sub(r"{" + hole + r"[^}]*}", value, filled)
        yield filled


def _client(app: AppContext, kind: str) -> TestClient:
    client = TestClient(application(app), raise_server_exceptions=False, base_url="http://mokuji.test")
    handle = kind.removeprefix("key of ")
    token = people.sign_in(app, handle, "buoy") or ""
    assert token
    if handle != kind:
        owner = people.actor_of(app, token)
        key = program_keys.make(app, owner, "check", ["guide"], writes=True, days=30)
        client.headers["Authorization"] = f"Bearer {key.token}"
        return client
    client.cookies.set(SESSION, token)
    client.headers["Authorization"] = f"Bearer {token}"
    return client


def _text(answer: Any) -> str:
    """What an answer says; of a zip, and of a document that is one, all that it holds."""
    if not answer.content.startswith(b"PK"):
        return str(answer.text)
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        return "".join(
            f"{name}\n{archive.read(name).decode('utf-8', 'replace')}\n" for name in archive.namelist()
        )


def _heard(answer: Any) -> bool:
    """Whether an answer tells a word of what is closed, beyond what was asked for by name."""
    said = html.unescape(_text(answer)).lower() + repr(dict(answer.headers)).lower()
    for asked in ("heron-plan", "heron plan", "heron+plan", "heron.png", "heron-keeper", "vault/heron plan"):
        said = said.replace(asked, "")
    return SECRET in said


@pytest.mark.parametrize("kind", KINDS)
def test_no_address_tells_a_word_of_what_is_closed(app: AppContext, kind: str) -> None:
    client = _client(app, kind)
    asked = 0
    query = "title=x&to=x&words=keeper&typed=gone&person=x&role=reader&q=x"
    for method, path in routes_of(_web(client)):
        for address in _addresses(path) if method == "GET" else ():
            if kind.startswith("key") and not path.startswith("/api"):
                continue  # a key opens nothing in a browser
            for each in (query, *(own for begin, own in QUERIES.items() if path.startswith(begin))):
                assert not _heard(client.get(f"{address}?{each}")), address
                asked += 1
    assert asked > 100


def _web(client: TestClient) -> FastAPI:
    assert isinstance(client.app, FastAPI)
    return client.app


STRINGS = {
    "volume": ["vault", "guide"],
    "page": ["heron-plan", "pump"],
    "handle": ["heron-keeper"],
    "person": ["heron-keeper"],
    "to": ["Well"],
    "title": ["Lock"],
    "text": ["x [[Vault/x]]"],
}


def _made(schema: dict[str, Any], parts: dict[str, Any], volume_key: str, name: str = "") -> Any:
    """A value that a schema takes."""
    if "$ref" in schema:
        return _made(parts[schema["$ref"].rpartition("/")[2]], parts, volume_key, name)
    for several in ("anyOf", "oneOf", "allOf"):
        if several in schema:
            return _made(schema[several][0], parts, volume_key, name)
    if "const" in schema:
        return schema["const"]
    if "enum" in schema:
        return schema["enum"][0]
    kind = schema.get("type")
    if kind == "object":
        return {
            key: _made(each, parts, volume_key, key) for key, each in schema.get("properties", {}).items()
        }
    if kind == "array":
        return [_made(schema.get("items", {}), parts, volume_key, name)]
    if kind in {"integer", "number"}:
        return max(1, int(schema.get("minimum", 1)))
    if kind == "boolean":
        return True
    if kind == "null":
        return None
    if name in {"volume", "libraries"}:
        return volume_key
    if name == "page":
        return "heron-plan" if volume_key == "vault" else "pump"
    return STRINGS.get(name, ["x"])[0]


def _bodies(schema: dict[str, Any], parts: dict[str, Any]) -> Iterator[Any]:
    """Values that a schema takes, each of its alternatives, in the closed volume and in the open one."""
    while "$ref" in schema:
        schema = parts[schema["$ref"].rpartition("/")[2]]
    alternatives = schema.get("oneOf") or schema.get("anyOf")
    if alternatives:
        for each in alternatives:
            yield from _bodies(each, parts)
        return
    wish = schema.get("properties", {}).get("wish")
    for volume_key in ("vault", "guide"):
        if wish is not None:
            for each in _bodies(wish, parts):
                yield _made(schema, parts, volume_key) | {"wish": each, "digest": "x"}
        else:
            yield _made(schema, parts, volume_key)


@pytest.mark.parametrize("kind", ["jonas", "key of mirela"])
def test_nothing_that_is_sent_is_answered_with_a_word_of_what_is_closed(app: AppContext, kind: str) -> None:
    client = _client(app, kind)
    told = client.get("/api/v1/openapi.json").json()
    parts = told["components"]["schemas"]
    asked = 0
    for path, methods in told["paths"].items():
        for method in ("post", "put", "patch", "delete"):
            if method not in methods or path in {"/api/v1/session"} or path.startswith("/api/v1/own/session"):
                continue
            content = methods[method].get("requestBody", {}).get("content", {})
            schema = content.get("application/json", {}).get("schema")
            for address in _addresses(path):
                for body in _bodies(schema, parts) if schema is not None else (None,):
                    answer = client.request(method.upper(), address, json=body)
                    assert answer.status_code < 500, (address, body, answer.text)
                    assert not _heard(answer), (method, address, body)
                    asked += 1
    assert asked > 80


def test_no_form_is_answered_with_a_word_of_what_is_closed(app: AppContext) -> None:
    kind = "wenna"
    client = _client(app, kind)
    found = re.search(r'name="token" value="([\w-]+)"', client.get("/-/sign-in").text)
    assert found is not None
    fields = {"token": found[1], "title": "Lock", "text": "x", "to": "Well", "revision": "1", "person": "x"}
    fields |= {"role": "reader", "page": "heron-plan", "wish": "take", "words": "gone", "digest": "x"}
    asked = 0
    for method, path in routes_of(_web(client)):
        if method != "POST" or path.startswith("/api") or "sign-out" in path or path == "/-/sign-in":
            continue
        for address in _addresses(path):
            if address in {"/-/leaving/" + kind, "/-/you/sessions"}:
                continue
            answer = client.post(address, data=fields)
            assert answer.status_code < 500, (address, answer.text)
            assert not _heard(answer), address
            asked += 1
    assert asked > 100


# ---- closed and not there -------------------------------------------------------------------


def _alike(text: str) -> str:
    """An answer without what says only what was asked for, and what is another each time."""
    text = html.unescape(text).lower()
    text = re.sub(r'nonce="[^"]*"|name="token" value="[^"]*"|"expires":"[^"]*"', "", text)
    return re.sub(r"nowhere|vault|nobody-here|heron-keeper", "…", text)


def _asked(
    app: AppContext, client: TestClient, method: str, address: str, body: object = None
) -> tuple[int, str, int]:
    """What is answered, and how many questions the database was asked for it."""
    answers: list[Any] = []
    number = len(statements(app, lambda: answers.append(client.request(method, address, json=body))))
    return answers[0].status_code, _alike(answers[0].text), number


@pytest.mark.parametrize("kind", ["jonas", "key of mirela"])
def test_a_closed_volume_and_none_are_answered_alike_with_as_many_questions(
    app: AppContext, kind: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    # That a session is in use is written down now and then.
    monkeypatch.setattr(people, "SEEN", timedelta(days=1))
    client = _client(app, kind)
    compared = 0
    for method, path in routes_of(_web(client)):
        if (
            method != "GET"
            or "{volume" not in path
            or (kind.startswith("key") and not path.startswith("/api"))
        ):
            continue
        for closed in [each for each in _addresses(path) if "vault" in each][:5]:
            missing = closed.replace("vault", "nowhere")
            client.get(missing)  # what is looked up once for all
            client.get(closed)
            assert _asked(app, client, "GET", closed) == _asked(app, client, "GET", missing), closed
            compared += 1
    assert compared > 20


HANDLES = ("nobody-here", "heron-keeper")


def test_people_that_are_not_there_and_those_one_does_not_know_are_answered_alike(app: AppContext) -> None:
    client = _client(app, "wenna")
    for address, body in (
        ("/api/v1/volumes/guide/offers", {"handle": "…", "role": "reader"}),
        ("/api/v1/plans", {"act": "role", "volume": "guide", "person": "…", "role": "reader"}),
        (
            "/api/v1/plans",
            {"act": "role", "volume": "guide", "person": "wenna", "role": "nobody", "heir": "…"},
        ),
        ("/api/v1/plans", {"act": "person rename", "volume": "guide", "person": "…", "to": "other"}),
    ):
        told = []
        for handle in HANDLES * 2:
            sent = {key: value.replace("…", handle) for key, value in body.items()}
            told.append(_asked(app, client, "POST", address, sent))
        assert told[2] == told[3], (address, body)
    for method, address in (("GET", "/api/v1/people/…/leaving"), ("PUT", "/api/v1/people/…/closed")):
        both = [_asked(app, client, method, address.replace("…", each)) for each in HANDLES]
        assert both[0] == both[1], address


def test_the_key_of_somebody_in_the_closed_volume_that_is_for_it_reads_it(app: AppContext) -> None:
    """Or these tests would pass whatever is told."""
    token = people.sign_in(app, "mirela", "buoy") or ""
    mirela: Actor = people.actor_of(app, token)
    key = program_keys.make(app, mirela, "check", ["vault"], writes=False, days=30)
    client = TestClient(application(app), base_url="http://mokuji.test")
    answer = client.get(
        "/api/v1/volumes/vault/pages/heron-plan", headers={"Authorization": f"Bearer {key.token}"}
    )
    assert answer.status_code == 200 and _heard(answer)


class _Post:
    """A mail server that takes everything."""

    sender = "mokuji@tern.example"

    def __init__(self) -> None:
        self.taken: list[str] = []

    @contextmanager
    def open(self) -> Iterator[_Post]:
        yield self

    def send(self, message: EmailMessage, to: str) -> None:
        self.taken.append(f"{to} {message.as_string()}")


def test_mail_feeds_and_inbox_of_who_lost_sight_tell_nothing(app: AppContext) -> None:
    with writing(app.engine) as connection:
        account = stored.account(connection, "jonas")
        assert account is not None
        now = stored.actor_by_id(connection, account.id)
    post = _Post()
    waiting = sending.Post(post, PLACES)  # type: ignore[arg-type]
    later = replace(app, clock=lambda: app.clock() + timedelta(days=2))
    sending.chore(later, waiting)
    mailing.put_digests(later)
    sending.chore(later, waiting)
    assert not [each for each in post.taken if SECRET in each.lower()]
    for state in State:
        view = inbox.inbox(app, now, state)
        assert (view.groups, view.unread) == ((), 0)
    asked = watching.asked_for(app, now)
    assert (asked.watched, asked.muted, asked.hidden) == ((), (), 5)
    word = feeding.own_word(app, now)
    client = TestClient(application(app), base_url="http://mokuji.test")
    assert client.get(f"/-/feed-of/{word}/vault").status_code == 404
    assert SECRET not in client.get(f"/-/feed-of/{word}/guide").text


def test_who_may_read_it_is_told_by_mail(app: AppContext) -> None:
    """The other test could not fail if nothing was ever sent."""
    with writing(app.engine) as connection:
        account = stored.account(connection, "jonas")
        assert account is not None
        give(app, stored.actor_by_id(connection, account.id), "vault", Role.READER)
    post = _Post()
    sending.chore(app, sending.Post(post, PLACES))  # type: ignore[arg-type]
    assert [each for each in post.taken if SECRET in each.lower()]
