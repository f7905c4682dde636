"""Taking a secret out on the web and by the JSON interface: never in an address, for owners only."""

from __future__ import annotations

import re

import pytest

from tests.web.conftest import Browser, token

PLACE = "/-/secret/tern-4-service-manual"
WORDS = "molybdenum"


def test_a_secret_is_shown_where_it_stands_and_taken_out_for_good(
    browser: Browser, capsys: pytest.CaptureFixture[str]
) -> None:
    wenna = browser("wenna")
    sent = {"token": token(wenna)}
    page = wenna.get("/api/v1/volumes/tern-4-service-manual/pages/power").json()
    edit = {
        **sent,
        "title": "Power",
        "text": page["text"] + f"\n{WORDS}\n",
        "revision": str(page["revision"]),
    }
    assert wenna.post("/-/edit/tern-4-service-manual/power", data=edit).status_code == 200
    plan = wenna.post(PLACE, data={**sent, "words": WORDS}).text
    assert "1 revision of 1 page will hold" in " ".join(plan.split())
    digest = re.search(r'name="digest" value="(\w+)"', plan)
    assert digest is not None
    done = wenna.post(PLACE, data={**sent, "words": WORDS, "digest": digest[1]})
    assert "Secret taken out" in done.text and WORDS not in done.text and "Undo" not in done.text
    assert WORDS not in wenna.get("/-/revision/tern-4-service-manual/power?number=2").text
    assert "stands nowhere in this volume" in wenna.post(PLACE, data={**sent, "words": WORDS}).text
    assert WORDS not in capsys.readouterr().out, "nor in the log of the server"


@pytest.mark.parametrize("handle", ["", "jonas", "mirela"])
def test_who_does_not_own_the_volume_takes_nothing_out(browser: Browser, handle: str) -> None:
    client = browser(handle)
    assert client.get(PLACE).status_code == 403
    assert client.post(PLACE, data={"token": token(client), "words": "battery"}).status_code == 403


def test_a_plan_that_is_no_longer_true_comes_back(browser: Browser) -> None:
    wenna = browser("wenna")
    done = wenna.post(PLACE, data={"token": token(wenna), "words": "gasket", "digest": "0" * 32})
    assert done.status_code == 409 and "Something was changed meanwhile" in done.text
    short = wenna.post(PLACE, data={"token": token(wenna), "words": "x"})
    assert short.status_code == 422 and "4 to 500 characters" in short.text


def test_the_json_interface_plans_and_does_the_same(browser: Browser) -> None:
    client = browser()
    signed = client.post("/api/v1/session", json={"handle": "wenna", "password": "buoy"}).json()
    client.headers["Authorization"] = f"Bearer {signed['token']}"
    where = "/api/v1/volumes/tern-4-service-manual/secret"
    plan = client.post(where, json={"words": "gasket"}).json()
    assert {each["title"] for each in plan["pages"]} == {"Battery well", "Renew the seals"}
    done = client.post(where, json={"words": "gasket", "digest": plan["digest"]})
    assert set(done.json()) == {"change_set"}
    assert client.post(where, json={"words": "gasket"}).json()["pages"] == []
    assert client.post("/api/v1/volumes/field-guide/secret", json={"words": "gasket"}).status_code == 403
