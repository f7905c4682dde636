"""Browsers without a screen: clients of the whole application, over a copy of the demo."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest

from mokuji.services.app_context import AppContext
from tests.application import TestClient, application

Browser = Callable[..., TestClient]


@pytest.fixture
def browser(demo_app: AppContext) -> Browser:
    """Makes a client; with a handle, one who has signed in."""
    web_app = application(demo_app)

    def make(handle: str = "") -> TestClient:
        client = TestClient(web_app, raise_server_exceptions=False, base_url="http://mokuji.test")
        if handle:
            done = client.post(
                "/-/sign-in", data={"token": token(client), "handle": handle, "password": "buoy"}
            )
            assert done.status_code == 200
        return client

    return make


def token(client: TestClient) -> str:
    """The token that this visitor's forms carry."""
    match = re.search(r'name="token" value="([\w-]+)"', client.get("/-/sign-in").text)
    assert match is not None
    return match[1]
