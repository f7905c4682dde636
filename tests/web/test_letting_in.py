"""Invitations, the people of the wiki, and links to a new password: without scripts, and in JSON."""

from __future__ import annotations

import re

import pytest

from mokuji.services import people
from mokuji.services.app_context import AppContext
from tests.application import TestClient
from tests.web.conftest import Browser

HERE = "http://mokuji.test"
PASSWORD, NEW = "seven odd gulls sing", "eight calm seals hum"


def _link(page: str, room: str) -> str:
    found = re.search(rf'value="{HERE}(/-/{room}/[\w-]+)"', page)
    assert found is not None, page
    return found[1]


def _token_on(client: TestClient, address: str) -> str:
    return client.get(address).text.split('name="token" value="')[1].split('"')[0]


def test_an_owner_invites_and_whoever_has_the_link_comes_in_and_writes(
    browser: Browser, capsys: pytest.CaptureFixture[str]
) -> None:
    jonas = browser("jonas")
    mine = {"token": _token_on(jonas, "/-/invitations")}
    assert jonas.post("/-/invitations", data=mine).status_code == 422
    wish = mine | {"note": "Ada <yard>", "role-field guide": "writer"}
    made = jonas.post("/-/invitations", data=wish)
    link = _link(made.text, "invited")
    assert "Ada &lt;yard&gt;" in made.text and "writer of Field guide" in made.text
    assert link not in jonas.get("/-/invitations").text, "it is shown once"

    guest = browser()
    asked = guest.get(link)
    assert "invites you" in asked.text and "a writer of “Field guide”" in asked.text
    fields = {"token": _token_on(guest, link), "handle": "ada", "name": "Ada", "password": "short"}
    short = guest.post(link, data=fields)
    assert short.status_code == 422 and "at least 12 characters" in short.text and 'value="ada"' in short.text
    come = guest.post(link, data=fields | {"password": PASSWORD})
    assert come.url.path == "/" and "Ada" in come.text
    assert guest.get("/-/edit/field-guide/lost-buoy").status_code == 200

    spent = browser().get(link)
    assert spent.status_code == 404 and "holds no longer" in spent.text
    assert link.rpartition("/")[2] not in capsys.readouterr().out, "addresses stand in logs, but not this one"


def test_an_invitation_is_withdrawn(browser: Browser) -> None:
    jonas = browser("jonas")
    mine = {"token": _token_on(jonas, "/-/invitations")}
    made = jonas.post("/-/invitations", data=mine | {"role-field guide": "reader"})
    address = re.findall(r'action="(/-/invitations/\d+/withdraw)"', made.text)[0]
    assert jonas.post(address, data=mine).url.path == "/-/invitations"
    assert browser().get(_link(made.text, "invited")).status_code == 404
    assert jonas.post(address, data=mine).status_code == 404


def test_who_owns_nothing_sees_no_invitations_and_no_people(browser: Browser) -> None:
    for handle in ("", "piet"):
        client = browser(handle)
        for address in ("/-/invitations", "/-/everybody"):
            assert client.get(address, follow_redirects=False).status_code in {303, 401, 403}, (
                handle,
                address,
            )


def test_an_owner_of_the_wiki_runs_its_people_on_one_page(browser: Browser, demo_app: AppContext) -> None:
    people.give_wiki(demo_app, "wenna")
    wenna, piet = browser("wenna"), browser("piet")
    mine = {"token": _token_on(wenna, "/-/everybody")}
    assert "Piet" in wenna.get("/-/everybody").text

    def wish(name: str, handle: str = "piet") -> str:
        return wenna.post(f"/-/everybody/{handle}", data=mine | {"wish": name}).text

    link = _link(wish("password"), "new-password")
    guest = browser()
    fields = {"token": _token_on(guest, link)}
    assert guest.post(link, data=fields | {"password": "x"}).status_code == 422
    assert guest.post(link, data=fields | {"password": NEW}).url.path == "/"
    assert "Piet" in guest.get("/").text and "Piet" not in piet.get("/").text
    assert browser().get(link).status_code == 404

    closed = wenna.post("/-/leaving/piet", data=mine)
    assert "left" in closed.text and "Piet" not in guest.get("/").text
    assert "Let in again" not in wish("open")
    assert wish("own").count("owns the wiki") == 2
    wish("disown")
    assert "last owner" in wish("disown", "wenna")
    assert wenna.post("/-/everybody/piet", data=mine | {"wish": "anything"}).status_code == 409
    assert wenna.post("/-/everybody/nobody", data=mine | {"wish": "own"}).status_code == 404


def test_programs_let_people_in(browser: Browser, demo_app: AppContext) -> None:
    people.give_wiki(demo_app, "wenna")
    client, guest = browser(), browser()
    told = client.post("/api/v1/session", json={"handle": "wenna", "password": "buoy"}).json()
    client.headers["Authorization"] = f"Bearer {told['token']}"
    wish = {"roles": {"bench-notes": "writer"}, "note": "Ada"}
    made = client.post("/api/v1/invitations", json=wish)
    assert made.status_code == 201 and made.json()["address"] == f"{HERE}/-/invited/{made.json()['token']}"
    waiting, _ = client.get("/api/v1/invitations").json()  # another waits in the demo
    assert waiting["roles"] == [{"volume": "bench notes", "role": "writer"}] and waiting["note"] == "Ada"
    body = {"token": made.json()["token"], "handle": "ada", "name": "Ada", "password": PASSWORD}
    assert guest.post("/api/v1/invited", json=body | {"password": "x"}).status_code == 422
    come = guest.post("/api/v1/invited", json=body)
    assert come.status_code == 201
    assert guest.post("/api/v1/invited", json=body).status_code == 404
    own = guest.get("/api/v1/volumes", headers={"Authorization": f"Bearer {come.json()['token']}"}).text
    assert "Bench notes" in own
    assert client.get("/api/v1/people").json()["people"][0]["handle"] == "ada"
    link = client.post("/api/v1/people/ada/password-link").json()
    assert (
        guest.post("/api/v1/new-password", json={"token": link["token"], "password": NEW}).status_code == 201
    )
    assert guest.post("/api/v1/session", json={"handle": "ada", "password": NEW}).status_code == 201
    again = client.post("/api/v1/invitations", json=wish).json()
    number = client.get("/api/v1/invitations").json()[0]["id"]
    assert client.delete(f"/api/v1/invitations/{number}").status_code == 204
    assert guest.post("/api/v1/invited", json=body | {"token": again["token"]}).status_code == 404
    for method, address, sent in (
        ("GET", "/api/v1/invitations", None),
        ("POST", "/api/v1/invitations", wish),
        ("GET", "/api/v1/people", None),
        ("POST", "/api/v1/people/ada/password-link", None),
    ):
        assert guest.request(method, address, json=sent).status_code == 401
