"""Reports that take long are made by jobs, kept, and started by nobody from outside; no job is lost with its worker."""

from __future__ import annotations

import asyncio
import os
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import text

from mokuji.core.language.page import Page
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext
from mokuji.services.writing import writing
from mokuji.store import jobs as stored
from mokuji.store.database import reading
from mokuji.store.database import writing as writing_transaction
from mokuji.store.kept import reports as kept_reports
from mokuji.upkeep import jobs, keeping, upkeep
from mokuji.upkeep.reports import flaws
from tests.copies import made_once
from tests.services.making import pages, person, volume

HEAVY = sorted(name for name, report in upkeep.REPORTS.items() if not report.in_step)


def _filled(app: AppContext) -> Actor:
    volume(app, "Guide")
    volume(app, "Secret", closed=True)
    writer = person(app, "wenna", guide=Role.OWNER, secret=Role.OWNER)
    pages(app, writer, "guide", {"Pump": "", "Well": "The pump is here. [[Pump#None]] and [[=Secret/Card]]."})
    pages(app, writer, "secret", {"Card": "---\nslots: {a: {required: true}}\n---\nHidden ${a} words"})
    return writer


app, writer = made_once(_filled)


@pytest.fixture
def large(monkeypatch: pytest.MonkeyPatch) -> None:
    """A volume of any size counts as large."""
    monkeypatch.setattr(keeping, "AT_ONCE_CHARACTERS", -1)


def _work(app: AppContext, seconds: float = 30) -> None:
    """A worker, until nothing waits any more."""

    async def until_done() -> None:
        stop = asyncio.Event()
        working = asyncio.create_task(jobs.work(app, stop))
        ends = time.monotonic() + seconds
        while time.monotonic() < ends and _waiting(app):
            await asyncio.sleep(0.05)
        stop.set()
        await working

    asyncio.run(until_done())


def _waiting(app: AppContext) -> list[tuple[str, str]]:
    with reading(app.engine) as connection:
        rows = connection.execute(
            text("SELECT task_name, status::text FROM procrastinate_jobs WHERE task_name = 'make_report'")
        )
        return [(row.task_name, row.status) for row in rows if row.status in {"todo", "doing"}]


def test_a_report_of_a_large_volume_is_made_by_a_job_and_says_when_it_was(
    app: AppContext, writer: Actor, large: None
) -> None:
    first = upkeep.report(app, writer, "guide", "sections")
    assert first.being_made and first.made is None and first.findings == ()
    upkeep.report(app, writer, "guide", "sections")
    # For the writer, who sees more, and for everybody; and not once more for each look.
    assert len(_waiting(app)) == 2
    _work(app)
    then = upkeep.report(app, writer, "guide", "sections")
    assert then.made is not None and then.made.fresh and then.made.whole and then.made.pages == 2
    assert [finding.title for finding in then.findings] == ["Pump § None"] and not then.being_made
    assert _waiting(app) == []
    writing.save(app, writer, writing.Save("guide", "Well", "Nothing.", revision=1))
    after = upkeep.report(app, writer, "guide", "sections")
    assert after.made is not None and not after.made.fresh and after.being_made
    assert [finding.title for finding in after.findings] == ["Pump § None"], (
        "what there is, until there is better"
    )
    _work(app)
    assert upkeep.report(app, writer, "guide", "sections").findings == ()


def _refuse(monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    """Lets a test fail if a report is made."""
    never = replace(upkeep.REPORTS[name], findings=lambda *_: pytest.fail("it was made"))
    monkeypatch.setitem(upkeep.REPORTS, name, never)


@pytest.mark.parametrize("name", HEAVY)
@pytest.mark.parametrize("size", ["small", "large"])
def test_who_has_not_signed_in_starts_nothing(
    app: AppContext, writer: Actor, name: str, size: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    if size == "large":
        monkeypatch.setattr(keeping, "AT_ONCE_CHARACTERS", -1)
    _refuse(monkeypatch, name)
    view = upkeep.report(app, NOBODY, "guide", name)
    assert view.made is None and view.findings == () and not view.being_made
    assert upkeep.overview(app, NOBODY, "guide").numbers[name] is None
    assert _waiting(app) == []


def test_a_flaw_that_there_was_no_time_to_look_for_is_not_called_sound(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    pages(app, writer, "guide", {"Plan": "```dot\ndigraph { late -> }\n```\n"})
    place = upkeep.report(app, writer, "guide", "orphans").rows[0].volume
    looked: list[str] = []

    def slow(page: Page, _: object) -> tuple[()]:
        looked.append(page.head.title)
        time.sleep(0.2)
        return ()

    # The time is over while the diagram is looked for.
    monkeypatch.setattr(flaws, "text_problems", slow)
    kept = keeping.make(app, place.id, "flaws", [], (), 0.1)
    assert looked and kept is not None and not kept.whole
    monkeypatch.undo()
    kept = keeping.make(app, place.id, "flaws", [], (), 60)
    assert kept is not None and kept.whole and "cannot be drawn" in str(kept.findings)


def test_what_is_kept_for_one_is_not_shown_to_who_may_read_less(
    app: AppContext, writer: Actor, large: None
) -> None:
    upkeep.report(app, writer, "guide", "insert-faults")
    _work(app)
    mine = upkeep.report(app, writer, "guide", "insert-faults")
    assert [finding.title for finding in mine.findings] == ["Card"]
    theirs = upkeep.report(app, NOBODY, "guide", "insert-faults")
    assert theirs.made is not None and theirs.findings == ()
    outsider = person(app, "jonas", guide=Role.READER)
    assert upkeep.report(app, outsider, "guide", "insert-faults").findings == ()


def test_when_somebody_looks_at_a_small_volume_others_get_to_see_it_too(
    app: AppContext, writer: Actor
) -> None:
    mine = upkeep.report(app, writer, "guide", "insert-faults")
    assert len(mine.findings) == 1 and not mine.being_made
    assert upkeep.report(app, NOBODY, "guide", "insert-faults").being_made
    _work(app)
    theirs = upkeep.report(app, NOBODY, "guide", "insert-faults")
    assert theirs.made is not None and theirs.made.fresh and theirs.findings == ()


def test_an_unchanged_report_is_not_made_again(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = upkeep.overview(app, writer, "guide")
    for name in HEAVY:
        _refuse(monkeypatch, name)
    again = upkeep.overview(app, writer, "guide")
    assert again.numbers == made.numbers and again.fresh
    for name in HEAVY:
        assert upkeep.report(app, writer, "guide", name).made is not None


def test_an_overview_counts_without_looking_at_what_is_kept(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A report can hold thousands of findings, and an overview stands open to everybody."""
    numbers = upkeep.overview(app, writer, "guide").numbers
    monkeypatch.setattr(kept_reports, "one", lambda *_: pytest.fail("the findings were fetched"))
    monkeypatch.setattr(upkeep, "structured", lambda *_: pytest.fail("findings were made"))
    assert upkeep.overview(app, writer, "guide").numbers == numbers


def test_making_a_report_twice_gives_the_same(app: AppContext, writer: Actor) -> None:
    one, two = (keeping.make(app, 1, "mentions", [2], ()) for _ in range(2))
    assert one is not None and two is not None
    assert (one.findings, one.number, one.stamp) == (two.findings, two.number, two.stamp)
    assert keeping.make(app, 2, "mentions", [], ()) is None, "not for who may not read the volume"
    assert keeping.make(app, 99, "mentions", [], ()) is None


def test_a_report_ends_when_its_time_is_over_and_says_that_there_is_more(
    app: AppContext, writer: Actor
) -> None:
    kept = keeping.make(app, 1, "flaws", [], (), seconds=-1)
    assert kept is not None and not kept.whole


def test_a_change_that_began_earlier_and_comes_later_makes_a_report_old(
    app: AppContext, writer: Actor
) -> None:
    """It has a smaller number than what the report saw."""
    with app.engine.begin() as slow:
        slow.execute(text("INSERT INTO change_set (act, volume, at) VALUES ('edit', 1, now())"))
        writing.save(app, writer, writing.Save("guide", "Pump", "quick", revision=1))
        keeping.make(app, 1, "sections", [2], ())
        seen = upkeep.report(app, NOBODY, "guide", "sections").made
        assert seen is None  # made for the writer
        made = upkeep.report(app, writer, "guide", "sections").made
        assert made is not None and made.fresh
    with reading(app.engine) as connection:
        kept = kept_reports.numbers_of(connection, [1], keeping._seen({1: None, 2: None}, ()))  # type: ignore[dict-item]
        assert kept[1, "sections"].stamp != kept_reports.stamp(connection, 1)


WORKER = """
import asyncio, sys
from mokuji.upkeep import jobs, keeping
from mokuji.services.app_context import AppContext
from mokuji.store.database import connect
import time
real = keeping.make
def slow(*arguments, **named):
    print("begun", flush=True)
    time.sleep(60)
keeping.make = slow
asyncio.run(jobs.work(AppContext(connect(sys.argv[1]), b"a key for tests only"), asyncio.Event()))
"""


def test_a_job_whose_worker_was_killed_is_taken_up_by_another(
    app: AppContext, writer: Actor, large: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    upkeep.report(app, NOBODY, "guide", "sections")
    upkeep.report(app, writer, "guide", "sections")
    child = subprocess.Popen(
        [sys.executable, "-c", WORKER, app.url],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2] / "src")},
    )
    assert child.stdout is not None and child.stdout.readline() == "begun\n"
    child.send_signal(signal.SIGKILL)
    child.wait()
    child.stdout.close()
    assert ("make_report", "doing") in _waiting(app)
    with writing_transaction(app.engine) as connection:  # as if two minutes had gone by
        connection.execute(
            text("UPDATE procrastinate_workers SET last_heartbeat = last_heartbeat - interval '1 hour'")
        )
        stored.defer(connection, "take_up_stalled", {"take_up_stalled": {"timestamp": 0}})
    _work(app)
    assert _waiting(app) == []
    assert upkeep.report(app, writer, "guide", "sections").made is not None
