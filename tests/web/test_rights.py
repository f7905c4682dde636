"""Rights in a browser without scripts and in JSON: a volume's people and settings, offers, keys, leaving, the trail."""

from __future__ import annotations

import csv
import html
import io
import re

import pytest

from mokuji.services import people
from mokuji.services.app_context import AppContext
from tests.application import TestClient, application
from tests.web.conftest import Browser, token


def _form(client: TestClient, address: str, to: str, **fields: str) -> str:
    """Sends a form that stands on a page, with its token; the page that comes of it."""
    page = client.get(address).text
    assert f'action="{to}"' in html.unescape(page), f"no form to {to} on {address}"
    found = re.search(r'name="token" value="([\w-]+)"', page)
    assert found is not None
    done = client.post(to, data={"token": found[1], **fields})
    return html.unescape(done.text)


def _do(client: TestClient, address: str, **fields: str) -> str:
    """Does what a plan shows; the page of the change."""
    shown = client.get(address, params=fields)
    assert shown.status_code == 200, html.unescape(shown.text)
    found = dict(re.findall(r'<input type="hidden" name="(token|digest)" value="([^"]*)"', shown.text))
    assert "digest" in found, re.findall(r'role="alert">([^<]*)', shown.text)
    done = client.post(address, data={**fields, **found})
    assert done.status_code == 200
    return html.unescape(done.text)


def _api(client: TestClient) -> dict[str, str]:
    return {"Authorization": f"Bearer {client.cookies['mokuji_session']}"}


# ---- pages ---------------------------------------------------------------------------------


def test_an_owner_changes_a_role_on_the_page_of_the_people_and_takes_it_back(browser: Browser) -> None:
    wenna = browser("wenna")
    shown = wenna.get("/-/volume-people/parts-and-data").text
    assert "Jonas Thole" in shown and "Ada, who draws the exploded views" in shown
    done = _do(wenna, "/-/volume/role/parts-and-data", person="jonas", role="writer")
    assert "@jonas is a writer now" in done
    number = re.search(r"/-/changes/(\d+)/undo", done)
    assert number is not None
    assert browser("jonas").get("/-/edit/parts-and-data/anodes").status_code == 200
    _do(wenna, f"/-/changes/{number[1]}/undo")
    assert browser("jonas").get("/-/edit/parts-and-data/anodes").status_code == 403


def test_the_settings_of_a_volume_stand_on_one_screen_for_its_owners(browser: Browser) -> None:
    wenna = browser("wenna")
    shown = wenna.get("/-/settings/tern-4-service-manual").text
    for to in ("rename", "access", "language", "libraries", "delete"):
        assert f"/-/volume/{to}/tern-4-service-manual" in shown, to
    for to in ("/-/front/", "/-/style/", "/-/volume-people/", "/-/secret/", "/-/audit?volume="):
        assert to in shown, to
    said = _form(
        wenna,
        "/-/settings/tern-4-service-manual",
        "/-/front/tern-4-service-manual",
        page="Battery well",
        settings="1",
    )
    assert "opens on that page now" in said and 'value="Battery well"' in said
    jonas = browser("jonas")
    assert "Only owners of the volume change these" in jonas.get("/-/settings/tern-4-service-manual").text
    assert jonas.get("/-/settings/bench-notes").status_code == 404
    assert browser("piet").get("/-/settings/parts-and-data").status_code == 403


def test_a_volume_is_closed_and_opened_from_its_settings(browser: Browser) -> None:
    wenna, visitor = browser("wenna"), browser()
    assert visitor.get("/parts-and-data/anodes").status_code == 200
    _do(wenna, "/-/volume/access/parts-and-data", readers="people")
    assert visitor.get("/parts-and-data/anodes").status_code == 404
    assert browser("jonas").get("/parts-and-data/anodes").status_code == 200
    _do(wenna, "/-/volume/access/parts-and-data", readers="everybody")
    assert visitor.get("/parts-and-data/anodes").status_code == 200


def test_a_handle_that_nobody_known_has_is_offered_the_role_and_whoever_has_it_takes_it(
    browser: Browser,
) -> None:
    mirela = browser("mirela")
    address = "/-/volume/role/bench-notes"
    for handle in ("piet", "nobody-here"):
        shown = html.unescape(mirela.get(address, params={"person": handle, "role": "reader"}).text)
        assert f"Offer “{handle}” to be reader" in shown
        fields = {"token": token_of(shown), "person": handle, "role": "reader"}
        said = html.unescape(mirela.post("/-/volume-people/bench-notes/offers", data=fields).text)
        assert "The offer waits" in said and f"@{handle}" in said
    piet = browser("piet")
    assert piet.get("/bench-notes").status_code == 404
    own = html.unescape(piet.get("/-/you").text)
    offers = {title: at for at, title in re.findall(r'action="(/-/offers/\d+)".*?of “(.*?)”', own, re.S)}
    assert "which only its people read" in own
    _form(piet, "/-/you", offers["Bench notes"], wish="take")
    assert piet.get("/bench-notes").status_code == 200
    waiting = html.unescape(mirela.get("/-/volume-people/bench-notes").text)
    assert "@nobody-here" in waiting and "@piet" not in waiting and "Piet Abernoth" in waiting


def token_of(page: str) -> str:
    """The token of the forms of a page."""
    found = re.search(r'name="token" value="([\w-]+)"', page)
    assert found is not None
    return found[1]


def test_an_offer_is_declined_and_withdrawn(browser: Browser) -> None:
    wenna, piet = browser("wenna"), browser("piet")
    number = re.search(r"/-/offers/(\d+)", piet.get("/-/you").text)
    assert number is not None
    assert "You have declined it" in _form(piet, "/-/you", f"/-/offers/{number[1]}", wish="decline")
    again = piet.post(f"/-/offers/{number[1]}", data={"token": token(piet), "wish": "take"})
    assert "waits no longer" in again.text
    page = wenna.get("/-/volume-people/parts-and-data").text
    assert "@piet" not in page
    wenna.post(
        "/-/volume-people/parts-and-data/offers",
        data={"token": token_of(page), "person": "piet", "role": "owner"},
    )
    page = wenna.get("/-/volume-people/parts-and-data").text
    address = re.search(r'action="(/-/volume-people/parts-and-data/offers/\d+)"', page)
    assert address is not None
    assert "holds no longer" in _form(wenna, "/-/volume-people/parts-and-data", address[1])


def test_a_key_is_made_shown_once_used_and_ended(browser: Browser) -> None:
    jonas = browser("jonas")
    said = _form(
        jonas, "/-/you", "/-/you/keys", name="harbour log", volumes="field-guide", may="write", days="30"
    )
    key = re.search(r'value="(mokuji-[\w-]+)"', said)
    assert key is not None
    assert key[1] not in jonas.get("/-/you").text and "harbour log" in jonas.get("/-/you").text
    program = browser()
    headers = {"Authorization": f"Bearer {key[1]}"}
    assert program.get("/api/v1/volumes/field-guide/pages/lost-buoy", headers=headers).status_code == 200
    body = {"text": "New.", "title": "Harbour log", "revision": 0}
    saved = program.put("/api/v1/volumes/field-guide/pages/harbour-log", json=body, headers=headers)
    assert saved.status_code in {200, 201}, saved.text
    own = program.get("/api/v1/own", headers=headers)
    assert (own.status_code, own.json()["code"]) == (403, "forbidden")
    # A key opens nothing in a browser: it is no session.
    program.cookies.set("mokuji_session", key[1])
    assert program.get("/-/you").status_code == 403
    number = re.findall(r'action="(/-/you/keys/\d+)"', jonas.get("/-/you").text)[-1]
    assert "opens nothing any more" in _form(jonas, "/-/you", number)
    gone = browser().put("/api/v1/volumes/field-guide/pages/harbour-log", json=body, headers=headers)
    assert gone.status_code == 401


@pytest.mark.parametrize(
    "fields",
    [{"name": ""}, {"volumes": ""}, {"volumes": "bench-notes"}, {"days": "1000"}, {"days": "x"}],
    ids=str,
)
def test_a_key_that_cannot_be_made_is_said_and_what_was_typed_stays(
    browser: Browser, fields: dict[str, str]
) -> None:
    asked = {"name": "harbour log", "volumes": "field-guide", "may": "read", "days": "30"} | fields
    said = _form(browser("jonas"), "/-/you", "/-/you/keys", **asked)
    assert 'role="alert"' in said and "mokuji-" not in said
    assert 'value="harbour log"' in said or not asked["name"]


def test_somebody_leaves_and_names_who_owns_their_volume_then(browser: Browser) -> None:
    mirela = browser("mirela")
    shown = html.unescape(mirela.get("/-/leaving/mirela").text)
    assert "“Bench notes” is owned by nobody else" in shown
    refused = mirela.post("/-/leaving/mirela", data={"token": token_of(shown), "heir": ""})
    assert refused.status_code == 409 and "Name somebody" in refused.text
    done = mirela.post(
        "/-/leaving/mirela", data={"token": token_of(shown), "heir": "wenna"}, follow_redirects=False
    )
    assert done.status_code == 303
    assert mirela.get("/-/you").status_code == 403
    wenna = browser("wenna")
    page = html.unescape(wenna.get("/-/volume-people/bench-notes").text)
    assert "Left behind" not in page or "@mirela" in page
    assert "Mirela Quist" in wenna.get("/-/changes").text, "what she did stays hers"


def test_an_owner_of_the_wiki_closes_somebody_by_a_plan(browser: Browser, demo_app: AppContext) -> None:
    people.give_wiki(demo_app, "wenna")
    wenna = browser("wenna")
    assert "/-/leaving/mirela" in wenna.get("/-/everybody").text
    said = _form(wenna, "/-/leaving/mirela", "/-/leaving/mirela", heir="jonas")
    assert "left " in said and "People of this wiki" in said
    assert "Jonas Thole" in wenna.get("/-/volume-people/bench-notes").text
    assert browser("jonas").get("/-/leaving/wenna").status_code == 403


def test_drafts_and_tasks_that_were_left_are_taken_over(browser: Browser) -> None:
    jonas, wenna = browser("jonas"), browser("wenna")
    jonas.post(
        "/-/draft/tern-4-service-manual/battery-well",
        data={"token": token(jonas), "text": "Half a thought", "title": "Battery well", "revision": "1"},
    )
    _do(wenna, "/-/volume/role/tern-4-service-manual", person="jonas", role="nobody")
    page = html.unescape(wenna.get("/-/volume-people/tern-4-service-manual").text)
    address = re.search(r'action="(/-/volume-people/tern-4-service-manual/drafts/\d+)"', page)
    assert address is not None and "Draft of “Battery well”" in page
    opened = _form(wenna, "/-/volume-people/tern-4-service-manual", address[1])
    assert "Half a thought" in opened


def test_the_trail_is_filtered_on_its_page_and_taken_away(browser: Browser, demo_app: AppContext) -> None:
    people.give_wiki(demo_app, "wenna")
    wenna = browser("wenna")
    people.sign_in(demo_app, "piet", "wrong", "192.0.2.1")
    shown = html.unescape(wenna.get("/-/audit").text)
    assert "Sign-in refused" in shown and "from 192.0.2.1" in shown
    only = html.unescape(wenna.get("/-/audit?kind=sign-in+refused&person=piet").text)
    assert only.count("<tr class") == 1
    assert "Nothing of this was done" in wenna.get("/-/audit?since=2031-01-01&until=nonsense").text
    taken = wenna.get("/-/audit.csv?kind=sign-in+refused")
    assert taken.headers["content-type"].startswith("text/csv")
    (row,) = csv.DictReader(io.StringIO(taken.text))
    assert (row["what"], row["about"], row["address"]) == ("Sign-in refused", "piet", "192.0.2.1")
    for name in ("", "piet"):
        assert browser(name).get("/-/audit").status_code == 403
        assert browser(name).get("/-/audit.csv").status_code == 403


def test_a_cell_of_the_trail_is_no_formula_of_a_spreadsheet(browser: Browser, demo_app: AppContext) -> None:
    people.give_wiki(demo_app, "wenna")
    wenna = browser("wenna")
    for agent in ("=HYPERLINK(1)", "+1"):
        client = TestClient(application(demo_app), base_url="http://mokuji.test")
        client.post(
            "/api/v1/session", json={"handle": "jonas", "password": "buoy"}, headers={"User-Agent": agent}
        )
    for row in csv.reader(io.StringIO(wenna.get("/-/audit.csv").text)):
        assert not any(cell[:1] in {"=", "+", "-", "@"} for cell in row), row


# ---- JSON ----------------------------------------------------------------------------------


def test_programs_do_all_of_it_too(browser: Browser) -> None:
    wenna, piet, jonas = browser("wenna"), browser("piet"), browser("jonas")
    for client in (wenna, piet, jonas):
        client.headers.update(_api(client))
    told = wenna.get("/api/v1/volumes/parts-and-data/people").json()
    assert [(each["handle"], each["role"]) for each in told["people"]] == [
        ("wenna", "owner"),
        ("mirela", "writer"),
        ("jonas", "reader"),
    ]
    assert told["own"] == "owner" and [each["handle"] for each in told["offers"]] == ["piet"]
    assert jonas.get("/api/v1/volumes/parts-and-data/people").json()["offers"] == [], "for owners only"
    assert piet.get("/api/v1/volumes/parts-and-data/people").status_code == 403
    same = [
        wenna.post("/api/v1/volumes/parts-and-data/offers", json={"handle": handle, "role": "writer"})
        for handle in ("piet", "nobody-here")
    ]
    assert {each.status_code for each in same} == {201}
    assert [set(each.json()) for each in same] == [{"expires"}] * 2
    (offer,) = piet.get("/api/v1/own/offers").json()
    assert (offer["title"], offer["role"]) == ("Parts and data", "writer")
    assert piet.post(f"/api/v1/own/offers/{offer['id']}").json() == {"volume": "parts and data"}
    assert piet.post(f"/api/v1/own/offers/{offer['id']}").status_code == 404
    left = wenna.get("/api/v1/volumes/parts-and-data/people").json()["offers"]
    assert wenna.delete(f"/api/v1/volumes/parts-and-data/offers/{left[0]['id']}").status_code == 204

    wish = {"act": "role", "volume": "parts-and-data", "person": "piet", "role": "reader"}
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert plan["sentence"].startswith("Piet Abernoth (@piet) will be a reader")
    assert wenna.post("/api/v1/acts", json={"wish": wish, "digest": plan["digest"]}).status_code == 200
    closing = {"act": "access", "volume": "parts-and-data", "closed": True}
    plan = wenna.post("/api/v1/plans", json=closing).json()
    assert plan["readers"] and plan["crossing"]
    front = {"page": "Anodes"}
    assert wenna.put("/api/v1/volumes/parts-and-data/front-page", json=front).status_code == 204
    assert jonas.put("/api/v1/volumes/parts-and-data/front-page", json=front).status_code == 403

    made = jonas.post("/api/v1/own/keys", json={"name": "log", "volumes": ["field-guide"]}).json()
    assert [each["may"] for each in jonas.get("/api/v1/own/keys").json()][-1] == "read"
    assert jonas.delete(f"/api/v1/own/keys/{made['id']}").status_code == 204
    assert jonas.delete(f"/api/v1/own/keys/{made['id']}").status_code == 404

    entries = wenna.get("/api/v1/audit", params={"volume": "parts-and-data"}).json()["entries"]
    assert [each["kind"] for each in entries[:3]] == ["front page", "role", "offer withdrawn"]
    assert wenna.get("/api/v1/audit", params={"kind": "nothing"}).status_code == 422
    assert piet.get("/api/v1/audit").status_code == 403

    planned = jonas.get("/api/v1/people/jonas/leaving").json()
    assert planned["alone"] == ["field guide"]
    assert jonas.put("/api/v1/people/jonas/closed").status_code == 409
    assert jonas.put("/api/v1/people/jonas/closed", params={"heir": "piet"}).status_code == 204
    assert jonas.get("/api/v1/own").status_code == 401
