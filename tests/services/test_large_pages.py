"""Very long pages: compiled one at a time and once, and nobody is held up without end."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from mokuji.core.base.errors import TooMany
from mokuji.core.model.policy import NOBODY, Role
from mokuji.services import app_context
from mokuji.services.app_context import AppContext
from mokuji.services.reading import reading
from tests.services.making import pages, person, volume


@pytest.fixture
def large(app: AppContext, monkeypatch: pytest.MonkeyPatch) -> AppContext:
    monkeypatch.setattr(app_context, "LARGE", 1_000)
    volume(app, "Guide")
    writer = person(app, "wenna", guide=Role.OWNER)
    pages(app, writer, "guide", {"Long": "words " * 400, "Short": "words"})
    return app


def test_a_long_page_that_many_ask_for_at_once_is_compiled_once(
    large: AppContext, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = []
    real = app_context.make_ready

    def counted(*arguments: object) -> object:
        made.append(arguments)
        return real(*arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(app_context, "make_ready", counted)
    with ThreadPoolExecutor(app_context.WAITING_LARGE) as pool:
        seen = list(
            pool.map(
                lambda _: reading.open_page(large, NOBODY, "guide", "long"), range(app_context.WAITING_LARGE)
            )
        )
    assert len(seen) == app_context.WAITING_LARGE and len(made) == 1


def test_while_one_is_compiled_short_pages_are_read_and_too_many_are_told(
    large: AppContext, monkeypatch: pytest.MonkeyPatch
) -> None:
    begun, go_on = threading.Event(), threading.Event()
    real = app_context.make_ready

    def slow(page: object, *arguments: object) -> object:
        if len(page.text) > 1_000:  # type: ignore[attr-defined]
            begun.set()
            assert go_on.wait(20)
        return real(page, *arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(app_context, "make_ready", slow)
    with ThreadPoolExecutor(12) as pool:
        waiting = [pool.submit(reading.open_page, large, NOBODY, "guide", "long")]
        assert begun.wait(20)
        waiting += [pool.submit(reading.open_page, large, NOBODY, "guide", "long") for _ in range(11)]
        assert reading.open_page(large, NOBODY, "guide", "short")
        while sum(each.done() for each in waiting) < 12 - app_context.WAITING_LARGE:
            pass
        go_on.set()
        said = [each.exception() for each in waiting]
    assert sum(isinstance(each, TooMany) for each in said) == 12 - app_context.WAITING_LARGE
    assert said.count(None) == app_context.WAITING_LARGE
