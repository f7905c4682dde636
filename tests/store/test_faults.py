"""What the database refuses comes out as a sentence that fits it, by its SQLSTATE (PostgreSQL 17, appendix A)."""

from __future__ import annotations

import re
import threading
import time

import pytest
from fastapi import FastAPI
from sqlalchemy import UniqueConstraint, text
from sqlalchemy.exc import DBAPIError
from structlog.testing import capture_logs

from mokuji import routing
from mokuji.core.base.errors import BadText, Conflict, MokujiError
from mokuji.core.model.policy import Role
from mokuji.services import app_context
from mokuji.services.app_context import AppContext
from mokuji.store import faults
from mokuji.store.database import Engine, reading, writing, writing_if_free
from mokuji.store.faults import Collided, DatabaseDown
from mokuji.store.index import upkeep
from mokuji.store.tables import metadata
from tests.application import TestClient
from tests.services.making import pages, person, volume

RAISED: list[tuple[str, type[MokujiError], str]] = [
    ("23503", Conflict, "was taken away"),
    ("40001", Collided, "in each other's way"),
    ("40P01", Collided, "in each other's way"),
    ("53100", DatabaseDown, "disk of the database is full"),
    ("53200", DatabaseDown, "no room"),
    ("53300", DatabaseDown, "no room"),
    ("57P01", DatabaseDown, "cannot be reached"),
    ("08006", DatabaseDown, "cannot be reached"),
    ("58030", DatabaseDown, "cannot be reached"),
    ("25006", DatabaseDown, "read only"),
    ("22003", BadText, "cannot be kept"),
]


def _raise(engine: Engine, state: str, **more: str) -> None:
    using = "".join(f", {name} = '{value}'" for name, value in more.items())
    with writing(engine) as connection:
        connection.execute(text(f"DO $$ BEGIN RAISE 'secret words' USING ERRCODE = '{state}'{using}; END $$"))


@pytest.mark.parametrize(("state", "fault", "said"), RAISED)
def test_a_state_is_told_as_what_it_means(
    engine: Engine, state: str, fault: type[MokujiError], said: str
) -> None:
    with capture_logs() as logs, pytest.raises(fault, match=said):
        _raise(engine, state)
    (line,) = [line for line in logs if line["event"] == "database_refused"]
    assert line["state"] == state
    assert state.startswith("22") is ("secret words" not in str(line)), (
        "words of somebody's text are not logged"
    )


def test_a_statement_that_takes_too_long_is_given_up(engine: Engine) -> None:
    with pytest.raises(DatabaseDown, match="longer than a minute"), writing(engine) as connection:
        connection.execute(text("SET LOCAL statement_timeout = '20ms'"))
        connection.execute(text("SELECT pg_sleep(5)"))


def test_a_mistake_of_the_program_is_no_fault_of_who_asks(engine: Engine) -> None:
    with pytest.raises(DBAPIError), reading(engine) as connection:
        connection.execute(text("SELECT no_such_column FROM page"))


def test_every_unique_name_that_two_can_make_at_once_has_a_sentence_of_its_own(engine: Engine) -> None:
    tables = metadata.tables.values()
    constraints = {
        str(each.name) for table in tables for each in table.constraints if isinstance(each, UniqueConstraint)
    }
    constraints |= {str(each.name) for table in tables for each in table.indexes if each.unique}
    # Drafts, interned names and what people are told are written in ways that cannot collide; tokens and names of mails
    # are random, and numbers are given.
    alone = ("draft_", "name_", "told_", "watch_", "letter_")
    named = {each for each in constraints if not each.startswith(alone)}
    named = {each for each in named if not each.endswith(("_token_key", "_id_key"))}
    assert named == faults._TAKEN.keys()
    for constraint, said in faults._TAKEN.items():
        with pytest.raises(Conflict, match=re.escape(said)):
            _raise(engine, "23505", constraint=constraint)


def test_two_that_wait_for_each_other_collide_and_one_of_them_is_done(engine: Engine) -> None:
    with writing(engine) as connection:
        connection.execute(text("INSERT INTO volume (key, title) VALUES ('a', 'A'), ('b', 'B')"))
    both = threading.Barrier(2, timeout=20)
    said: list[str] = []

    def change(first: str, second: str) -> None:
        try:
            with writing(engine) as connection:
                connection.execute(text("UPDATE volume SET summary = :key WHERE key = :key"), {"key": first})
                both.wait()
                connection.execute(text("UPDATE volume SET summary = :key WHERE key = :key"), {"key": second})
            said.append("done")
        except Collided as fault:
            said.append(fault.code)

    threads = [threading.Thread(target=change, args=names) for names in (("a", "b"), ("b", "a"))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert sorted(said) == ["collided", "done"]


def test_a_request_that_collided_is_tried_again_and_no_more_often_than_that() -> None:
    tried: list[str] = []
    router = routing.router()

    @router.post("/{often}")
    def collide(often: int, words: dict[str, str]) -> dict[str, int]:
        tried.append(words["word"])
        if len(tried) <= often:
            raise Collided("Two changes were in each other's way.")
        return {"tried": len(tried)}

    web_app = FastAPI()
    web_app.include_router(router)
    client = TestClient(web_app)
    assert client.post("/2", json={"word": "lamp"}).json() == {"tried": 3}
    assert tried == ["lamp"] * 3
    tried.clear()
    with pytest.raises(Collided):
        client.post("/9", json={"word": "lamp"})
    assert len(tried) == routing.TRIES


def test_who_reads_never_waits_for_an_act_that_is_being_done(app: AppContext) -> None:
    volume(app, "Guide")
    pages(app, person(app, "wenna", guide=Role.WRITER), "guide", {"Pump": "[[Well]]"})
    with reading(app.engine) as connection:
        assert upkeep.is_stale(connection), "there is something to look at"
    with writing(app.engine, alone=True):
        with writing_if_free(app.engine) as connection:
            assert connection is None
        begun = time.monotonic()
        app_context.refresh(app)  # would wait for ever: the lock is held by this very thread
        assert time.monotonic() - begun < 30
    with writing_if_free(app.engine) as connection:
        assert connection is not None
