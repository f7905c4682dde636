"""The first start, and one's own page, as they are used without scripts and in JSON."""

from __future__ import annotations

from mokuji.services import first_owner
from mokuji.services.app_context import AppContext
from mokuji.web.pages import SESSION
from tests.application import TestClient, application
from tests.services.making import volume
from tests.web.conftest import Browser, token

PASSWORD, NEW = "seven odd gulls sing", "eight calm seals hum"


def _client(app: AppContext) -> TestClient:
    return TestClient(application(app), base_url="http://mokuji.test")


def _form(client: TestClient, address: str) -> dict[str, str]:
    """The token that the forms of a page bring back."""
    return {"token": client.get(address).text.split('name="token" value="')[1].split('"')[0]}


def test_a_wiki_without_people_asks_for_its_first_owner_who_goes_on_to_the_first_volume(
    app: AppContext,
) -> None:
    client = _client(app)
    for address in ("/", "/-/sign-in"):
        asked = client.get(address)
        assert asked.url.path == "/-/first-start" and "Nobody is here yet" in asked.text
    fields = _form(client, "/-/first-start") | {
        "name": "Wenna Carrow",
        "handle": "wenna",
        "password": PASSWORD,
    }
    wrong = client.post("/-/first-start", data=fields | {"key": "aaaa-aaaa"})
    assert wrong.status_code == 403 and "not the key of this wiki" in wrong.text
    assert 'value="Wenna Carrow"' in wrong.text and PASSWORD not in wrong.text, (
        "what was typed stays, but for secrets"
    )
    short = client.post("/-/first-start", data=fields | {"key": first_owner.key(app), "password": "short"})
    assert short.status_code == 422 and "at least 12 characters" in short.text
    begun = client.post("/-/first-start", data=fields | {"key": first_owner.key(app)})
    assert begun.url.path == "/" and "/-/new-volume" in begun.text
    assert client.cookies[SESSION]
    # It is asked once.
    for again in (client, _client(app)):
        assert again.get("/-/first-start").url.path == "/-/sign-in"
    late = client.post(
        "/-/first-start", data=fields | _form(client, "/-/you") | {"key": first_owner.key(app)}
    )
    assert late.url.path == "/-/sign-in"


def test_volumes_that_are_there_are_read_while_nobody_owns_the_wiki(app: AppContext) -> None:
    volume(app, "Guide")
    assert _client(app).get("/guide").status_code == 200


def test_programs_begin_a_wiki_too(app: AppContext) -> None:
    client = _client(app)
    body = {"key": "x", "handle": "wenna", "name": "Wenna", "password": PASSWORD}
    assert client.post("/api/v1/first-owner", json=body).status_code == 403
    made = client.post("/api/v1/first-owner", json=body | {"key": first_owner.key(app)})
    assert made.status_code == 201
    client.headers["Authorization"] = f"Bearer {made.json()['token']}"
    assert client.get("/api/v1/own").json()["owns_wiki"] is True
    assert client.post("/api/v1/first-owner", json=body).status_code == 403
    assert client.post("/api/v1/first-owner", json=body | {"key": first_owner.key(app)}).status_code == 409


def test_who_has_not_signed_in_has_no_own_page(browser: Browser) -> None:
    client = browser()
    assert client.get("/-/you", follow_redirects=False).status_code in {303, 401, 403}
    for address in ("name", "password", "sessions"):
        done = client.post(f"/-/you/{address}", data={"token": token(client)}, follow_redirects=False)
        assert done.status_code in {303, 401, 403}
    assert client.get("/api/v1/own").status_code == 401


def test_name_password_and_sessions_are_changed_on_one_s_own_page(browser: Browser) -> None:
    here, elsewhere, third = browser("wenna"), browser("wenna"), browser("wenna")
    fields = _form(here, "/-/you")
    page = here.get("/-/you").text
    assert "now, here" in page and page.count("End the session on") == 2
    named = here.post("/-/you/name", data=fields | {"name": "Wenna <Two>"})
    assert "Wenna &lt;Two&gt;" in named.text and "Your name is another one now" in named.text
    assert here.post("/-/you/name", data=fields | {"name": " "}).status_code == 422

    wrong = here.post("/-/you/password", data=fields | {"present": "no", "password": NEW})
    assert wrong.status_code == 403 and "not your present password" in wrong.text
    weak = here.post("/-/you/password", data=fields | {"present": "buoy", "password": "aaaaaaaaaaaaaaaa"})
    assert weak.status_code == 422 and "soon be guessed" in weak.text
    session = page.split('name="session" value="')[1].split('"')[0]
    assert "That session has ended" in here.post("/-/you/sessions", data=fields | {"session": session}).text
    signed_in = ["Wenna" in each.get("/").text for each in (elsewhere, third)]
    assert sorted(signed_in) == [False, True]
    for odd in ("x", "9" * 30, "-1", "0"):
        assert here.post("/-/you/sessions", data=fields | {"session": odd}).status_code == 404
    done = here.post("/-/you/password", data=fields | {"present": "buoy", "password": NEW})
    assert "Your password is another one now" in done.text
    assert not any("Wenna" in each.get("/").text for each in (elsewhere, third))


def test_programs_do_the_same_in_json(browser: Browser, demo_app: AppContext) -> None:
    client = browser()

    def begin(password: str = "buoy") -> str:
        told = {"handle": "wenna", "password": password}
        done = client.post("/api/v1/session", json=told, headers={"User-Agent": "sync-tool/2"})
        return str(done.json()["token"])

    here, other, third = begin(), begin(), begin()
    client.headers["Authorization"] = f"Bearer {here}"
    sessions = client.get("/api/v1/own").json()["sessions"]
    assert [each["device"] for each in sessions] == ["sync-tool"] * 3
    assert [each["here"] for each in sessions].count(True) == 1
    ended = next(each["id"] for each in sessions if not each["here"])
    assert client.delete(f"/api/v1/own/sessions/{ended}").status_code == 204
    assert client.delete(f"/api/v1/own/sessions/{ended}").status_code == 404
    assert client.put("/api/v1/own/name", json={"name": "W. Carrow"}).status_code == 204
    assert client.get("/api/v1/own").json()["name"] == "W. Carrow"
    wrong = client.put("/api/v1/own/password", json={"present": "no", "password": NEW})
    assert wrong.status_code == 403
    assert client.put("/api/v1/own/password", json={"present": "buoy", "password": NEW}).status_code == 204
    assert client.delete("/api/v1/own/sessions").status_code == 204
    for token_of_other in (other, third):
        asked = client.get("/api/v1/own", headers={"Authorization": f"Bearer {token_of_other}"})
        assert asked.status_code == 401
    assert client.get("/api/v1/own").status_code == 200


def test_the_page_of_one_says_nothing_of_another(browser: Browser) -> None:
    page = browser("jonas").get("/-/you").text
    assert "Jonas" in page and "Wenna Carrow" not in page and "Mirela Quist" not in page
