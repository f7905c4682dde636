"""Bytes are sent while they are made, and who makes them does not wait for who takes them."""

from __future__ import annotations

import threading

import pytest

from mokuji.core.base.errors import Refused, TooMany
from mokuji.services import spool
from mokuji.services.site import Site, asked, here
from mokuji.services.spool import Sink, Spool


def test_the_first_bytes_leave_before_the_last_are_made() -> None:
    go_on = threading.Event()

    def make(sink: Sink) -> None:
        sink.write(b"first")
        assert go_on.wait(10)
        sink.write(b"last")

    parts = Spool(make).parts()
    assert next(parts) == b"first"
    go_on.set()
    assert b"".join(parts) == b"last"


def test_who_makes_them_is_done_though_nobody_has_taken_any() -> None:
    done = threading.Event()

    def make(sink: Sink) -> None:
        for _ in range(100):
            sink.write(b"x" * 100_000)
        done.set()

    parts = Spool(make).parts()
    assert done.wait(10)
    assert sum(map(len, parts)) == 10_000_000


def test_what_goes_wrong_first_is_raised_at_once_and_later_the_bytes_break_off() -> None:
    def at_once(sink: Sink) -> None:
        raise Refused("no")

    def later(sink: Sink) -> None:
        sink.write(b"some")
        raise OSError("disk full")

    with pytest.raises(Refused, match="no"):
        Spool(at_once)
    parts = Spool(later).parts()
    assert next(parts) == b"some"
    with pytest.raises(OSError, match="disk full"):
        next(parts)


def test_nothing_more_is_made_for_who_has_gone_away() -> None:
    gone, ended = threading.Event(), threading.Event()

    def make(sink: Sink) -> None:
        try:
            sink.write(b"x")
            assert gone.wait(10)
            sink.write(b"y")
            pytest.fail("it was written for nobody")
        finally:
            ended.set()

    parts = Spool(make).parts()
    assert next(parts) == b"x"
    parts.close()  # type: ignore[attr-defined]
    gone.set()
    assert ended.wait(10)


def test_only_a_few_are_filled_at_once_and_the_others_are_told(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(spool, "PATIENCE", 0.01)
    go_on = threading.Event()

    def make(sink: Sink) -> None:
        sink.write(b"x")
        assert go_on.wait(10)

    filled = [Spool(make) for _ in range(spool.AT_ONCE)]
    with pytest.raises(TooMany, match="Try again"):
        Spool(make)
    go_on.set()
    assert [b"".join(each.parts()) for each in filled] == [b"x"] * spool.AT_ONCE
    assert b"".join(Spool(make).parts()) == b"x"


def test_what_is_made_knows_the_address_of_the_wiki() -> None:
    with asked(Site("https://host.example", "/docs")):

        def make(sink: Sink) -> None:
            sink.write(here().path.encode())

        made = Spool(make)
    assert b"".join(made.parts()) == b"/docs"
