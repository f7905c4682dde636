"""A wiki under a path of a host: all that it gives out leads back into it, and its whole addresses are its own."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html.parser import HTMLParser
from urllib.parse import urljoin, urlsplit

import pytest

from mokuji.server import create_app
from mokuji.services.app_context import AppContext
from mokuji.services.site import Site
from tests.application import TestClient

SITE = Site.at("https://docs.example/help/wiki/")
LEADING = {"href", "src", "action", "formaction", "cite", "poster"}
MOST_LOOKED_AT = 160


class _Leads(HTMLParser):
    """All addresses of a page: those that lead somewhere, and those that scripts are given."""

    def __init__(self, html: str) -> None:
        super().__init__()
        self.found: list[tuple[str, str]] = []
        self.feed(html)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        for name, value in attrs:
            if value and (name in LEADING or (name.startswith("data-") and value.startswith("/"))):
                self.found.append((name, value))


@pytest.fixture
def jonas(demo_app: AppContext) -> Iterator[TestClient]:
    with TestClient(create_app(demo_app, [], SITE), base_url="https://docs.example") as client:
        page = client.get("/help/wiki/-/sign-in").text
        fields = {
            "token": _token(page),
            "handle": "jonas",
            "password": "buoy",
            "back": "/help/wiki/-/changes",
        }
        done = client.post("/help/wiki/-/sign-in", data=fields, follow_redirects=False)
        assert done.status_code == 303 and done.headers["location"] == "/help/wiki/-/changes"
        yield client


def _token(page: str) -> str:
    match = re.search(r'name="token" value="([^"]+)"', page)
    assert match is not None
    return match[1]


def test_every_address_on_every_sort_of_page_leads_into_the_wiki_and_is_answered(jonas: TestClient) -> None:
    seen: set[str] = set()
    sorts: dict[str, int] = {}
    left = ["/help/wiki/"]
    while left and len(seen) < MOST_LOOKED_AT:
        path = left.pop(0)
        answer = jonas.get(path)
        assert answer.status_code < 400, path
        if not answer.headers["content-type"].startswith("text/html"):
            continue
        for name, lead in _Leads(answer.text).found:
            if lead.startswith(("#", "mailto:", "data:")):
                continue
            there = urlsplit(urljoin(f"https://docs.example{path}", lead))
            if there.netloc != "docs.example":
                continue  # somewhere else, as a page says
            assert there.path == "/help/wiki" or there.path.startswith("/help/wiki/"), f"{path}: {lead}"
            sort = "/".join(there.path.split("/")[3:5]) if "/-/" in there.path else "page"
            fresh = f"{there.path}?{there.query}" if there.query else there.path
            asked = name in {"href", "src"} and fresh not in seen
            if asked and sorts.get(sort, 0) < 4:
                sorts[sort] = sorts.get(sort, 0) + 1
                seen.add(fresh)
                left.append(fresh)
    assert len(sorts) > 25, sorted(sorts)


def test_cookies_are_of_the_path_and_of_https(jonas: TestClient) -> None:
    kept = list(jonas.cookies.jar)
    assert kept and all(each.path == "/help/wiki" and each.secure for each in kept)
    assert all(each.name.startswith("__Secure-mokuji") for each in kept)


def test_forms_go_on_within_the_wiki(jonas: TestClient) -> None:
    page = jonas.get("/help/wiki/-/plan/rename/field-guide/lost-buoy?title=Stray").text
    digest = re.search(r'name="digest" value="([^"]+)"', page)
    assert digest is not None
    fields = {"token": _token(page), "digest": digest[1], "title": "Stray"}
    done = jonas.post("/help/wiki/-/plan/rename/field-guide/lost-buoy", data=fields, follow_redirects=False)
    assert done.status_code == 303 and done.headers["location"].startswith("/help/wiki/-/changes/")
    assert (
        jonas.get("/help/wiki/field-guide/lost-buoy", follow_redirects=False)
        .headers["location"]
        .startswith("/help/wiki/")
    )


def test_whole_addresses_are_those_of_the_wiki_whatever_a_request_says_of_its_host(jonas: TestClient) -> None:
    found = jonas.get("/help/wiki/-/tasks").text
    assert "https://docs.example/help/wiki/-/calendar" in found or "/-/calendar-address" in found
    calendar = jonas.get("/help/wiki/api/v1/tasks.ics", headers={"Host": "127.0.0.1:9999"}).text
    whole = re.findall(r"https?://[^\s\\]+", calendar.replace("\r\n ", ""))
    assert whole and all(each.startswith("https://docs.example/help/wiki/") for each in whole)
    skos = jonas.get("/help/wiki/-/categories/field-guide?form=turtle", headers={"Host": "127.0.0.1"}).text
    assert "<https://docs.example/help/wiki/-/categor" in skos and "127.0.0.1" not in skos


def test_the_interface_says_where_it_lies(jonas: TestClient) -> None:
    told = jonas.get("/help/wiki/api/v1/openapi.json").json()
    assert [each["url"] for each in told["servers"]] == ["/help/wiki"]
    volumes = jonas.get("/help/wiki/api/v1/volumes")
    assert volumes.status_code == 200


def test_outside_of_its_path_is_nothing_but_the_word_that_it_is_well(jonas: TestClient) -> None:
    for path in ("/", "/-/changes", "/field-guide/lost-buoy", "/help", "/help/wikis", "/api/v1/volumes"):
        answer = jonas.get(path)
        assert answer.status_code == 404 and "/help/wiki/" in answer.text, path
    assert jonas.get("/healthz").json()["status"] == "ok"


def test_a_proxy_may_ask_by_another_name_than_readers_do(jonas: TestClient) -> None:
    page = jonas.get("/help/wiki/-/edit/field-guide/proxied")
    fields = {"title": "Proxied", "text": "By a proxy.", "revision": "0", "token": _token(page.text)}
    headers = {"Host": "127.0.0.1:8700", "Origin": "https://docs.example"}
    done = jonas.post(
        "/help/wiki/-/edit/field-guide/proxied", data=fields, headers=headers, follow_redirects=False
    )
    assert done.status_code == 303, done.text


@pytest.mark.parametrize(
    "typed",
    ["docs.example", "ftp://docs.example", "https://", "https://docs.example/a b", "https://docs.example?x=1",
     "https://me@docs.example", "https://docs.example:99999", "https://docs.example/../x/%2e"],
)  # fmt: skip
def test_what_is_no_address_of_a_wiki_is_refused_with_a_sentence(typed: str) -> None:
    with pytest.raises(ValueError, match=re.escape(typed)):
        Site.at(typed)


def test_an_address_is_read_with_its_port_and_its_path() -> None:
    assert Site.at("http://host.example:8080/a/b/") == Site("http://host.example:8080", "/a/b")
    assert Site.at("https://[::1]") == Site("https://[::1]", "")
    assert Site.at("https://Host.example").inside("/x") == "/x"
