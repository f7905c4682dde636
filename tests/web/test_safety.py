"""Forms of other sites, scripts, sessions: what must not work, and what closed volumes must not tell."""

from __future__ import annotations

import html
import re

import pytest
from sqlalchemy import text

from mokuji.services.app_context import AppContext
from mokuji.store.database import reading
from mokuji.store.snapshot import StoredWiki, load_volumes
from tests.application import TestClient
from tests.web.conftest import Browser, token

POSTS = [
    "/-/sign-in",
    "/-/sign-out",
    "/-/edit/field-guide/lost-buoy",
    "/-/save/field-guide/lost-buoy",
    "/-/preview/field-guide/lost-buoy",
    "/-/findings/field-guide/lost-buoy",
    "/-/review/field-guide/lost-buoy",
    "/-/corrections/field-guide",
    "/-/style/field-guide",
    "/-/style-learn/field-guide",
    "/-/plan/rename/field-guide/lost-buoy",
    "/-/changes/1/undo",
]


@pytest.mark.parametrize("address", POSTS)
@pytest.mark.parametrize("sent", ["", "0" * 64, "☃"])
def test_a_form_without_the_token_of_its_visitor_does_nothing(
    browser: Browser, address: str, sent: str
) -> None:
    client = browser("jonas")
    fields = {
        "title": "Lost buoy",
        "text": "taken over",
        "revision": "1",
        "handle": "jonas",
        "password": "buoy",
    }
    done = client.post(address, data={**fields, "token": sent})
    assert done.status_code == 403
    assert "taken over" not in client.get("/field-guide/lost-buoy").text


def test_the_token_of_another_visitor_does_not_fit(browser: Browser) -> None:
    wenna, jonas = browser("wenna"), browser("jonas")
    done = jonas.post(
        "/-/edit/field-guide/lost-buoy", data={"token": token(wenna), "text": "x", "revision": "1"}
    )
    assert done.status_code == 403


@pytest.mark.parametrize(
    "address", ["/", "/field-guide", "/-/sign-in", "/-/static/mokuji.js", "/no-such", "/api/v1/docs"]
)
def test_every_answer_carries_the_strict_policy(browser: Browser, address: str) -> None:
    headers = browser().get(address).headers
    policy = headers["content-security-policy"]
    assert "default-src 'none'" in policy and "script-src 'self';" in policy
    assert "unsafe" not in policy and "frame-ancestors 'none'" in policy
    assert headers["x-content-type-options"] == "nosniff"


def test_no_page_holds_a_script_or_style_of_its_own_or_an_address_elsewhere(browser: Browser) -> None:
    client = browser("wenna")
    well = "tern-4-service-manual/battery-well"
    for address in (
        "/",
        f"/{well}",
        f"/-/edit/{well}",
        f"/-/rename/{well}?title=X",
        f"/-/revisions/{well}",
        "/-/find?words=x",
    ):
        page = client.get(address).text
        assert re.findall(r"<script(?![^>]*\bsrc=)", page) == []
        assert re.findall(r"<style|\sstyle=|\son\w+=", page) == []
        for source in re.findall(r'(?:src|<link[^>]*href)="([^"]+)"', page):
            assert source.startswith(("/-/static/", "/-/file/")), source


def test_the_session_cookie_is_closed_to_scripts_and_other_sites(browser: Browser) -> None:
    client = browser()
    done = client.post(
        "/-/sign-in",
        data={"token": token(client), "handle": "wenna", "password": "buoy"},
        follow_redirects=False,
    )
    cookie = done.headers["set-cookie"].lower()
    assert "httponly" in cookie and "samesite=lax" in cookie


@pytest.mark.parametrize(
    "back", ["//evil.example", "https://evil.example", "/\\evil.example", "javascript:alert(1)"]
)
def test_signing_in_sends_nobody_elsewhere(browser: Browser, back: str) -> None:
    client = browser()
    done = client.post(
        "/-/sign-in",
        data={"token": token(client), "handle": "wenna", "password": "buoy", "back": back},
        follow_redirects=False,
    )
    assert done.headers["location"] == "/"


def test_signing_out_ends_the_session_on_the_server(browser: Browser) -> None:
    client = browser("wenna")
    kept = client.cookies["mokuji_session"]
    client.post("/-/sign-out", data={"token": token(client)})
    client.cookies.set("mokuji_session", kept)
    assert client.get("/-/edit/field-guide/lost-buoy").status_code == 403


def _closed_words(app: AppContext) -> set[str]:
    """Titles and telling words of the closed volume of the demo."""
    with reading(app.engine) as connection:
        closed = load_volumes(connection)["bench notes"]
        ids = list(
            connection.execute(text("SELECT id FROM page WHERE volume = :id"), {"id": closed.id}).scalars()
        )
        pages = StoredWiki(connection).pages(ids).values()
        return {
            "Bench notes",
            "bench-notes",
            *(page.head.title for page in pages),
            "clamp ring",
            "ppm chlorine",
        }


STARTS = [
    "/",
    "/-/changes",
    "/-/find?words=chlorine",
    "/-/find?words=salinity",
    "/-/go?typed=lid",
    "/-/names?typed=chlorine",
    "/-/card/tern-4-service-manual/battery-well",
    "/-/inserts?volume=bench-notes",
    "/-/inserts?typed=chlorine&volume=parts-and-data",
    "/-/category-names/parts-and-data",
    "/api/v1/volumes",
    "/api/v1/volumes/tern-4-service-manual/categories",
    "/api/v1/volumes/parts-and-data/uses/safety-notice",
    "/api/v1/changes",
    "/api/v1/find?words=chlorine",
]


def _crawl(client: TestClient) -> dict[str, str]:
    """Every page that can be reached from the start by links, with what it says."""
    seen: dict[str, str] = {}
    waiting = list(STARTS)
    while waiting:
        address = waiting.pop()
        if address in seen or len(seen) > 450:
            continue
        done = client.get(address)
        seen[address] = html.unescape(done.text)
        for href in re.findall(r'(?:href|data-card)="(/[^"#]*)', done.text):
            if not href.startswith(("/-/static", "/-/sign", "/-/compare", "/-/revision")):
                waiting.append(html.unescape(href))
    return seen


def test_nobody_outside_reads_a_word_of_the_closed_volume_on_any_page(
    browser: Browser, demo_app: AppContext
) -> None:
    words = _closed_words(demo_app)
    seen = _crawl(browser())
    assert len(seen) > 200
    leaks = {address: word for address, page in seen.items() for word in words if word in page}
    assert leaks == {}


def test_who_is_in_the_closed_volume_does_read_it(browser: Browser) -> None:
    assert "clamp ring" in browser("mirela").get("/bench-notes/lid-without-bolts").text
