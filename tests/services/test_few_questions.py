"""A view asks the database little, and the same however much a page and its volume hold."""

from __future__ import annotations

import pytest
from sqlalchemy import text

from mokuji.acts import doing, requests
from mokuji.core.model.policy import NOBODY, Actor, Role
from mokuji.services.app_context import AppContext, refresh
from mokuji.services.reading import reading
from mokuji.store import database
from mokuji.upkeep import upkeep
from tests.services.making import pages, person, statements, volume

FEW = 7
"""Number of questions of a view that is laid out already."""


@pytest.fixture
def writer(app: AppContext) -> Actor:
    volume(app, "Guide")
    return person(app, "wenna", guide=Role.WRITER)


def _asked(app: AppContext, page: str) -> list[str]:
    """The statements of a view."""
    views: list[object] = []
    asked = statements(app, lambda: views.append(reading.open_page(app, NOBODY, "guide", page)))
    assert isinstance(views[0], reading.PageView)
    return asked


def test_a_view_asks_as_much_for_many_references_as_for_few(app: AppContext, writer: Actor) -> None:
    many = {f"Part {n}": "[[Hub]] and [[Few]]\n" for n in range(40)}
    hub = "".join(f"[[Part {n}]] [[part-{n}#Use]] " for n in range(40))
    pages(app, writer, "guide", {**many, "Hub": hub, "Few": "[[Hub#Top]] [[Part 1]]\n"})
    refresh(app)
    for page in ("hub", "few"):
        _asked(app, page)
    few, hub_asked = _asked(app, "few"), _asked(app, "hub")
    assert len(few) == len(hub_asked)
    # One more than without sections: the pages are read that have them.
    assert len(few) <= FEW + 1, "\n".join(few)


def test_the_server_keeps_plans_of_what_is_asked_again_and_again(app: AppContext, writer: Actor) -> None:
    pages(app, writer, "guide", {"Pump": "[[Well]]", "Well": "[[Pump]]"})
    for _ in range(4):
        reading.open_page(app, NOBODY, "guide", "pump")
    with database.reading(app.engine) as connection:
        kept = connection.execute(text("SELECT count(*) FROM pg_prepared_statements")).scalar_one()
    assert kept >= 8


def test_connections_that_the_server_has_ended_are_made_anew_before_somebody_notices(
    app: AppContext, writer: Actor, monkeypatch: pytest.MonkeyPatch
) -> None:
    pages(app, writer, "guide", {"Pump": ""})
    monkeypatch.setattr(database, "TRUSTED", 0.0)
    ended = text(
        "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
        "WHERE pid <> pg_backend_pid() AND datname = current_database()"
    )
    another = database.connect(app.url, pool_size=1)
    try:
        with another.connect() as connection:
            assert connection.execute(ended).scalars().all(), "there is a connection to be ended"
    finally:
        another.dispose()
    assert isinstance(reading.open_page(app, NOBODY, "guide", "pump"), reading.PageView)


def test_upkeep_of_all_volumes_asks_five_questions_more_for_each(app: AppContext, writer: Actor) -> None:
    def asked() -> int:
        upkeep.overview(app, writer)  # what is not made yet is made here
        return len(statements(app, lambda: upkeep.overview(app, writer)))

    few = asked()
    for n in range(6):
        volume(app, f"More {n}")
    assert asked() - few <= 6 * 5


def test_a_report_over_all_volumes_asks_no_more_for_those_that_hold_nothing(
    app: AppContext, writer: Actor
) -> None:
    def asked() -> int:
        upkeep.report(app, writer, upkeep.ALL, "mentions")
        return len(statements(app, lambda: upkeep.report(app, writer, upkeep.ALL, "mentions")))

    few = asked()
    for n in range(6):
        volume(app, f"More {n}")
    assert asked() <= few


def test_the_list_of_volumes_asks_no_more_for_many(app: AppContext, writer: Actor) -> None:
    def asked() -> int:
        return len(statements(app, lambda: reading.start(app, writer)))

    few = asked()
    for n in range(6):
        volume(app, f"More {n}")
    assert asked() == few


def test_who_asks_for_unwritten_names_is_asked_of_many_at_once(app: AppContext, writer: Actor) -> None:
    def asked() -> int:
        refresh(app)
        found = upkeep.report(app, writer, "guide", "unwritten")
        assert found.findings[0].spots
        return len(statements(app, lambda: upkeep.report(app, writer, "guide", "unwritten")))

    pages(app, writer, "guide", {"Pump": "[[Name 0]]"})
    few = asked()
    pages(app, writer, "guide", {f"Page {n}": f"[[Name {n}]] and [[Nowhere/Name {n}]]" for n in range(9)})
    assert asked() <= few + 1


def test_the_plan_of_a_volume_that_goes_asks_as_much_for_many_pages_as_for_few(
    app: AppContext, writer: Actor
) -> None:
    who = person(app, "olga", guide=Role.OWNER)

    def asked() -> int:
        return len(statements(app, lambda: doing.plan(app, who, requests.DeleteVolume("guide"))))

    pages(app, writer, "guide", {"Pump": "[[Well]]", "Well": "[[Pump#Use]]"})
    few = asked()
    pages(app, writer, "guide", {f"Page {n}": f"[[Page {n - 1}]] [[Pump]]" for n in range(12)})
    assert asked() <= few
