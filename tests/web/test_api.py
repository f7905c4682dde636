"""The JSON interface: the same use cases, described by OpenAPI, faults as problem+json."""

from __future__ import annotations

import json
import re
from typing import Any
from urllib.parse import quote

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openapi_spec_validator import validate

from mokuji.api.asking import cursor
from mokuji.services import people
from mokuji.services.app_context import AppContext
from tests.application import TestClient
from tests.outside.test_media import picture
from tests.web.conftest import Browser, token

WELL = "/api/v1/volumes/tern-4-service-manual/pages/battery-well"
MANUAL = "/api/v1/volumes/tern-4-service-manual"
NAMED = {"volume": "tern 4 service manual", "page": "battery well"}


@pytest.fixture
def wenna(browser: Browser) -> TestClient:
    client = browser()
    done = client.post("/api/v1/session", json={"handle": "wenna", "password": "buoy"})
    assert done.status_code == 201
    client.headers["Authorization"] = f"Bearer {done.json()['token']}"
    return client


def test_the_description_is_valid_openapi_and_has_a_page_of_its_own(browser: Browser) -> None:
    client = browser()
    described = client.get("/api/v1/openapi.json").json()
    validate(described)
    page = client.get("/api/v1/docs").text
    for path in described["paths"]:
        assert path.startswith("/api/v1/") and path in page


def test_reading_is_open(browser: Browser) -> None:
    client = browser()
    assert [each["title"] for each in client.get("/api/v1/volumes").json()] == [
        "Field guide",
        "Tern 4 service manual",
        "Parts and data",
    ]
    entries = client.get(MANUAL).json()["entries"]
    assert entries[0] == {
        "number": "1",
        "title": "About this manual",
        "key": "about this manual",
        "written": True,
        "led_to_by": 2,
    }
    page = client.get(WELL).json()
    first = page["references"][0]
    assert page["text"][first["start"] : first["end"]] == "[[hull]]"
    assert (first["state"], first["title"]) == ("page", "Hull and keel")
    assert "Open the well" in page["headings"] and '<a class="ref"' in page["html"]


def test_the_house_style_is_read_and_changed_with_the_revision_it_was_read_in(wenna: TestClient) -> None:
    style = wenna.get(MANUAL + "/style").json()
    assert style["headings"] == "sentence" and style["spelling"] == "en-GB"
    new = {**style, "preferred": [{"use": "", "instead": ["simply"]}], "words": ["gland", "abaft"]}
    changed = wenna.put(MANUAL + "/style", json=new)
    assert changed.json() == {**new, "words": ["abaft", "gland"], "revision": style["revision"] + 1}
    assert wenna.put(MANUAL + "/style", json=new).json()["code"] == "style_stale"
    refused = wenna.put(MANUAL + "/style", json={**changed.json(), "spelling": "xx"})
    assert refused.status_code == 409 and "no dictionary for “xx”" in refused.json()["detail"]
    del wenna.headers["Authorization"]
    assert wenna.put(MANUAL + "/style", json=new).status_code == 401


def test_files_are_brought_listed_and_had(wenna: TestClient) -> None:
    data = picture("PNG")
    brought = wenna.post(MANUAL + "/files", files={"file": ("My lamp.JPG", data)})
    assert brought.status_code == 201
    told = brought.json()
    assert (told["name"], told["type"], told["width"], told["known"]) == (
        "my-lamp.png",
        "image/png",
        40,
        False,
    )
    assert [each["name"] for each in wenna.get(MANUAL + "/files").json()["files"]] == [
        "battery-well.svg",
        "my-lamp.png",
    ]
    response = wenna.get(MANUAL + "/files/my-lamp.png")
    assert response.content == data and response.headers["content-disposition"].startswith("attachment")
    assert wenna.get(MANUAL + "/files/none.png").json()["code"] == "file_missing"
    refused = wenna.post(MANUAL + "/files", files={"file": ("x.png", b"MZ" + bytes(90))})
    assert refused.status_code == 422 and "none of the types" in refused.json()["detail"]
    del wenna.headers["Authorization"]
    assert wenna.post(MANUAL + "/files", files={"file": ("x.png", data)}).status_code == 401


def test_backlinks_are_paged_whole_and_each_once(browser: Browser, demo_app: AppContext) -> None:
    client = browser()
    found = client.get(MANUAL + "/backlinks/battery-well").json()
    assert found["pages"] == len(found["entries"]) == 27
    assert found["more_after"] is None


def test_a_page_is_saved_with_the_revision_it_was_read_in(wenna: TestClient) -> None:
    page = wenna.get(WELL).json()
    body = {"title": "", "text": page["text"] + "\nMore.", "revision": page["revision"], "note": "why"}
    saved = wenna.put(WELL, json=body)
    assert saved.status_code == 200 and saved.json()["revision"] == page["revision"] + 1
    again = wenna.put(WELL, json=body)
    assert again.status_code == 409 and again.json()["code"] == "edited_meanwhile"
    revisions = wenna.get(MANUAL + "/revisions/battery-well").json()["entries"]
    assert revisions[0]["note"] == "why"
    compared = wenna.get(MANUAL + "/comparison/battery-well", params={"older": 3, "newer": 4}).json()
    assert [each["kind"] for each in compared["passages"]] == ["same", "changed"]


def test_an_earlier_text_can_be_read_and_a_text_previewed(wenna: TestClient) -> None:
    first = wenna.get(MANUAL + "/revision/battery-well", params={"number": 1}).json()
    assert first["note"] == "First text" and "K-GA-0104" not in first["text"]
    seen = wenna.post(MANUAL + "/preview/battery-well", json={"text": "[[hull]]\n\n[[rim]] [[open"}).json()
    assert seen["unwritten"] == [{"title": "rim", "line": 3}]
    assert [each["code"] for each in seen["problems"]] == ["reference_unclosed"]
    assert 'href="/tern-4-service-manual/hull-and-keel"' in seen["html"]


def test_a_new_page_is_written_under_another(wenna: TestClient) -> None:
    body = {"title": "Lid gasket", "text": "A ring.", "revision": 0, "under": "battery well"}
    done = wenna.put(MANUAL + "/pages/lid-gasket", json=body)
    assert done.json()["created"] is True
    numbers = {each["title"]: each["number"] for each in wenna.get(MANUAL).json()["entries"]}
    assert numbers["Lid gasket"] == "2.3.1.1"


def test_a_rename_is_planned_done_and_undone(wenna: TestClient) -> None:
    wish = {
        "act": "rename",
        "volume": "tern 4 service manual",
        "page": "battery well",
        "title": "Battery compartment",
    }
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert plan["references"] == 47 and len(plan["pages"]) == 29 and len(plan["captured"]) == 1
    line = next(page for page in plan["pages"] if page["title"] == "Bilge switch")["lines"][0]
    assert "[[battery well]]" in line["before"] and "[[battery compartment]]" in line["after"]
    stale = wenna.post("/api/v1/acts", json={"wish": wish, "digest": "x"})
    assert stale.status_code == 409 and stale.json()["code"] == "plan_stale"
    body = {"wish": wish, "digest": plan["digest"], "note": "new name"}
    done = wenna.post("/api/v1/acts", json=body).json()
    assert done["key"] == "battery compartment"
    assert wenna.get("/api/v1/changes").json()["entries"][0]["note"] == "new name"
    change = f"/api/v1/changes/{done['change_set']}"
    assert len(wenna.get(change).json()["pages"]) == 30
    back = {"act": "undo", "change_set": done["change_set"]}
    undo = wenna.post("/api/v1/plans", json=back).json()
    undone = wenna.post("/api/v1/acts", json={"wish": back, "digest": undo["digest"]}).json()
    assert undone["key"] == "battery well"


def test_upkeep_is_counted_listed_and_mended(wenna: TestClient) -> None:
    numbers = wenna.get(MANUAL + "/upkeep").json()["reports"]
    assert (numbers["orphans"], numbers["unwritten"]) == (3, 6)
    found = wenna.get(MANUAL + "/upkeep/mentions").json()["findings"]
    assert len(found) == numbers["mentions"]
    spot = found[0]["spots"][0]
    only = [{"page": spot["page"], "start": spot["start"], "end": spot["end"], "target": found[0]["target"]}]
    wish = {"act": "link", "volume": NAMED["volume"], "only": only}
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert len(plan["pages"]) == 1
    done = wenna.post("/api/v1/acts", json={"wish": wish, "digest": plan["digest"]})
    assert done.status_code == 200
    assert wenna.get(MANUAL + "/upkeep").json()["reports"]["mentions"] == numbers["mentions"] - 1


@pytest.mark.parametrize(
    ("method", "address", "body", "status", "code"),
    [
        ("GET", "/api/v1/volumes/none", None, 404, "volume_missing"),
        ("GET", MANUAL + "/pages/none", None, 404, "page_missing"),
        ("GET", "/api/v1/volumes/bench-notes", None, 404, "volume_missing"),
        ("GET", "/api/v1/nothing", None, 404, "missing"),
        ("GET", "/api/v1/find?words=x&page=99", None, 422, "request"),
        ("PUT", WELL, {"title": "", "text": "a\x00", "revision": 3}, 422, "bad_text"),
        ("PUT", WELL, {"title": "", "text": "x", "revision": 3, "note": "\x00"}, 422, "bad_text"),
        ("PUT", WELL, {"title": "", "text": "x", "revision": 3, "naught": 1}, 422, "request"),
        ("PUT", MANUAL + "/pages/new", {"title": "a\x00", "text": "", "revision": 0}, 422, "bad_name"),
        ("POST", "/api/v1/plans", {"act": "rename", **NAMED, "title": "mast head"}, 409, "collision"),
        ("POST", "/api/v1/plans", {"act": "undo", "change_set": 1}, 409, "refused"),
        ("POST", "/api/v1/plans", {"act": "undo", "change_set": 99999}, 404, "act_missing"),
        ("POST", "/api/v1/plans", {"act": "fly"}, 422, "request"),
    ],
)
def test_a_fault_is_problem_json(
    wenna: TestClient, method: str, address: str, body: Any, status: int, code: str
) -> None:
    if "bench-notes" in address:
        wenna.headers.pop("Authorization")
    done = wenna.request(method, address, json=body)
    assert (done.status_code, done.json()["code"]) == (status, code)
    assert done.headers["content-type"] == "application/problem+json"
    assert done.json()["detail"].endswith(".")


def test_changing_needs_a_token_a_cookie_does_not_do(browser: Browser) -> None:
    client = browser("wenna")
    done = client.put(WELL, json={"title": "", "text": "x", "revision": 3})
    assert done.status_code == 401 and done.json()["code"] == "sign_in"
    assert client.post("/api/v1/session", json={"handle": "wenna", "password": "no"}).status_code == 401


def test_a_token_ends_with_its_session(wenna: TestClient) -> None:
    assert wenna.delete("/api/v1/session").status_code == 204
    assert wenna.delete("/api/v1/session").status_code == 401


_any = st.characters(exclude_categories=())
_words = st.text(_any, max_size=30)
_typed = st.text(min_size=1, max_size=30)
_json = st.fixed_dictionaries(
    {
        "title": _words,
        "text": st.text(_any, max_size=200),
        "revision": st.integers(-1, 5),
        "note": _words,
        "under": _words,
    }
)


def _wishes(body: dict[str, Any], name: str) -> list[dict[str, Any]]:
    """Every act on a page with any words in its fields."""
    title, text = body["title"], body["text"]
    return [
        {"act": "rename", **NAMED, "title": title},
        {"act": "place", **NAMED, "under": title, "after": name},
        {"act": "contents", "volume": NAMED["volume"], "text": text},
        {"act": "outline", "volume": NAMED["volume"], "text": text, "under": title},
        {"act": "move", **NAMED, "to": name},
        {"act": "merge", **NAMED, "into": title, "texts": "edited", "edited": text},
        {"act": "split", **NAMED, "section": 1, "title": title},
        {"act": "join", **NAMED, "into": title},
        {"act": "section", **NAMED, "section": 0, "words": title},
        {"act": "retarget", "volume": NAMED["volume"], "page": name, "to": title},
        {"act": "category", "volume": NAMED["volume"], "page": name, "to": title},
        {"act": "file", **NAMED, "add": title, "drop": name},
        {"act": "category", "volume": NAMED["volume"], "page": "Two people", "to": title},
        {"act": "category move", "volume": NAMED["volume"], "page": "Two people", "under": [title, name]},
        {"act": "slot", "volume": "parts and data", "page": "Safety notice", "slot": "word", "to": title},
        {
            "act": "slot value",
            "volume": "parts and data",
            "page": "Safety notice",
            "slot": name,
            "value": text,
        },
        {
            "act": "extract",
            **NAMED,
            "start": 0,
            "end": 400,
            "title": title,
            "slots": [{"name": name, "words": text}],
        },
        {"act": "inline", **NAMED, "insert": 0},
        {"act": "file rename", "volume": NAMED["volume"], "file": "battery-well.svg", "to": title},
        {"act": "file replace", "volume": NAMED["volume"], "file": "battery-well.svg", "content": name},
        {"act": "file delete", "volume": NAMED["volume"], "file": "battery-well.svg", "instead": name},
        {"act": "file delete", "volume": NAMED["volume"], "file": name},
        {"act": "source rename", "volume": NAMED["volume"], "source": "gel-handbook", "to": title},
        {"act": "source delete", "volume": NAMED["volume"], "source": name, "instead": title},
        {"act": "person rename", "volume": NAMED["volume"], "person": "wenna", "to": title},
        {"act": "delete", **NAMED, "references": "retarget", "target": title},
        {"act": "aliases", **NAMED, "aliases": [title, name, text]},
        {"act": "create volume", "title": title},
        {"act": "rename volume", "volume": name, "title": title},
    ]


@given(_json, _typed)
@settings(max_examples=15)
def test_no_words_in_any_field_are_a_server_fault(wenna: TestClient, body: dict[str, Any], name: str) -> None:
    """Lone surrogates, NUL, control characters, empty and overlong names: each gets an answer in words."""
    client = wenna
    client.headers["Content-Type"] = "application/json"
    answers = [
        client.put(MANUAL + "/pages/new", content=json.dumps(body)),
        client.put(WELL, content=json.dumps({**body, "revision": 3})),
        *(client.post("/api/v1/plans", content=json.dumps(wish)) for wish in _wishes(body, name)),
        client.post("/api/v1/session", json={"handle": name, "password": name}),
        client.get("/api/v1/find", params={"words": name, "volume": name}),
        client.get("/-/go", params={"typed": name, "volume": name}),
        client.get("/-/tasks", params={"person": name, "category": name, "day": name}),
        client.get("/api/v1/tasks", params={"person": name, "category": name, "volume": name, "day": name}),
        client.get("/-/fields/tern-4-service-manual", params={"field": name, "value": name, "sort": name}),
        client.get("/-/source-names", params={"typed": name}),
        client.put(f"/api/v1/sources/{quote(name, safe='')}", content=json.dumps({"title": body["title"]})),
        client.put(
            f"{MANUAL}/fields/battery-well", content=json.dumps({"name": name, "value": body["title"]})
        ),
        client.post(
            f"{MANUAL}/tasks/battery-well", content=json.dumps({"number": body["revision"], "revision": 1})
        ),
        client.get("/-/written/field-guide", params={"names": name, "under": name}),
    ]
    for answer in answers:
        assert answer.status_code < 500, answer.text


def test_categories_and_places_of_use_are_told(wenna: TestClient) -> None:
    manual = "/api/v1/volumes/tern-4-service-manual"
    known = {each["key"]: each for each in wenna.get(f"{manual}/categories").json()}
    assert known["two people"] == {
        "key": "two people",
        "name": "Two people",
        "described": False,
        "pages": 3,
        "marks": 3,
        "broader": [],
    }
    assert known["sensors"]["broader"] == ["equipment"] and known["sensors"]["described"]
    one = wenna.get(f"{manual}/categories/Safety-notices").json()
    assert [(each["title"], each["through"]) for each in one["entries"]] == [
        ("Bilge switch trips", ["Safety notice"]),
        ("Change the cells", ["Safety notice"]),
    ]
    assert wenna.get(f"{manual}/categories/nothing").status_code == 404
    uses = wenna.get("/api/v1/volumes/parts-and-data/uses/safety-notice").json()
    assert (uses["slots"], uses["places"], uses["faulty"]) == (["word", "hazard", "avoid"], 4, 1)
    assert uses["entries"][0]["title"] == "Storm mooring" and len(uses["entries"][0]["faults"]) == 2


def _planned_and_done(client: TestClient, wish: dict[str, Any]) -> Any:
    digest = client.post("/api/v1/plans", json=wish).json()["digest"]
    return client.post("/api/v1/acts", json={"wish": wish, "digest": digest})


def test_a_passage_is_extracted_with_its_likes_and_put_back(wenna: TestClient) -> None:
    path = MANUAL + "/pages/change-the-anodes"
    text = wenna.get(path).json()["text"]
    start, end = text.index("Wear gloves"), text.index(" m/s.") + 5
    slots = [{"name": "wind", "words": "10 m/s"}]
    wish = {
        "act": "extract",
        "volume": "tern-4-service-manual",
        "page": "change-the-anodes",
        "start": start,
        "end": end,
        "title": "Before work",
        "slots": slots,
    }
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert {(row["kind"], row["title"]) for row in plan["rows"]} == {
        ("passage", each) for each in ("Renew the seals", "Test in the tank", "Mooring inspection")
    }
    done = _planned_and_done(wenna, {**wish, "rows": [row["id"] for row in plan["rows"]]})
    assert done.status_code == 200, done.text
    assert "[[=Before work | wind: 10 m/s]]" in wenna.get(path).json()["text"]
    guide = wenna.get("/api/v1/volumes/field-guide/pages/mooring-inspection").json()["text"]
    assert "[[=Tern 4 service manual/Before work | wind: 8 m/s]]" in guide
    back = {
        "act": "inline everywhere",
        "volume": "tern-4-service-manual",
        "page": "Before work",
        "trash": True,
    }
    assert _planned_and_done(wenna, back).status_code == 200
    assert wenna.get(path).json()["text"] == text


def test_files_are_replaced_and_told_where_they_are_named(wenna: TestClient) -> None:
    name = "battery-well.svg"
    told = wenna.get(f"{MANUAL}/file-uses/{name}").json()
    assert told["pages"] == 1 and told["places"][0]["title"] == "Battery well"
    staged = wenna.post(f"{MANUAL}/staged-files/{name}", files={"file": ("x.png", picture("PNG"))}).json()
    wish = {"act": "file replace", "volume": "tern 4 service manual", "file": name, **staged}
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert "it will be called “battery-well.png”: 1 place on 1 page follows" in plan["sentence"]
    done = wenna.post("/api/v1/acts", json={"wish": wish, "digest": plan["digest"]})
    assert done.status_code == 200, done.text
    (was,) = wenna.get(f"{MANUAL}/file-uses/battery-well.png").json()["versions"]
    assert (was["name"], was["type"]) == (name, "image/svg+xml")
    assert wenna.get(f"{MANUAL}/files/battery-well.png?version=1").content.startswith(b"<svg")
    unused = wenna.get(f"{MANUAL}/files?which=unused").json()
    assert unused == {"files": [], "missing": [], "more_after": None}


def test_sources_are_made_told_and_taken_away_as_files(wenna: TestClient, browser: Browser) -> None:
    assert browser().get("/api/v1/sources").status_code == 401
    saved = wenna.put(
        "/api/v1/sources/thole-2026", json={"title": "Swell", "author": "Thole, Jonas", "issued": "2026"}
    )
    assert saved.json() == {"name": "thole-2026", "new": True}
    about = wenna.get("/api/v1/sources/quist-2021").json()
    mine = {"title": "Mine", "revision": about["revision"]}
    assert wenna.put("/api/v1/sources/quist-2021", json={**mine, "title": "Theirs"}).status_code == 200
    late = wenna.put("/api/v1/sources/quist-2021", json=mine)
    assert late.status_code == 409 and late.json()["code"] == "edited_meanwhile"
    window = browser("wenna")
    assert re.search(r'name="revision" value="\w{16}"', window.get("/-/source/quist-2021").text)
    shown = window.post("/-/source/quist-2021", data={**mine, "token": token(window)})
    assert shown.status_code == 409
    assert "Now it says “Theirs”." in shown.text and 'value="Mine"' in shown.text
    assert about["pages"] == 2 and {place["title"] for place in about["places"]} == {
        "Mooring inspection",
        "Wear of chain",
    }
    assert [p["one"] for p in wenna.get("/api/v1/sources?which=alike").json()["alike"]] == ["ferrar-2018"]
    assert "thole-2026" in wenna.get("/api/v1/sources.bib").text
    names = {each["id"] for each in wenna.get("/api/v1/sources.json").json()}
    assert {"thole-2026", "quist-2021"} <= names
    brought = wenna.post("/api/v1/sources", files={"file": ("a.bib", b"@book{new, title={New}}")}).json()
    assert brought["new"] == ["new"]
    wrong = wenna.put("/api/v1/sources/bad", json={"title": "x", "issued": "soon"})
    assert wrong.status_code == 422 and "is no date" in wrong.json()["detail"]
    assert wenna.get("/api/v1/sources/nowhere").status_code == 404


def test_tasks_are_gathered_and_ticked(wenna: TestClient) -> None:
    told = wenna.get("/api/v1/tasks?person=mirela").json()
    (task,) = [task for group in told["groups"] for task in group["tasks"]]
    assert (task["words"], task["priority"], task["page"]) == (
        "Order gaskets for the three lids",
        "A",
        "returns",
    )
    address = f"/api/v1/volumes/{task['volume']}/tasks/{task['page']}"
    done = wenna.post(address, json={"number": task["number"], "revision": task["revision"]})
    assert done.status_code == 200
    assert wenna.get("/api/v1/tasks?person=mirela").json()["number"] == 0
    assert "(B) Try the stiffer ring" in wenna.get("/api/v1/tasks.txt").text
    assert "BEGIN:VTODO" in wenna.get("/api/v1/tasks.ics?person=jonas").text


def test_fields_are_a_table_and_are_set(wenna: TestClient) -> None:
    table = wenna.get(f"{MANUAL}/fields?field=status&show=owner&sort=title").json()
    assert {"name": "status", "pages": 9} in table["known"]
    assert table["rows"][0] == {
        "page": "change the cells",
        "title": "Change the cells",
        "fields": {"status": "final", "owner": "Wenna"},
    }
    assert (
        wenna.put(f"{MANUAL}/fields/battery-well", json={"name": "status", "value": "draft"}).status_code
        == 200
    )
    assert "\nstatus: draft\n" in wenna.get(WELL).json()["text"]
    wenna.put(f"{MANUAL}/fields/battery-well", json={"name": "status", "value": None})
    assert "status" not in wenna.get(WELL).json()["text"].split("---")[1]


def test_people_are_closed_reset_and_made_owners_by_an_owner_of_the_wiki_alone(
    browser: Browser, demo_app: AppContext, wenna: TestClient
) -> None:
    calls = [
        ("PUT", "/api/v1/people/piet/password", {"password": "another odd gull sings"}),
        ("PUT", "/api/v1/people/piet/closed", None),
        ("DELETE", "/api/v1/people/piet/closed", None),
        ("PUT", "/api/v1/people/piet/owner-of-wiki", None),
        ("DELETE", "/api/v1/people/piet/owner-of-wiki", None),
    ]
    for method, address, body in calls:
        assert wenna.request(method, address, json=body).status_code == 403
        assert wenna.request(method, address.replace("piet", "nobody"), json=body).status_code == 403
    people.give_wiki(demo_app, "wenna")
    for method, address, body in calls:
        assert wenna.request(method, address, json=body).status_code == 204, address
    piet = browser()
    for password, expected in (("buoy", 401), ("another odd gull sings", 201)):
        told = {"handle": "piet", "password": password}
        assert piet.post("/api/v1/session", json=told).status_code == expected
    last = wenna.delete("/api/v1/people/wenna/owner-of-wiki")
    assert last.status_code == 409 and "last owner" in last.json()["detail"]
    assert wenna.put("/api/v1/people/nobody/closed").status_code == 404


@pytest.mark.parametrize(
    "body", ["[" * 100_000, '{"words":' * 50_000, "1" * 5_000, "NaN", '{"words": 1e999}']
)
def test_a_body_that_no_program_would_send_is_answered_in_words(wenna: TestClient, body: str) -> None:
    for address in ("/api/v1/plans", f"{MANUAL}/secret", "/api/v1/session"):
        done = wenna.post(address, content=body, headers={"Content-Type": "application/json"})
        assert done.status_code in {400, 422}, done.text[:300]
        assert done.headers["content-type"] == "application/problem+json"


def test_a_save_says_which_revision_it_began_with_by_etag_or_in_the_body(wenna: TestClient) -> None:
    """If-Match, If-None-Match and their statuses: RFC 9110, 13.1; 428: RFC 6585, 3."""
    read = wenna.get(WELL)
    tag, text = read.headers["etag"], read.json()["text"]
    missing = wenna.put(WELL, json={"text": text + "\nx\n"})
    assert (missing.status_code, missing.json()["code"]) == (428, "revision_required")
    saved = wenna.put(WELL, json={"text": text + "\nx\n"}, headers={"If-Match": tag})
    assert saved.status_code == 200 and saved.headers["etag"] != tag
    stale = wenna.put(WELL, json={"text": "y"}, headers={"If-Match": tag})
    assert (stale.status_code, stale.json()["code"]) == (412, "revision_stale")
    assert wenna.get(WELL).json()["text"] == text + "\nx\n"
    new = MANUAL + "/pages/hoist"
    assert wenna.put(new, json={"text": "a"}, headers={"If-Match": "*"}).status_code == 412
    assert wenna.put(new, json={"text": "a"}, headers={"If-None-Match": "*"}).json()["created"]
    assert wenna.put(new, json={"text": "b"}, headers={"If-None-Match": "*"}).status_code == 412


def test_a_save_under_another_title_than_its_address_is_refused_with_what_to_do(wenna: TestClient) -> None:
    revision = wenna.get(WELL).json()["revision"]
    for address, body in (
        (WELL, {"title": "Cell well", "text": "x", "revision": revision}),
        (MANUAL + "/pages/hoist", {"title": "Winch", "text": "x", "revision": 0}),
    ):
        done = wenna.put(address, json=body)
        assert (done.status_code, done.json()["code"]) == (422, "bad_title")
        assert "rename" in done.json()["detail"]
    done = wenna.put(WELL, json={"title": "battery_WELL", "text": "x", "revision": revision})
    assert done.status_code == 200


def test_what_an_address_does_not_take_is_405_and_says_what_it_takes(wenna: TestClient) -> None:
    gone = wenna.delete(WELL)
    assert gone.status_code == 405 and gone.headers["allow"] == "GET, PUT"
    assert "the act “delete”" in gone.json()["detail"]
    other = wenna.post(WELL, json={})
    assert other.status_code == 405 and "GET" in other.headers["allow"]
    for path in ("find", "own/offers", "volumes/field-guide/people", "volumes/field-guide/brought"):
        assert wenna.patch(f"/api/v1/{path}").status_code == 405, path
    assert wenna.get("/api/v1/nowhere").status_code == 404


def test_a_list_goes_on_only_from_what_it_handed_out(wenna: TestClient) -> None:
    lists = [
        "/upkeep/unwritten",
        "/upkeep/mentions",
        "/backlinks/battery-well",
        "/categories/steps",
        "/files",
    ]
    for path in lists:
        for after in ("x", "12", "MTIz", "é", "0-9"):
            done = wenna.get(MANUAL + path, params={"after": after})
            assert (done.status_code, done.json()["code"]) == (422, "bad_after"), (path, after)
    packed = cursor("unwritten", "1 lid gasket")
    assert wenna.get(MANUAL + "/upkeep/unwritten", params={"after": packed}).status_code == 200
    assert wenna.get(MANUAL + "/upkeep/mentions", params={"after": packed}).status_code == 422


def test_a_volume_that_is_not_there_is_missing_in_find_too(wenna: TestClient) -> None:
    done = wenna.get("/api/v1/find", params={"words": "well", "volume": "no such"})
    assert (done.status_code, done.json()["code"]) == (404, "volume_missing")


def test_whoever_is_not_signed_in_is_told_how(browser: Browser) -> None:
    done = browser().put(WELL, json={"text": "x", "revision": 3})
    assert (done.status_code, done.json()["code"]) == (401, "sign_in")
    assert done.headers["www-authenticate"].startswith("Bearer")


def test_a_picture_is_as_wide_as_it_is_said_to_be(browser: Browser, wenna: TestClient) -> None:
    text = "![a](battery-well.svg){width=58%} ![b](battery-well.svg){width=120px} ![c](battery-well.svg){width=0%}"
    page = MANUAL + "/pages/hoist"
    assert wenna.put(page, json={"text": text, "revision": 0}).status_code == 200
    html = browser().get("/tern-4-service-manual/hoist").text
    assert 'alt="a" class="w60"' in html and 'alt="b" width="120"' in html and "{width=0%}" in html


def test_readers_who_may_not_see_people_cannot_tell_handles_from_words(
    browser: Browser, wenna: TestClient
) -> None:
    page = "/field-guide/crane-lift"
    read = wenna.get("/api/v1/volumes/field-guide/pages/crane-lift").json()
    text = read["text"] + "\n\nAsk @wenna or @nobodyatall.\n"
    body = {"text": text, "revision": read["revision"]}
    assert wenna.put("/api/v1/volumes/field-guide/pages/crane-lift", json=body).status_code == 200
    assert "Ask @wenna or @nobodyatall." in browser().get(page).text
    seen = browser("wenna").get(page).text
    assert 'class="person"' in seen and 'class="nobody"' in seen


def test_html_in_json_shows_files_sources_and_people_as_pages_do(wenna: TestClient, browser: Browser) -> None:
    wenna.post(MANUAL + "/files", files={"file": ("swell.png", picture("PNG"))})
    wenna.put("/api/v1/sources/swell-2026", json={"title": "On swell"})
    text = "![The swell](swell.png), as in[^swell-2026]; ask @jonas, not @nobody. ![](none.png)\n"
    saved = wenna.put(MANUAL + "/pages/Swell", json={"text": text, "revision": 0})
    assert saved.json()["created"], saved.text
    html = wenna.get(MANUAL + "/pages/Swell").json()["html"]
    preview = wenna.post(MANUAL + "/preview/Swell", json={"text": text}).json()["html"]
    page = browser("wenna").get("/tern-4-service-manual/Swell").text
    for shown in (html, preview, page):
        assert re.search(r'<img src="/-/file/tern-4-service-manual/swell.png\?v=\w+" alt="The swell"', shown)
        assert "On swell" in shown and 'class="person"' in shown
        assert "Nobody here has this handle" in shown and "There is no file “none.png”" in shown
    stranger = browser()
    assert 'class="person"' not in stranger.get(MANUAL + "/pages/Swell").json()["html"]


def test_what_one_is_told_is_read_and_chosen_in_json(browser: Browser) -> None:
    piet, nobody = browser(), browser()
    done = piet.post("/api/v1/session", json={"handle": "piet", "password": "buoy"})
    piet.headers["Authorization"] = f"Bearer {done.json()['token']}"
    told = piet.get("/api/v1/inbox").json()
    assert [(each["act"], each["why"], each["pages"][0]["title"]) for each in told["told"]] == [
        ("edit", "volume", "Weather window")
    ]
    assert told["told"][0]["lines"][0]["put"]
    number = told["told"][0]["number"]
    assert piet.post("/api/v1/inbox", json={"numbers": [number], "state": "aside"}).status_code == 204
    assert piet.get("/api/v1/inbox").json()["told"] == []
    assert [each["number"] for each in piet.get("/api/v1/inbox?state=aside").json()["told"]] == [number]
    wanted = {"kind": "branch", "volume": "tern 4 service manual", "name": "Power"}
    asked = piet.post("/api/v1/told-of", json=wanted).json()["watched"]
    assert [(each["kind"], each["name"]) for each in asked] == [("branch", "Power"), ("volume", "")]
    assert piet.delete(f"/api/v1/told-of/{asked[0]['number']}").status_code == 204
    muted = {"volume": "field guide", "page": "Biofouling", "on": True}
    assert piet.put("/api/v1/told-of/muted", json=muted).status_code == 204
    assert piet.put("/api/v1/told-of/own", json={"own": True}).status_code == 204
    now = piet.get("/api/v1/told-of").json()
    assert (len(now["watched"]), now["muted"][0]["title"], now["own"], now["hidden"]) == (
        1,
        "Biofouling",
        True,
        0,
    )
    mail = piet.put("/api/v1/told-of/mail", json={"address": "piet@tern.example", "how": "daily"}).json()
    assert mail == {"address": "piet@tern.example", "how": "daily", "confirmed": False, "stopped": ""}
    feeds = piet.get("/api/v1/told-of/feeds").json()["address"]
    assert piet.post("/api/v1/told-of/feeds").json()["address"] != feeds
    for address in ("inbox", "told-of", "told-of/mail", "told-of/feeds"):
        assert nobody.get(f"/api/v1/{address}").status_code == 401
