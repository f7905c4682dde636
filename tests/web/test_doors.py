"""The doors of the server: forms from elsewhere, cookies, tries to sign in, names of hosts, silent connections."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from typing import Any

import pytest
import uvicorn

from mokuji import connections, guard
from mokuji.core.base.errors import TooMany
from mokuji.server import configured, create_app
from mokuji.services import passwords, people
from mokuji.services.app_context import AppContext
from mokuji.services.site import Site
from mokuji.store.database import DatabaseDown
from mokuji.store.index import upkeep
from tests.application import TestClient, application
from tests.web.conftest import Browser, token

LOST = "/-/edit/field-guide/lost-buoy"
FIELDS = {"title": "Lost buoy", "text": "taken over", "revision": "1"}


# ---- forms ---------------------------------------------------------------------------------


def test_with_a_session_the_token_of_a_visit_opens_nothing(browser: Browser) -> None:
    """A sibling host can set a cookie for all of them: its own visit must not do in the place of the session."""
    visitor, jonas = browser(), browser("jonas")
    planted = token(visitor)
    jonas.cookies.set("mokuji_visit", visitor.cookies["mokuji_visit"])
    assert jonas.post(LOST, data={**FIELDS, "token": planted}).status_code == 403
    assert "taken over" not in jonas.get("/field-guide/lost-buoy").text


ELSEWHERE: list[dict[str, str]] = [
    {"Sec-Fetch-Site": "cross-site"},
    {"Sec-Fetch-Site": "same-site"},
    {"Origin": "https://evil.example"},
    {"Origin": "http://mokuji.test:9000"},
    {"Origin": "http://other.mokuji.test"},
    {"Origin": "null"},
    {"Origin": "http://[broken"},
]


@pytest.mark.parametrize("headers", ELSEWHERE, ids=lambda each: " ".join(each.values()))
def test_a_form_from_elsewhere_does_nothing_whatever_its_token(
    browser: Browser, headers: dict[str, str]
) -> None:
    jonas = browser("jonas")
    done = jonas.post(LOST, data={**FIELDS, "token": token(jonas)}, headers=headers)
    assert done.status_code == 403 and "taken over" not in jonas.get("/field-guide/lost-buoy").text
    # Nor does one that would sign somebody in as somebody else.
    visitor = browser()
    fields = {"handle": "wenna", "password": "buoy", "token": token(visitor)}
    assert visitor.post("/-/sign-in", data=fields, headers=headers).status_code == 403


@pytest.mark.parametrize(
    "headers",
    [{}, {"Sec-Fetch-Site": "same-origin"}, {"Sec-Fetch-Site": "none"}, {"Origin": "http://mokuji.test"}],
    ids=str,
)
def test_a_form_of_this_very_site_is_taken(browser: Browser, headers: dict[str, str]) -> None:
    jonas = browser("jonas")
    fields = {"title": "X", "text": "y", "token": token(jonas)}
    assert jonas.post("/-/preview/field-guide/lost-buoy", data=fields, headers=headers).status_code == 200


def test_behind_https_cookies_belong_to_this_host_alone(demo_app: AppContext) -> None:
    web_app = application(demo_app)
    client = TestClient(web_app, base_url="https://mokuji.test")
    client.get("/-/sign-in")
    (name,) = client.cookies
    assert name == "__Host-mokuji_visit"
    fields = {"token": token(client), "handle": "wenna", "password": "buoy"}
    done = client.post("/-/sign-in", data=fields, follow_redirects=False)
    said = done.headers["set-cookie"]
    assert said.startswith("__Host-mokuji_session=") and "Secure" in said and "Path=/;" in said + ";"
    assert "domain" not in said.lower()
    assert "Wenna" in client.get("/").text
    assert client.get("/").headers["strict-transport-security"]


def test_two_wikis_under_paths_of_one_host_have_cookies_of_their_own(demo_app: AppContext) -> None:
    found = set()
    for path in ("", "/docs", "/other"):
        web_app = create_app(demo_app, [], Site("http://mokuji.test", path))
        client = TestClient(web_app, base_url="http://mokuji.test")
        client.get(f"{path}/-/sign-in")
        found |= {(cookie.name, cookie.path) for cookie in client.cookies.jar}
    assert len({name for name, _ in found}) == 3 and {path for _, path in found} == {"/", "/docs", "/other"}


# ---- signing in ----------------------------------------------------------------------------------


def test_signing_in_again_ends_the_session_that_one_had(browser: Browser) -> None:
    client = browser("jonas")
    former = client.cookies["mokuji_session"]
    fields = {"token": token(client), "handle": "wenna", "password": "buoy"}
    client.post("/-/sign-in", data=fields)
    assert client.cookies["mokuji_session"] != former
    client.cookies.set("mokuji_session", former)
    assert "Jonas" not in client.get("/").text


def _try(client: TestClient, handle: str, password: str) -> int:
    done = client.post("/api/v1/session", json={"handle": handle, "password": password})
    if done.status_code == 429:
        assert int(done.headers["retry-after"]) > 60 and "Wait" in done.json()["detail"]
    return done.status_code


def test_tries_with_one_handle_come_to_an_end_also_with_the_right_password(browser: Browser) -> None:
    client = browser()
    said = [_try(client, "wenna", "wrong") for _ in range(people.TRIES_OF_HANDLE + 1)]
    assert said == [401] * people.TRIES_OF_HANDLE + [429]
    assert _try(client, " WENNA ", "buoy") == 429
    assert _try(client, "jonas", "buoy") == 201


def test_tries_from_one_address_come_to_an_end(browser: Browser) -> None:
    client = browser()
    said = [_try(client, f"nobody-{n}", "x") for n in range(people.TRIES_FROM_ADDRESS + 1)]
    assert said[-1] == 429 and set(said[:-1]) == {401}


def test_after_a_while_one_may_try_again_and_who_signs_in_is_not_counted(demo_app: AppContext) -> None:
    clock: Any = demo_app.clock
    for _ in range(people.TRIES_OF_HANDLE * 2):
        assert people.sign_in(demo_app, "wenna", "buoy", "")
    for _ in range(people.TRIES_OF_HANDLE):
        assert people.sign_in(demo_app, "wenna", "wrong", "") is None
    with pytest.raises(TooMany):
        people.sign_in(demo_app, "wenna", "buoy", "")
    clock.now += people.TRIES_WITHIN
    assert people.sign_in(demo_app, "wenna", "buoy", "")


def test_many_who_sign_in_at_once_hold_nobody_else(browser: Browser, demo_app: AppContext) -> None:
    """Those for whom there is no room are told so at once, rather than holding the threads that all requests share."""
    held = threading.Event()
    reached = threading.Semaphore(0)
    verify = passwords._hasher.verify

    def slow(*args: Any) -> bool:
        reached.release()
        held.wait(20)
        return verify(*args)

    client = browser()
    with pytest.MonkeyPatch.context() as patch, ThreadPoolExecutor(60) as pool:
        patch.setattr(passwords, "_hasher", type("Slow", (), {"verify": staticmethod(slow)}))
        waiting = [pool.submit(_try, client, f"somebody-{n}", "x") for n in range(40)]
        for _ in range(passwords.HASHING):
            assert reached.acquire(timeout=20)
        while sum(each.done() for each in waiting) < 40 - passwords.WAITING:
            time.sleep(0.01)
        assert client.get("/field-guide").status_code == 200
        held.set()
        said = sorted(each.result() for each in waiting)
    assert said == [401] * passwords.WAITING + [503] * (40 - passwords.WAITING)


def test_who_reads_does_not_depend_on_numbers_that_cannot_be_written(browser: Browser) -> None:
    """On a full disk, say: what is read is there, and what is written is refused in a sentence."""
    client = browser("wenna")

    def full(*_: Any, **__: Any) -> None:
        raise DatabaseDown("The disk of the database is full.")

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(upkeep, "is_stale", lambda _: True)
        patch.setattr(upkeep, "fold", full)
        assert client.get("/field-guide/lost-buoy").status_code == 200


# ---- names of hosts ------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "host", ["evil.example", "mokuji.test.evil.example", "", "[::1", "evil.example:8700", "1.2.3"]
)
def test_a_name_that_is_not_ours_is_not_answered(browser: Browser, host: str) -> None:
    done = browser().get("/field-guide", headers={"Host": host})
    assert done.status_code == 421 and "MOKUJI_HOSTS" in done.text and "Weather window" not in done.text


@pytest.mark.parametrize(
    "host",
    ["mokuji.test", "Mokuji.Test:8700", "localhost:8700", "127.0.0.1:8700", "[::1]:8700", "mokuji.test."],
)
def test_our_names_and_addresses_in_numbers_are_answered(browser: Browser, host: str) -> None:
    assert browser().get("/field-guide", headers={"Host": host}).status_code == 200


# ---- what lasts, and for whom -----------------------------------------------------------------------


def test_only_a_file_that_is_there_at_its_present_version_is_lasting(browser: Browser) -> None:
    client = browser("wenna")
    page = client.get("/").text
    version = page.partition("mokuji.css?v=")[2].partition('"')[0]
    assert "immutable" in client.get(f"/-/static/mokuji.css?v={version}").headers["cache-control"]
    assert "immutable" not in client.get("/-/static/mokuji.css?v=anything").headers["cache-control"]
    missing = client.get(f"/-/static/none.css?v={version}")
    assert missing.status_code == 404 and missing.headers["cache-control"] == "no-store"


@pytest.mark.parametrize(
    "room", ["calendar", "feed-of", "mail/confirm", "mail/end", "invited", "new-password"]
)
def test_the_log_holds_no_address_that_is_somebodys_own(
    browser: Browser, capsys: pytest.CaptureFixture[str], room: str
) -> None:
    browser().get(f"/-/{room}/very-private-token.ics")
    browser().get(f"/-/{room}/very-private-token/guide?page=x")
    said = capsys.readouterr().out
    assert f"/-/{room}/…" in said
    assert "very-private" not in said


# ---- connections -----------------------------------------------------------------------------------


@pytest.fixture
def port(demo_app: AppContext, monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    """A real server with short limits."""
    monkeypatch.setattr(connections, "HEAD", 0.4)
    monkeypatch.setattr(connections, "MOST", 20)
    monkeypatch.setattr(guard, "BODY", 0.6)
    server = uvicorn.Server(configured(create_app(demo_app), host="127.0.0.1", port=0))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        assert thread.is_alive()
        time.sleep(0.01)
    yield server.servers[0].sockets[0].getsockname()[1]
    server.should_exit = True
    thread.join()


def _rest(connection: socket.socket) -> bytes:
    """All that still comes until the other side closes."""
    connection.settimeout(10)
    said = b""
    while more := connection.recv(65536):
        said += more
    return said


@pytest.mark.parametrize(
    "begun", [b"", b"GET / HTTP/1.1\r\nHost: localhost\r\nX: "], ids=["silent", "half a head"]
)
def test_who_says_nothing_is_not_waited_for(port: int, begun: bytes) -> None:
    with closing(socket.create_connection(("127.0.0.1", port))) as connection:
        connection.sendall(begun)
        assert _rest(connection) == b""


def test_a_body_that_does_not_come_is_not_waited_for(port: int) -> None:
    with closing(socket.create_connection(("127.0.0.1", port))) as connection:
        connection.sendall(
            b"POST /-/sign-in HTTP/1.1\r\nHost: localhost\r\nContent-Length: 500\r\nConnection: close\r\n"
            b"Content-Type: application/x-www-form-urlencoded\r\n\r\nhandle="
        )
        assert _rest(connection).startswith(b"HTTP/1.1 408 ")


def test_silent_connections_shut_nobody_out(port: int) -> None:
    silent = [socket.create_connection(("127.0.0.1", port)) for _ in range(60)]
    try:
        with closing(socket.create_connection(("127.0.0.1", port))) as connection:
            connection.sendall(b"GET /healthz HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n")
            assert _rest(connection).startswith(b"HTTP/1.1 200 ")
    finally:
        for each in silent:
            each.close()


def test_two_requests_at_once_and_one_after_a_rest_are_answered(port: int) -> None:
    ask = b"GET /healthz HTTP/1.1\r\nHost: localhost\r\n\r\n"
    last = ask.replace(b"\r\n\r\n", b"\r\nConnection: close\r\n\r\n")
    with closing(socket.create_connection(("127.0.0.1", port))) as connection:
        connection.sendall(ask + ask[:20])
        time.sleep(0.1)
        connection.sendall(ask[20:])
        time.sleep(0.6)  # longer than a head may take, shorter than a connection may idle
        connection.sendall(last)
        assert _rest(connection).count(b"HTTP/1.1 200 ") == 3


@pytest.mark.parametrize("path", ["/field-guide/lost-buoy", "/", "/api/v1/volumes", "/-/no-such"])
def test_whoever_answers_get_answers_head_without_a_body(port: int, path: str) -> None:
    """RFC 9110, 9.3.2: the same fields as for GET, and no content."""
    heads = []
    for method in ("GET", "HEAD"):
        with closing(socket.create_connection(("127.0.0.1", port), timeout=10)) as client:
            client.sendall(
                f"{method} {path} HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n".encode()
            )
            answer = b"".join(iter(lambda: client.recv(65536), b""))
        head, _, body = answer.partition(b"\r\n\r\n")
        heads.append(head.splitlines()[0])
        assert bool(body) == (method == "GET")
    assert heads[0] == heads[1]
