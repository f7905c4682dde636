"""A folder comes back over HTTP: by a form without scripts, by one that a script sends, and as JSON."""

from __future__ import annotations

import io
import json
import zipfile

from tests.application import TestClient
from tests.web.conftest import Browser, token

GUIDE = "/-/bring/field-guide"


def taken_away(client: TestClient) -> dict[str, bytes]:
    """The field guide as files."""
    given = client.get("/-/taken-away/field-guide?form=folder").content
    with zipfile.ZipFile(io.BytesIO(given)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


def zipped(files: dict[str, bytes]) -> bytes:
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return made.getvalue()


def test_a_zip_is_brought_looked_at_and_taken_in_without_scripts(browser: Browser) -> None:
    client = browser("wenna")
    files = taken_away(client)
    files["Field guide/Crane lift.md"] += b"\nNo lift is made at night.\n"
    sent = {"file": ("guide.zip", zipped(files), "application/zip")}
    plan = client.post(GUIDE, data={"token": token(client)}, files=sent)
    assert plan.status_code == 200 and "1 page gets another text" in plan.text
    assert "No lift is made at night." in plan.text
    address = str(plan.url)
    number = address.rpartition("=")[2]
    at = f"/-/brought/field-guide/{number}"
    left = client.post(at, data={"token": token(client), "item": "Field guide/Crane lift.md", "side": "wiki"})
    assert "nothing would change" in left.text and "take it in" in left.text
    back = client.post(
        at, data={"token": token(client), "item": "Field guide/Crane lift.md", "side": "folder"}
    )
    digest = back.text.partition('name="digest" value="')[2].partition('"')[0]
    done = client.post(
        "/-/volume/bring-back/field-guide",
        data={"token": token(client), "digest": digest, "folder": number, "note": "from the boat"},
    )
    assert "from the boat" in done.text
    assert "No lift is made at night." in client.get("/field-guide/crane-lift").text
    assert "not taken in yet" not in client.get(GUIDE).text


def test_a_folder_is_brought_as_browsers_send_one(browser: Browser) -> None:
    client = browser("wenna")
    files = taken_away(client)
    files["Field guide/Night work.md"] = b"New.\n"
    named = [("file", (name.rpartition("/")[2], data, "text/plain")) for name, data in files.items()]
    paths = json.dumps([f"work/{name}" for name in files])
    told = client.post(
        GUIDE, data={"token": token(client), "paths": paths, "script": "1"}, files=named
    ).json()
    plan = client.get(told["address"]).text
    assert "1 page is new." in plan and "Night work" in plan and "From “work”" in plan
    whole = [("file", (f"work/{name}", data, "text/plain")) for name, data in files.items()]
    assert "1 page is new." in client.post(GUIDE, data={"token": token(client)}, files=whole).text
    short = client.post(GUIDE, data={"token": token(client), "paths": "[]", "script": "1"}, files=named)
    assert short.status_code == 422 and "did not come along" in short.json()["message"]
    for path in ("../out.md", "/etc/passwd", "a\\..\\b.md"):
        climbing = json.dumps([path])
        refused = client.post(
            GUIDE, data={"token": token(client), "paths": climbing, "script": "1"}, files=named[:1]
        )
        assert refused.status_code == 422 and "leads out" in refused.json()["message"]


def test_who_may_not_bring_is_told_so_before_anything_is_read(browser: Browser) -> None:
    sent = {"file": ("guide.zip", b"PK", "application/zip")}
    for client, at in ((browser(), GUIDE), (browser("piet"), "/-/bring/tern-4-service-manual")):
        answer = client.post(at, data={"token": token(client)}, files=sent)
        assert answer.status_code == 403, answer.text
    client = browser("wenna")
    assert client.post(GUIDE, data={"token": "another"}, files=sent).status_code == 403
    assert "Nothing came along" in client.post(GUIDE, data={"token": token(client)}).text
    assert "no zip" in client.post(GUIDE, data={"token": token(client)}, files=sent).text


def test_more_than_a_page_may_be_brought_and_no_more_than_is_said(browser: Browser) -> None:
    client = browser("wenna")
    large = zipped({"a/files/x.bin": b"\0" * 17_000_000})
    heavy = {"content-length": "200000000"}
    answer = client.post(GUIDE, content=b"x", headers=heavy)
    assert answer.status_code == 413 and "100 MB" in answer.text
    assert (
        client.post(
            "/-/preview/field-guide/x", content=b"x", headers={"content-length": "17000000"}
        ).status_code
        == 413
    )
    refused = client.post(
        GUIDE, data={"token": token(client)}, files={"file": ("x.zip", large, "application/zip")}
    )
    assert "more than 15 MB" in refused.text


def test_it_is_brought_looked_at_chosen_and_taken_in_as_json(browser: Browser) -> None:
    client, wenna = browser("wenna"), browser()
    told = wenna.post("/api/v1/session", json={"handle": "wenna", "password": "buoy"}).json()
    wenna.headers["Authorization"] = f"Bearer {told['token']}"
    files = taken_away(client)
    line = b"Stand on the black ring only."
    files["Field guide/Boarding a buoy.md"] = files["Field guide/Boarding a buoy.md"].replace(
        line, b"Stand on the rubber ring only."
    )
    page = "/api/v1/volumes/field-guide/pages/boarding-a-buoy"
    found = wenna.get(page)
    text = found.json()["text"].replace(line.decode(), "Stand on the grey ring only.")
    saved = wenna.put(page, json={"text": text}, headers={"If-Match": found.headers["etag"]})
    assert saved.status_code == 200
    at = "/api/v1/volumes/field-guide/brought"
    made = wenna.post(f"{at}?name=boat", content=zipped(files))
    assert made.status_code == 201
    number = made.json()["folder"]
    assert [each["name"] for each in wenna.get(at).json()] == ["boat"]
    coming = wenna.get(f"{at}/{number}").json()
    (item,) = coming["pages"]
    assert (item["clash"], item["chosen"], coming["open"]) == ("text", "", 1)
    assert "rubber ring" in item["passages"][0]["folder"] and "grey ring" in item["passages"][0]["here"]
    wish = {"act": "bring back", "volume": "field-guide", "folder": number}
    plan = wenna.post("/api/v1/plans", json=wish).json()
    assert [each["title"] for each in plan["conflicts"]] == ["Boarding a buoy"]
    refused = wenna.post("/api/v1/acts", json={"wish": wish, "digest": plan["digest"]})
    assert refused.json()["code"] == "conflict"
    assert wenna.patch(f"{at}/{number}", json={"items": {item["item"]: "both"}}).status_code == 422
    assert wenna.patch(f"{at}/{number}", json={"all_open": "folder"}).json()["open"] == 0
    digest = wenna.post("/api/v1/plans", json=wish).json()["digest"]
    assert wenna.post("/api/v1/acts", json={"wish": wish, "digest": digest}).status_code == 200
    assert "rubber ring" in wenna.get(page).json()["text"]
    assert wenna.get(at).json() == []
    assert wenna.delete(f"{at}/{number}").status_code == 204
    assert wenna.get(f"{at}/{number}").status_code == 404
    assert wenna.post(at, content=b"no zip").json()["code"] == "bad_zip"
