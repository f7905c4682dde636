"""A real server over a copy of the demo, and a real browser without a screen (Debian's Chromium)."""

from __future__ import annotations

import re
import threading
from collections.abc import Callable, Generator, Iterator
from pathlib import Path

import pytest
import uvicorn
from fastapi import FastAPI
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from mokuji.server import create_app
from mokuji.services.app_context import AppContext
from mokuji.services.site import Site as Place
from tests.application import application

# A machine that does other things too can be slow for a while; who waits in vain waits this long once.
expect.set_options(timeout=30_000)
PICTURES = Path(__file__).parents[2] / "tmp" / "end_to_end"
ARGUMENTS = [
    "--disable-gpu",
    "--disable-quic",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium-headless-shell", chromium_sandbox=False, args=ARGUMENTS
        )
        yield browser
        browser.close()


class Site:
    """The application on a free port, in a thread of its own; can be stopped and started again."""

    def __init__(self, app: AppContext, path: str = "") -> None:
        self.app = app
        self.path = path
        self.port = 0
        self.start()

    def start(self) -> None:
        config = uvicorn.Config(
            self._application(),
            port=self.port,
            log_level="error",
            access_log=False,
            timeout_graceful_shutdown=1,
        )
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(target=self._server.run, daemon=True)
        self._thread.start()
        while not self._server.started:
            assert self._thread.is_alive(), "the server did not start"
        self.port = self._server.servers[0].sockets[0].getsockname()[1]

    def _application(self) -> FastAPI:
        if not self.path:
            return application(self.app)
        return create_app(self.app, [], Place("http://127.0.0.1", self.path))

    def stop(self) -> None:
        self._server.should_exit = True
        self._thread.join()

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}{self.path}"


@pytest.fixture
def site(demo_app: AppContext) -> Iterator[Site]:
    running = Site(demo_app)
    yield running
    running.stop()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(
    item: pytest.Item, call: pytest.CallInfo[None]
) -> Generator[None, pytest.TestReport, pytest.TestReport]:
    report = yield
    item.stash[FAILED] = item.stash.get(FAILED, False) or (report.when == "call" and report.failed)
    return report


def sign_in(context: BrowserContext, who: str, path: str = "") -> None:
    """Signs somebody of the demo in as the form does, which has a test of its own, without drawing it."""
    form = context.request.get(f"{path}/-/sign-in").text()
    token = re.search(r'name="token" value="([\w-]+)"', form)
    assert token is not None
    fields = {"token": token[1], "handle": who.lower(), "password": "buoy"}
    assert context.request.post(f"{path}/-/sign-in", form=fields).ok


FAILED = pytest.StashKey[bool]()
Open = Callable[..., Page]


@pytest.fixture
def open_page(chromium: Browser, site: Site, request: pytest.FixtureRequest) -> Iterator[Open]:
    """Opens an address in a browser of its own, as somebody. At the end no console may hold an error;
    a picture is kept of every page of a test that failed."""
    contexts: list[BrowserContext] = []
    said: list[str] = []

    def open_(address: str, who: str = "", **options: object) -> Page:
        context = chromium.new_context(
            base_url=site.address,
            **{"viewport": {"width": 1280, "height": 800}, **options},  # type: ignore[arg-type]
        )
        context.set_default_timeout(45_000)
        # Texts are pasted as a person would.
        context.grant_permissions(["clipboard-read", "clipboard-write"])
        contexts.append(context)
        page = context.new_page()
        page.on("console", lambda message: said.append(message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: said.append(str(error)))
        if who:
            sign_in(context, who, site.path)
        page.goto(site.path + address)
        return page

    yield open_
    if request.node.stash.get(FAILED, False):
        PICTURES.mkdir(parents=True, exist_ok=True)
        for nth, page in enumerate(page for context in contexts for page in context.pages):
            page.screenshot(path=PICTURES / f"{request.node.name}-{nth}.png")
    for context in contexts:
        context.close()
    # Refusals, and a server that a test has stopped, show up in the console as such.
    meant = ("the server responded with a status of 4", "ERR_CONNECTION_REFUSED")
    assert [words for words in said if not any(each in words for each in meant)] == []
