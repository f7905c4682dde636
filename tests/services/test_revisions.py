"""The rule of revisions: which ones are drawn, folded by month where there are many, and what differs between two."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial

import pytest

from mokuji.core.base.errors import Missing
from mokuji.core.model.policy import NOBODY, Role
from mokuji.services.app_context import AppContext
from mokuji.services.looking_back import revisions
from mokuji.services.looking_back.revisions import RevisionsView
from mokuji.services.writing.writing import Save, save
from tests.services.making import person, volume

TEXTS = ["One.", "One [[Pump]].", "One [[Pump]] and [[Well|w]].", "x" * 5_000, "x" * 4_000 + " [[Well]]"]


def _itself(at: datetime) -> datetime:
    return at


@pytest.fixture
def written(app: AppContext) -> AppContext:
    """A page written on the first of each month of 2026, twice in May, beside a second one."""
    volume(app, "Guide")
    writer = person(app, "wenna", guide=Role.OWNER)
    for nth, text in enumerate([*TEXTS, "Last."]):
        at = datetime(2026, 1 + min(nth, 4), 1, 12, tzinfo=UTC) + timedelta(minutes=nth)
        now = replace(app, clock=partial(_itself, at))
        save(now, writer, Save("guide", "Page", text, revision=nth, note=f"note {nth + 1}"))
        save(now, writer, Save("guide", "Other", text, revision=nth))
    return app


def _drawn(view: RevisionsView) -> list[list[int]]:
    return [[tick.revision.number for tick in stretch.ticks] for stretch in view.stretches]


def test_few_revisions_are_drawn_all_and_the_last_two_compared(written: AppContext) -> None:
    view = revisions.rule(written, NOBODY, "guide", "page")
    assert _drawn(view) == [[6, 5, 4, 3, 2, 1]] and view.stretches[0].month is None
    assert (view.one.number, view.other.number, view.differing) == (5, 6, 1)
    assert [tick.before for tick in view.stretches[0].ticks] == [5, 4, 3, 2, 1, None]
    assert [tick.weight for tick in view.stretches[0].ticks] == [3, 2, 3, 0, 0, 0]


def test_names_that_only_one_of_the_two_refers_to_are_told(written: AppContext) -> None:
    view = revisions.rule(written, NOBODY, "guide", "page", 2, 5)
    assert (view.gained, view.lost) == (("Well",), ("Pump",))


@pytest.mark.parametrize(
    ("one", "other", "seen"), [(4, 2, (2, 4)), (3, None, (3, 6)), (None, 3, (2, 3)), (None, 1, (1, 1))]
)
def test_two_revisions_are_given_in_any_order_or_one_of_them(
    written: AppContext, one: int | None, other: int | None, seen: tuple[int, int]
) -> None:
    view = revisions.rule(written, NOBODY, "guide", "page", one, other)
    assert (view.one.number, view.other.number) == seen
    assert (view.text is not None) == (seen[0] == seen[1])


@pytest.mark.parametrize("number", [0, -1, 7, 2**31, 10**30])
def test_a_revision_that_is_not_there_is_missing(written: AppContext, number: int) -> None:
    with pytest.raises(Missing, match=r"has no revision -?\d+\. Its newest is 6"):
        revisions.rule(written, NOBODY, "guide", "page", number, 3)


def test_many_revisions_are_folded_by_month_and_open_where_one_looks(
    written: AppContext, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(revisions, "FOLDED_FROM", 5)
    view = revisions.rule(written, NOBODY, "guide", "page")
    assert _drawn(view) == [[6, 5], [], [], [], []] and view.number == 6
    assert [stretch.month.count for stretch in view.stretches if stretch.month] == [2, 1, 1, 1, 1]
    view = revisions.rule(written, NOBODY, "guide", "page", 2, 4, "2026-01")
    assert _drawn(view) == [[6, 5], [4], [], [2], [1]]
    assert view.stretches[1].ticks[0].before == 3, "the one before it is known, though its month is folded"


def test_of_a_month_with_too_many_the_newest_are_drawn_and_the_rest_is_said(
    written: AppContext, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(revisions, "FOLDED_FROM", 5)
    monkeypatch.setattr(revisions, "MOST_DRAWN", 1)
    newest = revisions.rule(written, NOBODY, "guide", "page").stretches[0]
    assert [tick.revision.number for tick in newest.ticks] == [6] and newest.left_out == 1
    assert newest.ticks[0].before == 5
